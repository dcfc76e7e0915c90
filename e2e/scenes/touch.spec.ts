import { clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";
import { Fingers } from "../touch";

test.use({ hasTouch: true });

test("scene 14, touch only: pinch, lock, trims, fades, gain, three clips picked and moved, a range over two tracks copied and pasted by long press, loop, marker", async ({
  page,
}) => {
  const demo = await aDemo("Touch only");
  const editor = await EditorPage.open(page, demo, { targets: ["grid"], pull: "always", followsZoom: false, step: { kind: "bar", count: 1 } });
  const touch = await Fingers.on(page);
  const before = await editor.version();
  await editor.settle();

  // Two fingers apart: the place between them stays, the view gets closer.
  const around = await editor.at(at(9), "treadle", 40);
  const per = await editor.samplesPerPixel();
  await touch.drag(
    [
      { x: around.x - 40, y: around.y },
      { x: around.x - 100, y: around.y },
    ],
    [
      { x: around.x + 40, y: around.y },
      { x: around.x + 100, y: around.y },
    ],
  );
  await editor.settle();
  expect(await editor.samplesPerPixel()).toBeCloseTo((per * 80) / 200, 0);
  expect(Math.abs((await editor.at(at(9), "treadle")).x - around.x)).toBeLessThan(2);
  expect((await editor.version()).revision).toBe(before.revision);

  // Two fingers that rest are no long press: once the time of one is over, no menu is there.
  const resting = [around, { x: around.x + 60, y: around.y }];
  await touch.rest(resting, async () => {
    const begun = await page.evaluate(() => performance.now());
    await page.waitForFunction((t) => performance.now() - t > 900, begun);
    await expect(page.getByRole("menu")).toHaveCount(0);
  });

  // Locked, a finger scrolls and edits nothing.
  await page.getByRole("button", { name: /^Lock the view/ }).tap();
  const bed = (await editor.lane("treadle"))[0];
  const strip = await editor.at(at(8), "treadle", 16);
  await touch.drag([strip, { x: strip.x - 80, y: strip.y }]);
  await editor.settle();
  expect((await editor.at(at(8), "treadle")).x).toBeCloseTo(strip.x - 80, 0);
  expect(await editor.clip(bed.id)).toEqual(bed);
  await page.getByRole("button", { name: /^Lift the lock/ }).tap();

  // Fingers together: back to where all of it can be seen.
  await touch.drag(
    [
      { x: around.x - 100, y: around.y },
      { x: around.x - 40, y: around.y },
    ],
    [
      { x: around.x + 100, y: around.y },
      { x: around.x + 40, y: around.y },
    ],
  );
  await editor.settle();

  // The first and last bar of the first bed come off.
  await touch.drag([await editor.at(bed.start + 1, "treadle", 50), await editor.at(at(6), "treadle", 50)]);
  await editor.saved();
  await expect.poll(async () => (await editor.clip(bed.id)).start).toBe(at(6));
  const last = (await editor.lane("treadle"))[2];
  await touch.drag([await editor.at(clipEnd(last) - 1, "treadle", 50), await editor.at(at(20), "treadle", 50)]);
  await editor.saved();
  expect(clipEnd(await editor.clip(last.id))).toBe(at(20));

  // A fade from its corner, gain by number.
  const corner = await editor.at(at(6) + bed.fadeIn.length, "treadle", 7);
  await touch.drag([corner, { x: (await editor.at(at(7), "treadle")).x, y: corner.y }]);
  await editor.saved();
  await expect.poll(async () => (await editor.clip(bed.id)).fadeIn.length).toBe(at(7) - at(6));
  await page.getByRole("tabpanel").getByLabel("Gain", { exact: true }).fill("-3");
  await page.getByRole("tabpanel").getByLabel("Gain", { exact: true }).press("Enter");
  await editor.saved();
  await expect.poll(async () => (await editor.clip(bed.id)).gain).toBe(-3);

  // Three clips picked by taps, moved together by one of them.
  await page.getByRole("button", { name: /^Pick several/ }).tap();
  await page.getByRole("button", { name: /^Zoom to the selection/ }).tap();
  await editor.settle();
  await page.keyboard.press("w");
  await editor.settle();
  const looms = (await editor.lane("shuttle")).slice(1, 4);
  await page.keyboard.press("Escape");
  await editor.show(at(15), at(24));
  for (const c of looms) await touch.tap(await editor.at(c.start + c.length / 2, "shuttle", 60));
  await expect(page.getByTestId("selection")).toContainText("3 clips");
  const held = await editor.at(looms[0].start + looms[0].length / 2, "shuttle", 16);
  await touch.drag([held, { x: held.x + (at(21) - at(20)) / (await editor.samplesPerPixel()), y: held.y }]);
  await editor.saved();
  const moved = await Promise.all(looms.map((c) => editor.clip(c.id)));
  expect(new Set(moved.map((c, i) => c.start - looms[i].start)).size).toBe(1);
  expect(moved[0].start).toBeGreaterThan(looms[0].start);
  await page.getByRole("button", { name: /^Pick several/ }).tap();

  // A range over two tracks, copied by its menu, pasted by long press where the finger is.
  await page.getByRole("button", { name: /^Range/ }).tap();
  await touch.drag([await editor.at(at(18), "treadle", 50), await editor.at(at(20), "guide", 50)]);
  await page.getByRole("button", { name: /^Pointer/ }).tap();
  await expect(page.getByTestId("selection")).toContainText("2 tracks");
  await touch.longPress(await editor.at(at(19), "treadle", 60));
  await page.getByRole("menuitem", { name: /^Copy Ctrl/ }).tap();
  const spot = await editor.at(at(23), "treadle", 60);
  await touch.longPress(spot);
  await page.getByRole("menuitem", { name: "Paste here" }).tap();
  await editor.saved();
  const after = await editor.version();
  expect(after.clips.some((c) => c.trackId === "treadle" && c.start === at(23))).toBe(true);
  const span = (track: string) => after.clips.filter((c) => c.trackId === track && c.start >= at(23) && clipEnd(c) <= at(25) + 1).length;
  expect([span("treadle") > 0, span("guide") > 0]).toEqual([true, true]);

  // Loop from a range, a marker from the ruler.
  await page.getByRole("button", { name: /^Range/ }).tap();
  await touch.drag([await editor.at(at(17), "treadle", 50), await editor.at(at(19), "treadle", 50)]);
  await page.getByRole("button", { name: /^Pointer/ }).tap();
  await touch.longPress(await editor.at(at(18), "treadle", 60));
  await page.getByRole("menuitem", { name: /^Loop the range/ }).tap();
  await editor.saved();
  expect((await editor.version()).loop).toEqual({ start: at(17), end: at(19), on: true });
  await touch.longPress(await editor.rulerAt(at(22)));
  await page.getByRole("menuitem", { name: "Set a marker here" }).tap();
  await editor.saved();
  expect((await editor.version()).markers.some((m) => m.position === at(22))).toBe(true);

  // One finger above the other: they change the heights of all tracks, at once; that is no step of the history.
  const earlier = await editor.version();
  const { height } = earlier.tracks[0];
  await touch.drag(
    [
      { x: around.x, y: around.y + 60 },
      { x: around.x, y: around.y + 40 },
    ],
    [
      { x: around.x, y: around.y + 140 },
      { x: around.x, y: around.y + 160 },
    ],
  );
  await editor.saved();
  expect((await editor.version()).tracks[0].height).toBe(Math.round(height * 1.5));
  expect((await editor.version()).revision).toBe(earlier.revision + 1);
  await page.getByRole("button", { name: "Undo", exact: true }).tap();
  await expect.poll(async () => (await editor.version()).markers.some((m) => m.position === at(22))).toBe(false);
  expect((await editor.version()).tracks[0].height).toBe(Math.round(height * 1.5));
});
