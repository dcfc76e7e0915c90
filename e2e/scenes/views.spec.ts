import { clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

test("zoom at the pointer, the zoom and hand tools, close-up and back, and the way back through the views", async ({ page }) => {
  const editor = await EditorPage.open(page, await aDemo("Views"));
  const { mouse, keyboard } = page;
  await editor.settle();
  const whole = await editor.view();
  const { revision } = await editor.version();

  // The wheel: what is under the pointer stays there.
  const spot = await editor.at(at(17), "treadle");
  await mouse.move(spot.x, spot.y);
  await keyboard.down("Control");
  for (let i = 0; i < 4; i++) await mouse.wheel(0, -120);
  await keyboard.up("Control");
  await editor.settle();
  expect(await editor.samplesPerPixel()).toBeLessThan(whole.per / 2);
  expect(Math.abs((await editor.at(at(17), "treadle")).x - spot.x)).toBeLessThan(2);

  // The zoom tool, borrowed while its key is held: what is dragged over fills the view.
  const [a, b] = [await editor.at(at(16), "treadle"), await editor.at(at(19), "treadle")];
  await keyboard.down("9");
  await editor.drag(a, b);
  await keyboard.up("9");
  await editor.settle();
  const framed = await editor.view();
  expect(Math.abs(framed.start - at(16))).toBeLessThan(2 * framed.per);
  expect(Math.abs(framed.start + framed.box.width * framed.per - at(19))).toBeLessThan(2 * framed.per);

  // The hand: the lanes go along, the playhead does not move.
  await keyboard.down("`");
  await editor.drag({ x: 700, y: 400 }, { x: 500, y: 400 });
  await keyboard.up("`");
  await editor.settle();
  const scrolled = await editor.view();
  expect((scrolled.start - framed.start) / framed.per).toBeCloseTo(200, 0);
  await expect(page.getByTestId("read-out-0")).toHaveText("1.1.000");

  // Close-up of a clip: wide and tall by one key, back by the same; an edit there is one of the piece.
  const bell = (await editor.lane("bells"))[0];
  await keyboard.press("w");
  await editor.settle();
  await editor.select(bell.id);
  await keyboard.press("Shift+C");
  await editor.settle();
  const close = await editor.view();
  expect(close.start).toBeLessThanOrEqual(bell.start);
  expect(close.start + close.box.width * close.per).toBeGreaterThanOrEqual(clipEnd(bell));
  const head = page.getByRole("complementary", { name: "Tracks" }).locator("[data-track=bells]");
  expect((await head.boundingBox())?.height).toBeCloseTo(close.box.height, -1);
  expect((await editor.version()).tracks.find((t) => t.id === "bells")?.height).toBeLessThan(200);
  await keyboard.press("Shift+C");
  await editor.settle();
  expect((await head.boundingBox())?.height).toBeLessThan(200);
  expect((await editor.view()).per).toBeCloseTo(whole.per, 0);

  // Back step by step: the close-up, the whole piece, the scrolled place, the frame, the first view. Nothing of it was an edit.
  await keyboard.press("Shift+Z");
  await editor.settle();
  expect((await head.boundingBox())?.height).toBeCloseTo(close.box.height, -1);
  await keyboard.press("Shift+Z");
  await keyboard.press("Shift+Z");
  await editor.settle();
  expect((await editor.view()).start).toBeCloseTo(scrolled.start, 0);
  await keyboard.press("Alt+Z");
  await editor.settle();
  expect((await editor.view()).per).toBeCloseTo(whole.per, 0);
  expect((await editor.version()).revision).toBe(revision);
});

test("an address restores version, view and selection, in another window too", async ({ page, context }) => {
  const demo = await aDemo("Address");
  const editor = await EditorPage.open(page, demo);
  await editor.show(at(12), at(22));
  const [, first, second] = await editor.lane("treadle");
  await editor.select(first.id, second.id);
  await page.keyboard.press("Alt+ArrowDown");
  await expect(page).toHaveURL(/clips=[^&]+,/);
  const seen = await editor.view();
  const other = await context.newPage();
  await other.goto(page.url());
  const again = new EditorPage(other, demo.projectId, demo.versionId);
  await again.lanes.waitFor();
  await expect(other.getByTestId("selection")).toContainText("2 clips");
  await expect.poll(async () => Math.round((await again.view()).per)).toBe(Math.round(seen.per));
  expect((await again.view()).start).toBeCloseTo(seen.start, 0);
  expect(other.url()).toContain(demo.versionId);

  // A range, and a place that another address names in the same window.
  await editor.range(at(16), at(18), "treadle");
  await expect(page).toHaveURL(/range=/);
  const withRange = page.url();
  await page.keyboard.press("Escape");
  await page.keyboard.press("w");
  await expect(page).not.toHaveURL(/range=/);
  await page.evaluate((hash) => {
    window.location.hash = hash;
  }, new URL(withRange).hash);
  await expect(page.getByTestId("selection")).toContainText("Range");
  await expect.poll(async () => Math.round((await editor.view()).per)).toBe(Math.round(seen.per));

  // Reloaded, it is as it was.
  await page.reload();
  await expect(page.getByTestId("selection")).toContainText("Range");
});

test("heights by the wheel are sent at once and are no step, the overview's lens scrolls and zooms, keys alone get everywhere", async ({ page }) => {
  const editor = await EditorPage.open(page, await aDemo("Heights"));
  const { mouse, keyboard } = page;
  const before = await editor.version();
  const spot = await editor.at(at(17), "treadle");
  await mouse.move(spot.x, spot.y);
  await keyboard.down("Alt");
  for (let i = 0; i < 5; i++) await mouse.wheel(0, -60);
  await keyboard.up("Alt");
  await expect.poll(async () => (await editor.version()).revision).toBe(before.revision + 1);
  expect((await editor.version()).tracks[0].height).toBeGreaterThan(before.tracks[0].height * 1.3);
  // What can be taken back is what could be before.
  const { body } = await api("GET", `/api/versions/${editor.versionId}/history`);
  expect(body.steps.filter((s: { revision: number }) => s.revision > before.revision)).toEqual([]);
  await keyboard.down("Alt");
  for (let i = 0; i < 5; i++) await mouse.wheel(0, 60);
  await keyboard.up("Alt");
  await expect.poll(async () => (await editor.version()).tracks[0].height).toBeLessThan(before.tracks[0].height * 1.1);

  // The lens: its end zooms, its middle scrolls. Notices are over, so that none lies where the pointer goes.
  await expect(page.locator("[data-sonner-toast]")).toHaveCount(0);
  const lens = await page.getByTestId("overview").boundingBox();
  if (!lens) throw new Error("no overview");
  const foot = lens.y + lens.height / 2;
  await keyboard.press("9");
  const [a, b] = [await editor.at(at(9), "treadle"), await editor.at(at(25), "treadle")];
  await editor.drag(a, b);
  await keyboard.press("p");
  await editor.settle();
  const part = await editor.view();
  // The overview shows a little more than the piece, from zero on.
  const end = Math.max(...(await editor.version()).clips.map(clipEnd)) * 1.02;
  const xOf = (sample: number): number => lens.x + (sample / end) * lens.width;
  const rightEnd = part.start + part.box.width * part.per;
  await editor.drag({ x: xOf(rightEnd), y: foot }, { x: xOf(rightEnd) - 60, y: foot });
  await expect.poll(async () => (await editor.view()).per).toBeLessThan(part.per);
  await editor.settle();
  const narrower = await editor.view();
  expect(narrower.start).toBeCloseTo(part.start, 0);
  expect((part.per - narrower.per) * part.box.width).toBeCloseTo((60 / lens.width) * end, -4);
  const middle = narrower.start + (narrower.box.width * narrower.per) / 2;
  await editor.drag({ x: xOf(middle), y: foot }, { x: xOf(middle) + 50, y: foot });
  await expect.poll(async () => (await editor.view()).start - narrower.start).toBeCloseTo((50 / lens.width) * end, -4);
  expect((await editor.view()).per).toBeCloseTo(narrower.per, 3);

  // By keys: a track, a clip of it, a range from the playhead, close, scrolled, back.
  await keyboard.press("Alt+ArrowDown");
  await keyboard.press("Alt+ArrowDown");
  await keyboard.press("n");
  await expect(page.getByTestId("selection")).toContainText("1 clip");
  await keyboard.press("z");
  await editor.settle();
  const zoomed = await editor.view();
  await keyboard.press("Control+ArrowRight");
  await editor.settle();
  const later = await editor.view();
  expect((later.start - zoomed.start) / (zoomed.box.width * zoomed.per)).toBeCloseTo(0.5, 1);
  await keyboard.press("Escape");
  await keyboard.press("ArrowRight");
  await keyboard.press(";");
  await expect(page.getByTestId("selection")).toContainText("Range");
  await keyboard.press("Home");
  for (let i = 0; i < 4; i++) await keyboard.press("ArrowRight");
  await keyboard.press(":");
  await expect(page.getByTestId("selection")).toContainText("Range");
});
