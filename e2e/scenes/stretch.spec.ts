import { kindOf } from "@wet-thread/core/model/recipe/played-recording";
import { same } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";
import { RATE, small } from "../small";

test("scene 18, to fit two bars: the treadle's end pulled to the bar, hits kept; the greeting smooth; the choir two semitones down; a split changes nothing", async ({
  page,
}) => {
  test.setTimeout(120_000);
  const demo = await aDemo("To fit");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    pull: "always",
    edgeFadeMs: 0,
    overlaps: "layer",
    step: { kind: "bar", count: 1 },
    followsZoom: false,
  });
  const bed = (await editor.lane("treadle")).at(-1);
  if (!bed) throw new Error("The treadle has no clip.");
  await editor.show(bed.start - RATE, bed.start + bed.length + 6 * RATE);

  // Its end, pulled to a bar line with Alt and Shift; the inspector says what it is stretched to.
  await editor.select(bed.id);
  await editor.openPart("Stretch");
  await page.getByRole("button", { name: "Hits", exact: true }).click();
  const from = await editor.at(bed.start + bed.length, "treadle", 40);
  const to = await editor.at(bed.start + bed.length + 2 * RATE, "treadle", 40);
  await page.keyboard.down("Alt");
  await page.keyboard.down("Shift");
  await editor.drag({ x: from.x - 2, y: from.y }, to);
  await page.keyboard.up("Shift");
  await page.keyboard.up("Alt");
  await editor.saved();
  let now = await editor.clip(bed.id);
  expect(now.start).toBe(bed.start);
  expect(now.length).toBeGreaterThan(bed.length);
  expect(now.recipe?.stretch).toMatchObject({ kind: "hits" });
  const beats = Number(await page.getByLabel("Length in beats").inputValue());
  expect(beats % 4).toBeCloseTo(0, 1);
  // Its attacks are the recording's own: the loudest moments are as loud as they were.
  const loudest = (x: Float32Array): number => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  const span = { start: now.start, end: now.start + now.length };
  const [stretched] = await editor.heard(span, ["treadle"]);
  await page.keyboard.press("Control+z");
  await editor.saved();
  const [own] = await editor.heard({ start: bed.start, end: bed.start + bed.length }, ["treadle"]);
  expect(Math.abs(loudest(stretched) - loudest(own))).toBeLessThan(0.03);
  await page.keyboard.press("Control+Shift+z");
  await editor.saved();

  // To eight beats by number, smooth; then the same recording, unstretched, by one key.
  const [greeting] = await editor.lane("guide");
  await editor.show(greeting.start, greeting.start + greeting.length);
  await editor.select(greeting.id);
  await page.getByRole("button", { name: "Smooth", exact: true }).click();
  await page.getByLabel("Length in beats").fill("32");
  await page.keyboard.press("Enter");
  await editor.saved();
  now = await editor.clip(greeting.id);
  expect(kindOf(now.recipe)).toBe("smooth");
  const guide = { start: now.start, end: now.start + now.length };
  const [whole] = await editor.heard(guide, ["guide"]);

  // Split in it and one part moved away and back: the very same samples.
  const middle = await editor.rulerAt(now.start + Math.round(now.length / 2));
  await page.mouse.click(middle.x, middle.y);
  await page.keyboard.press("/");
  await editor.saved();
  await page.keyboard.press(".");
  await page.keyboard.press(",");
  await editor.saved();
  const [cut] = await editor.heard(guide, ["guide"]);
  expect(same(cut, whole)).toBe(true);

  // The choir two semitones down: as long as it was, at another pitch.
  const [hum] = await editor.lane("hum-low");
  await editor.show(hum.start, hum.start + hum.length);
  await editor.select(hum.id);
  await page.keyboard.press("Alt+,");
  await page.keyboard.press("Alt+,");
  await editor.saved();
  expect(await editor.clip(hum.id)).toMatchObject({ start: hum.start, length: hum.length, recipe: { pitch: -200 } });
  await page.keyboard.press("Alt+w");
  await editor.saved();
  expect((await editor.clip(hum.id)).recipe).toBeUndefined();
});

