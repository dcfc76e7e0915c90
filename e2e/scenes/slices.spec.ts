import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { SHUTTLE_LATE } from "../../demo/sound";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

/** Eight hits of the shuttle from its fifth on, where they really are. */
const HITS = Array.from({ length: 8 }, (_, k) => k + 4);
const truth = (hit: number): number =>
  at(5 + Math.floor(hit / 4), (hit % 4) + 1) + Math.round((SHUTTLE_LATE[hit % SHUTTLE_LATE.length] * 48_000) / 1000);

test("scene 13's navigation: from hit to hit by key, looked at to the sample, eight marked by hand and counted, split at all, walked piece by piece", async ({
  page,
}) => {
  const demo = await aDemo("Slices");
  const editor = await EditorPage.open(page, demo, { snapOn: false, targets: [], readOuts: ["samples", "bars"] });
  const { keyboard } = page;
  const before = await editor.version();
  const shuttle = before.clips.find((c) => c.trackId === "shuttle" && c.name === "Shuttle") as Clip;
  const playhead = async (): Promise<number> => Number(((await page.getByTestId("read-out-0").textContent()) ?? "").replace(/\D/g, ""));

  // The track by key, then its hits one after the other: each the very sample at which it begins.
  const said = async (): Promise<string> => {
    await editor.settle();
    return (await page.getByTestId("selection").textContent()) ?? "";
  };
  for (let i = 0; !(await said()).startsWith("Track Shuttle,") && i < 12; i++) await keyboard.press("Alt+ArrowDown");
  for (let i = 0; i < HITS[0]; i++) await keyboard.press("h");
  const places: number[] = [];
  for (const hit of HITS) {
    await keyboard.press("h");
    await expect.poll(playhead).toBe(truth(hit));
    places.push(await playhead());
    await keyboard.press("m");
    await keyboard.press("Escape");
  }
  await editor.saved();
  const marked = await editor.version();
  const added = marked.markers.filter((m) => !before.markers.some((b) => b.id === m.id));
  expect(added.map((m) => m.position).sort((a, b) => a - b)).toEqual(places);

  // One of them close up, down to samples: the line stands on the first sample that is loud, and the view goes back as it was.
  await keyboard.press("Shift+H");
  await expect.poll(playhead).toBe(places[6]);
  for (let i = 0; i < 40; i++) await keyboard.press("+");
  await editor.settle();
  const close = await editor.view();
  expect(close.per).toBeLessThan(0.2);
  expect(Math.abs((places[6] - close.start) / close.per - close.box.width / 2)).toBeLessThan(close.box.width / 2);
  await keyboard.press("Shift+Z");
  await editor.settle();
  expect((await editor.view()).per).toBeGreaterThan(close.per);

  // Back over the marks by key, the earliest last; then on again over all eight.
  for (const place of places.slice(0, 6).reverse()) {
    await keyboard.press("Shift+K");
    await expect.poll(playhead).toBe(place);
  }
  for (const place of places.slice(1)) {
    await keyboard.press("k");
    await expect.poll(playhead).toBe(place);
  }

  // Split at all of them: counted before it is done, one step.
  await keyboard.press("n");
  await expect(page.getByTestId("selection")).toContainText("1 clip");
  for (let i = 0; i < 12 && !(await said()).includes("clip, Shuttle "); i++) await keyboard.press("Shift+N");
  await keyboard.press("?");
  const panel = page.getByRole("dialog", { name: "Split" });
  await panel.getByRole("radio", { name: "Markers" }).press("Space");
  const inside = marked.markers.filter((m) => m.position > shuttle.start && m.position < clipEnd(shuttle)).length;
  await expect(page.getByTestId("cut-count")).toHaveText(`${inside} cuts`);
  expect(inside).toBeGreaterThanOrEqual(8);
  await panel.getByRole("button", { name: "Split" }).press("Enter");
  await editor.saved();
  const pieces = (await editor.lane("shuttle")).filter((c) => c.start >= shuttle.start && clipEnd(c) <= clipEnd(shuttle));
  expect(pieces).toHaveLength(inside + 1);
  for (const place of places) expect(pieces.some((p) => p.start === place)).toBe(true);
  expect((await editor.version()).revision).toBe(marked.revision + 1);

  // From piece to piece by key, each played by itself.
  await keyboard.press("Escape");
  await keyboard.press("Home");
  const walked: string[] = [];
  for (let i = 0; i < 4; i++) {
    await keyboard.press("n");
    walked.push(await said());
  }
  expect(walked.every((w) => w.includes("1 clip, "))).toBe(true);
  expect(new Set(walked).size).toBe(4);
  await keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(marked.clips);
});
