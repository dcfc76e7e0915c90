import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { same } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

test("scene 6, stutter: a bell note in equal 1/32 parts by one command, some muted by key, two of them unmuted again", async ({ page }) => {
  const demo = await aDemo("Stutter");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    followsZoom: false,
    step: { kind: "note", division: 32, feel: "straight" },
    edgeFadeMs: 0,
  });
  const bell = (await editor.lane("bells"))[1];
  const dry = await editor.heard({ start: bell.start, end: clipEnd(bell) }, ["bells"]);
  await editor.show(bell.start, clipEnd(bell));
  await editor.select(bell.id);
  await page.keyboard.press("?");
  await page.getByRole("dialog", { name: "Split" }).getByRole("radio", { name: "Grid" }).click();
  await page.getByRole("button", { name: "Split", exact: true }).last().click();
  await editor.saved();
  const parts = (await editor.lane("bells")).filter((c) => c.start >= bell.start && clipEnd(c) <= clipEnd(bell));
  const thirtySecond = (at(19, 2) - at(19)) / 8;
  expect(parts.length).toBe(Math.floor((clipEnd(bell) - at(19)) / thirtySecond) + 1 + Math.ceil((at(19) - bell.start) / thirtySecond));
  for (const c of parts.slice(2, -1)) expect(Math.abs(c.length - thirtySecond)).toBeLessThanOrEqual(1);
  expect(same((await editor.heard({ start: bell.start, end: clipEnd(bell) }, ["bells"]))[0], dry[0])).toBe(true);

  // Step from piece to piece by key and mute every other one of six.
  await editor.select(parts[3].id);
  const muted: string[] = [];
  for (let i = 0; i < 3; i++) {
    await page.keyboard.press("u");
    muted.push(parts[3 + 2 * i].id);
    await page.keyboard.press("n");
    await page.keyboard.press("n");
  }
  await editor.saved();
  const quiet = async () => (await editor.lane("bells")).filter((c) => c.mute).map((c) => c.id);
  expect(await quiet()).toEqual(muted);
  const [wet] = await editor.heard({ start: parts[3].start, end: clipEnd(parts[4]) }, ["bells"]);
  const half = parts[3].length;
  expect(wet.subarray(0, half).every((v) => v === 0)).toBe(true);
  expect(wet.subarray(half).some((v) => v !== 0)).toBe(true);

  // Two of them back, with the mute tool borrowed while its key is held.
  await page.keyboard.down("q");
  for (const id of muted.slice(0, 2)) {
    const { x, y } = await editor.nameOf(id);
    await page.mouse.click(x, y);
  }
  await page.keyboard.up("q");
  await editor.saved();
  expect(await quiet()).toEqual(muted.slice(2));
  await expect(page.getByRole("button", { name: /^Pointer/ })).toHaveAttribute("aria-pressed", "true");
});