test("warp points: set by Alt, dragged onto the line, taken away by a double click; what is being made is heard and shown", async ({ page }) => {
  const editor = await small(page);
  const before = await editor.clip("a");
  await editor.show(before.start - RATE / 4, before.start + before.length + RATE / 4);
  await editor.select("a");
  await page.keyboard.press("Shift+W");
  const middle = before.start + Math.round(before.length / 2);
  const [at, to] = [await editor.at(middle, "t1", 50), await editor.at(middle + RATE / 8, "t1", 50)];
  await page.keyboard.down("Alt");
  await editor.drag(at, to);
  await page.keyboard.up("Alt");
  await editor.saved();
  let clip = await editor.clip("a");
  expect(clip.recipe?.warp?.points).toHaveLength(3);
  // Nothing beyond the neighbouring points moves.
  expect([clip.start, clip.length]).toEqual([before.start, before.length]);
  const points = clip.recipe?.warp?.points ?? [];
  expect(points[1].to - points[1].from).toBeGreaterThan(RATE / 16);
  // Dragged again, and taken away.
  const place = clip.start + points[1].to - clip.offset;
  await editor.drag(await editor.at(place, "t1", 50), await editor.at(place - RATE / 16, "t1", 50));
  await editor.saved();
  clip = await editor.clip("a");
  expect(clip.recipe?.warp?.points?.[1].to).toBeLessThan(points[1].to);
  const there = clip.start + (clip.recipe?.warp?.points?.[1].to ?? 0) - clip.offset;
  const p = await editor.at(there, "t1", 50);
  await page.mouse.dblclick(p.x, p.y);
  await editor.saved();
  expect((await editor.clip("a")).recipe?.warp?.points).toHaveLength(2);
  await page.keyboard.press("Alt+w");
  await editor.saved();
  expect(await editor.clip("a")).toEqual(before);
});

test("what conforms follows the tempo, what does not stays where it lies: typed in the inspector, changed in the tempo row, and left again", async ({
  page,
}) => {
  const editor = await small(page);
  const before = [await editor.clip("a"), await editor.clip("x")];
  await editor.select("a");
  await editor.openPart("Stretch");
  await page.getByLabel("Own tempo of the recording").fill("100");
  await page.keyboard.press("Enter");
  await editor.saved();
  const laid = await editor.clip("a");
  expect(laid.conform?.bpm).toBe(100);
  // At 92 what was recorded at 100 lasts longer, and its points lie a beat of the piece apart.
  const points = laid.recipe?.warp?.points ?? [];
  expect(laid.length).toBeGreaterThan(before[0].length);
  expect(Math.abs(points[1].to - points[0].to - (60 * RATE) / 92)).toBeLessThanOrEqual(1);
  await page.getByLabel("Tempo 92", { exact: true }).click();
  const tempo = page.getByLabel("Tempo", { exact: true });
  await tempo.fill("80");
  await page.keyboard.press("Enter");
  await editor.saved();
  await expect.poll(async () => (await editor.version()).tempo[0].bpm).toBe(80);
  const now = await editor.clip("a");
  const after = now.recipe?.warp?.points ?? [];
  expect(after[1].to - after[0].to).toBe((60 * RATE) / 80);
  expect(now.length).toBeGreaterThan(laid.length);
  const [stays] = [await editor.clip("x")];
  expect([stays.length, stays.recipe]).toEqual([before[1].length, undefined]);
  await page.keyboard.press("Escape");
  await editor.select("a");
  await page.getByRole("button", { name: "Stop following" }).click();
  await editor.saved();
  expect((await editor.clip("a")).conform).toBeUndefined();
  expect((await editor.clip("a")).length).toBe(now.length);
});

test("a joint on the seam rail is dragged with the stretch tool: both sides fit, nothing else moves; an end by itself is stretched; Escape lets go", async ({
  page,
}) => {
  const editor = await small(page);
  // Cut in two, so that both halves meet at 1.5 s.
  await editor.select("a");
  const cut = await editor.rulerAt(1.5 * RATE);
  await page.mouse.click(cut.x, cut.y);
  await page.keyboard.press("/");
  await editor.saved();
  const [left, right, ...rest] = await editor.lane("t1");
  await editor.show(0.5 * RATE, 3 * RATE);
  await page.keyboard.press("Shift+W");
  const { height } = (await editor.version()).tracks[0];
  const rail = (at: number) => editor.at(at, "t1", height - 8);
  const [joint, to] = [await rail(1.5 * RATE), await rail(1.75 * RATE)];
  // Called off, nothing is done.
  await page.mouse.move(joint.x, joint.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y, { steps: 4 });
  await page.keyboard.press("Escape");
  await page.mouse.up();
  expect(await editor.lane("t1")).toEqual([left, right, ...rest]);
  await editor.drag(joint, to);
  await editor.saved();
  const [a, b, ...others] = await editor.lane("t1");
  expect([a.start, b.start + b.length, others]).toEqual([left.start, right.start + right.length, rest]);
  expect(a.start + a.length).toBe(b.start);
  expect(Math.abs(b.start - 1.75 * RATE)).toBeLessThan(RATE / 50);
  expect([a.recipe?.stretch !== undefined, b.recipe?.stretch !== undefined]).toEqual([true, true]);
  // One step takes both back.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.lane("t1"))[0].length).toBe(left.length);
  expect(await editor.lane("t1")).toEqual([left, right, ...rest]);
  // The free end of the right half.
  await editor.drag(await rail(2 * RATE), await rail(2.2 * RATE));
  await editor.saved();
  const [, longer] = await editor.lane("t1");
  expect(longer.start).toBe(right.start);
  expect(longer.length).toBeGreaterThan(right.length);
  expect(longer.recipe?.stretch).toBeDefined();
});
