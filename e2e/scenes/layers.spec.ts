import { clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { BASE, same } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;

test("scene 11, choosing among takes: one laid over another, heard, moved off; three deep, only the top one is split", async ({ page }) => {
  const demo = await aDemo("Takes");
  const editor = await EditorPage.open(page, demo, { overlaps: "layer", snapOn: false });
  const [one, two, three] = await editor.lane("guide");
  const span = { start: at(2), end: at(24) };
  const dry = await editor.heard(span, ["guide"]);
  await editor.show(at(1), at(24));

  // The second take over the first, by its name strip.
  const per = await editor.samplesPerPixel();
  const grip = await editor.nameOf(two.id);
  const by = one.start + RATE - two.start;
  await editor.drag(grip, { x: grip.x + by / per, y: grip.y });
  await editor.saved();
  const over = await editor.clip(two.id);
  expect(over.layer).toBeGreaterThan(one.layer);
  expect(await editor.clip(one.id)).toEqual(one);
  const [wet] = await editor.heard({ start: over.start + 5000, end: over.start + 60_000 }, ["guide"]);
  const [own] = await editor.heard(span, ["guide"]);
  expect(wet.some((v, i) => v !== dry[0][over.start + 5000 - span.start + i])).toBe(true);
  expect(own.length).toBe(dry[0].length);

  // Off again by undo's opposite: dragged back by hand to where it was, the first is whole.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip(two.id)).start).toBe(two.start);
  expect(same((await editor.heard(span, ["guide"]))[0], dry[0])).toBe(true);

  // Three deep.
  for (const [i, clip] of [two, three].entries()) {
    const from = await editor.nameOf(clip.id);
    await editor.drag(from, { x: from.x + (one.start + (i + 1) * RATE - clip.start) / per, y: from.y });
    await editor.saved();
  }
  const layers = await Promise.all([one, two, three].map(async (c) => (await editor.clip(c.id)).layer));
  expect(layers[0] < layers[1] && layers[1] < layers[2]).toBe(true);

  // Only the top one is split: named by a click, cut at the playhead.
  const top = await editor.clip(three.id);
  await editor.select(three.id);
  const middle = await editor.rulerAt(top.start + 4 * RATE);
  await page.mouse.click(middle.x, middle.y);
  await editor.select(three.id);
  await page.keyboard.press("/");
  await editor.saved();
  const lane = await editor.lane("guide");
  expect(lane.filter((c) => c.sourceId === three.sourceId && c.start < at(30))).toHaveLength(2);
  for (const c of [one, two]) expect((await editor.clip(c.id)).length).toBe(c.length);

  // Looked through, each layer can be taken: the lowest is brought to the top.
  await page.keyboard.press("v");
  const track = (await editor.version()).tracks.find((t) => t.id === "guide");
  const low = await editor.at(one.start + 3 * RATE, "guide", (track?.height ?? 96) - 30);
  await page.mouse.click(low.x, low.y);
  await expect(page.getByRole("tabpanel").getByLabel("Name", { exact: true })).toHaveValue("Guide, take 1");
  await page.keyboard.press("Shift+PageUp");
  await editor.saved();
  expect((await editor.clip(one.id)).layer).toBeGreaterThan((await editor.clip(three.id)).layer);
});

test("scene 12, new loom pattern: split on the grid, change places, undo to one clip, split at hits instead", async ({ page }) => {
  const demo = await aDemo("New pattern");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    followsZoom: false,
    step: { kind: "note", division: 16, feel: "straight" },
    edgeFadeMs: 0,
  });
  const whole = (await editor.lane("shuttle")).find((c) => c.name === "Shuttle 6");
  if (!whole) throw new Error("no clip");
  await editor.show(whole.start - RATE / 4, clipEnd(whole) + RATE / 4);
  await editor.select(whole.id);
  await page.keyboard.press("?");
  const panel = page.getByRole("dialog", { name: "Split" });
  await panel.getByRole("radio", { name: "Grid" }).click();
  await expect(page.getByTestId("cut-count")).toHaveText("16 cuts");
  await panel.getByRole("button", { name: "Split", exact: true }).click();
  await editor.saved();
  const inside = async () => (await editor.lane("shuttle")).filter((c) => c.start >= whole.start && clipEnd(c) <= clipEnd(whole));
  const pieces = await inside();
  expect(pieces).toHaveLength(17);
  // All of them are selected, ready to be moved together; here each goes its own way.
  await expect(page.getByTestId("selection")).toContainText("17 clips");
  await page.keyboard.press("Escape");
  expect(pieces.slice(1).map((c) => c.start)).toEqual(Array.from({ length: 16 }, (_, k) => at(18, 1 + Math.floor(k / 4), (k % 4) * 240)));

  // Reorder: pieces move about, each with its own samples; the total stays.
  await page.keyboard.press("3");
  const end = clipEnd(pieces[16]);
  for (const [from, before] of [
    [13, 5],
    [9, 2],
  ]) {
    const now = await inside();
    await editor.drag(await editor.nameOf(now[from].id), await editor.at(now[before].start + 200, "shuttle", 30));
    await editor.saved();
    const then = await inside();
    expect(then.map((c) => c.id)).toEqual([...now.slice(0, before), now[from], ...now.slice(before, from), ...now.slice(from + 1)].map((c) => c.id));
    expect(clipEnd(then[16])).toBe(end);
  }
  for (const c of await inside()) expect(c.offset).toBe(pieces.find((p) => p.id === c.id)?.offset);
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Space");

  // Back to one clip, then at its hits.
  for (let i = 0; i < 3; i++) await page.keyboard.press("Control+z");
  await expect.poll(async () => (await inside()).length).toBe(1);
  expect((await inside())[0]).toEqual(whole);
  await editor.show(whole.start - RATE / 4, clipEnd(whole) + RATE / 4);
  await editor.select(whole.id);
  await page.keyboard.press("?");
  await panel.getByRole("radio", { name: "Hits" }).click();
  await expect(page.getByTestId("cut-count")).toHaveText("4 cuts");
  await panel.getByLabel("Pad before each cut").fill("5");
  await panel.getByLabel("Pad before each cut").press("Enter");
  await expect(panel).toHaveCount(0);
  await editor.saved();
  const hits = await inside();
  const { transients } = await fetch(`${BASE}/api/sources/${whole.sourceId}`).then((r) => r.json());
  for (const c of hits.slice(1)) expect(transients).toContain(c.offset + 240);
});