test("scene 7, the break bell twice: a section copied over all tracks and inserted at bar 17; everything later moves by just its length", async ({
  page,
}) => {
  const demo = await aDemo("Break bell twice");
  const editor = await EditorPage.open(page, demo, { targets: ["grid"], pull: "always", followsZoom: false, step: { kind: "bar", count: 1 } });
  const before = await editor.version();
  const length = at(29) - at(25);
  const whole = { start: 0, end: Math.max(...before.clips.map(clipEnd)) + length };
  const tracks = before.tracks.map((t) => t.id);
  const dry = await editor.heard(whole, tracks);

  // Its name over the ruler: copy the section; the playhead to bar 17; insert.
  await page.keyboard.press("w");
  await editor.settle();
  const name = await page.locator("[data-mark=section-4]").boundingBox();
  if (!name) throw new Error("no section");
  await editor.menu({ x: name.x + name.width / 2, y: name.y + 8 }, /Copy Break bell/);
  const bar17 = await editor.rulerAt(at(17));
  await page.mouse.click(bar17.x, bar17.y);
  await page.keyboard.press("Control+Shift+v");
  await editor.saved();
  const after = await editor.version();

  // Everything later by exactly the section's length, markers and meter too.
  const spans = (v: typeof before, from: number) =>
    v.clips.filter((c) => c.start >= from).map((c) => `${c.trackId} ${c.start - from} ${c.length} ${c.offset}`);
  for (const line of spans(before, at(17))) expect(spans(after, at(17) + length)).toContain(line);
  const markers = (v: typeof before) => Object.fromEntries(v.markers.map((m) => [m.id, m.position]));
  expect(markers(after)["marker-1"]).toBe(markers(before)["marker-1"] + length);
  expect(after.sections.filter((s) => s.name === "Break bell").map((s) => [s.start, s.end])).toEqual([
    [at(17), at(17) + length],
    [at(25) + length, at(29) + length],
  ]);
  // Bars 17 to 20 are in 6/8 now; what follows is as it was, four bars later.
  const eighths = after.meter.filter((m) => m.denominator === 8).map((m) => m.tick);
  expect(eighths).toEqual([16 * 3840, before.meter[3].tick + 4 * 2880]);
  expect(after.meter.find((m) => m.tick === 16 * 3840 + 4 * 2880)).toMatchObject({ numerator: 4, denominator: 4 });
  expect(after.tempo.at(-1)).toEqual({ ...before.tempo[1], tick: before.tempo[1].tick + 4 * 2880 });

  // Clips across the borders are cut and smoothed: every new edge fades or runs on.
  const borders = [at(17), at(17) + length];
  const alike = (c: Clip) => before.clips.some((b) => b.trackId === c.trackId && b.length === c.length && b.offset === c.offset);
  const cut = after.clips.filter((c) => borders.some((p) => c.start === p || clipEnd(c) === p) && !alike(c));
  expect(cut.length).toBeGreaterThan(3);
  for (const c of cut) {
    const bare = (borders.includes(c.start) && c.fadeIn.length === 0) || (borders.includes(clipEnd(c)) && c.fadeOut.length === 0);
    const runsOn = after.clips.some(
      (o) =>
        o.trackId === c.trackId &&
        (clipEnd(o) === c.start ? o.offset + o.length === c.offset : o.start === clipEnd(c) && c.offset + c.length === o.offset),
    );
    expect(bare && !runsOn, `${c.name} at ${c.start}`).toBe(false);
  }

  // What is heard: the same before, the section's own sound inside, the same after, but for the fades at the borders.
  const wet = await editor.heard({ start: 0, end: whole.end }, tracks);
  const edge = 400;
  const differs = (from: number, to: number, source: number): number => {
    let most = 0;
    for (let i = from; i < to; i++) most = Math.max(most, Math.abs(wet[0][i] - dry[0][i - from + source]));
    return most;
  };
  expect(differs(0, at(17) - edge, 0)).toBe(0);
  expect(differs(at(17) + edge, at(17) + length - edge, at(25) + edge)).toBe(0);
  expect(differs(at(17) + length + edge, at(37) + length, at(17) + edge)).toBe(0);

  await page.keyboard.press("Control+z");
  await expect.poll(async () => ({ ...(await editor.version()), revision: 0 })).toEqual({ ...before, revision: 0 });
});

test("scene 15's duplicating: large spans of the piece are duplicated over all tracks, one step each", async ({ page }) => {
  const demo = await aDemo("Short version");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    pull: "always",
    followsZoom: false,
    step: { kind: "bar", count: 1 },
    neighbours: "ripple",
  });
  const before = await editor.version();
  await page.keyboard.press("w");
  await editor.settle();
  await editor.drag(await editor.rulerAt(at(5)), await editor.rulerAt(at(13)));
  await page.keyboard.press("d");
  await editor.saved();
  const length = at(13) - at(5);
  const after = await editor.version();
  const touched = before.clips.filter((c) => c.start < at(13) && clipEnd(c) > at(5));
  expect(after.clips.filter((c) => c.start >= at(13) && c.start < at(13) + length).length).toBeGreaterThanOrEqual(touched.length);
  // Rippling, each track that has something there makes room for it.
  const moved = (c: Clip) => after.clips.find((a) => a.id === c.id)?.start === c.start + length;
  expect(before.clips.filter((c) => c.trackId === "shuttle" && c.start >= at(13)).every(moved)).toBe(true);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips).toEqual(before.clips);
});
