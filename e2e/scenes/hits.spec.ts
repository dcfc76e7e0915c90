import type { Clip } from "@wet-thread/core/model/schema";
import { addSource, api, newProject, noise, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;

test("scene 17, its first half: the hits of a loom read off, the sensitivity down, one added, one moved to its attack, taken away, and all as found", async ({
  page,
}) => {
  const demo = await aDemo("Hits");
  const editor = await EditorPage.open(page, demo, { snapOn: false, followsZoom: false, step: { kind: "note", division: 16, feel: "straight" } });
  const [bed] = (await editor.lane("treadle")) as [Clip];
  const { hits, transients } = (await api("GET", `/api/sources/${bed.sourceId}`)).body as {
    hits: { at: number; strength: number }[];
    transients: number[];
  };
  const inside = (at: number): boolean => at >= bed.offset && at < bed.offset + bed.length;
  const sure = transients.filter(inside);
  expect(hits.filter((h) => h.strength >= 0.5).map((h) => h.at)).toEqual(transients);
  await editor.show(bed.start, bed.start + 6 * RATE);
  await editor.select(bed.id);
  await editor.openPart("Hits");
  const part = page.getByRole("region", { name: "Hits" });
  const count = part.getByTestId("hit-count");
  await expect(count).toHaveText(`${sure.length} hits`);

  // Each hit and how far it is from its line.
  await part.getByRole("button", { name: "draw on the cloth" }).click();
  await part.getByText("Each hit and its line").click();
  await expect(part.getByRole("row")).toHaveCount(sure.length + 1);
  await expect(part.getByRole("row").nth(2)).toContainText(/[+−]\d+\.\d/);

  // By key on the slider: fewer hits with each step, told while it moves and kept in the version.
  const slider = part.getByRole("slider", { name: "Sensitivity" });
  await slider.press("Home");
  await editor.saved();
  expect((await editor.clip(bed.id)).hits).toEqual({ sensitivity: 0 });
  await expect(count).toHaveText(/^\d hits?$/);
  await page.keyboard.press("Control+z");
  await editor.saved();
  await expect(count).toHaveText(`${sure.length} hits`);

  // A hit by hand between two, off any attack while the grid key is held; then dragged to the attack after it.
  const [first, second] = sure;
  const place = bed.start + Math.round((first + second) / 2) - bed.offset;
  await page.keyboard.down("g");
  const ruler = await editor.rulerAt(place);
  await page.mouse.click(ruler.x, ruler.y);
  await part.getByRole("button", { name: "Add" }).click();
  await page.keyboard.up("g");
  await editor.saved();
  const added = (await editor.clip(bed.id)).hits?.added?.[0] ?? 0;
  expect(Math.abs(added - (first + second) / 2)).toBeLessThan((await editor.samplesPerPixel()) + 1);
  await expect(count).toHaveText(`${sure.length + 1} hits, 1 by hand`);

  // By its foot, to 5 ms before the second hit's attack: that one is taken away first, and the hand's is drawn to it.
  const lane = await editor.at(bed.start, "treadle", 0);
  const height = (await editor.version()).tracks.find((t) => t.id === "treadle")?.height ?? 0;
  const foot = (sample: number) => editor.at(bed.start + sample - bed.offset, "treadle", height - 20);
  expect(lane.y).toBeGreaterThan(0);
  const gone = await foot(second);
  await page.mouse.dblclick(gone.x, gone.y);
  await editor.saved();
  expect((await editor.clip(bed.id)).hits?.removed).toEqual([second]);
  await editor.drag(await foot(added), await foot(second - RATE / 200));
  await editor.saved();
  // Back where one was found: nothing by hand is left of either.
  expect((await editor.clip(bed.id)).hits).toBeUndefined();
  await expect(count).toHaveText(`${sure.length} hits`);

  // None at all: nothing to split at or to tighten, in words; and all as found by one step back.
  await part.getByRole("button", { name: "Clear all" }).click();
  await editor.saved();
  await expect(count).toContainText("0 hits");
  await expect(part.getByText("All were cleared: add them by hand, or set the sensitivity again.")).toBeVisible();
  await part.getByRole("button", { name: "As found" }).click();
  await editor.saved();
  expect((await editor.clip(bed.id)).hits).toBeUndefined();
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Control+z");
  await editor.saved();
  await expect(count).toHaveText(`${sure.length} hits`);
});

/** A file with a mark in it: a `cue ` chunk behind its samples. */
function marked(file: Uint8Array<ArrayBuffer>, position: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(file.length + 36);
  out.set(file);
  const view = new DataView(out.buffer, file.length);
  const text = (at: number, letters: string): void => [...letters].forEach((c, i) => void view.setUint8(at + i, c.charCodeAt(0)));
  text(0, "cue ");
  // Its length, one point, number 1, at a frame, of the samples' own chunk.
  for (const [at, value] of [
    [4, 28],
    [8, 1],
    [12, 1],
    [16, position],
    [32, position],
  ])
    view.setUint32(at, value, true);
  text(20, "data");
  new DataView(out.buffer).setUint32(4, out.length - 8, true);
  return out;
}

test("by key and by ear: the range's end goes from hit to hit, only attacks are heard, and a file's marks become hits", { tag: "@alone" }, async ({
  page,
}) => {
  const made = await newProject();
  const ringing = noise(96_000, 5).map((v, i) => (i < 12_000 ? 0 : v * 0.5 * Math.exp(-((i - 12_000) % 28_000) / 8000)));
  const source = await addSource(made.projectId, marked(wavFile([ringing]), 18_000), "Struck.wav");
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t1", name: "Struck" },
      { type: "add-clip", id: "c", trackId: "t1", sourceId: source.id, start: 0, offset: 0, length: 96_000 },
    ],
  });
  const editor = await EditorPage.open(page, made, { snapOn: false });
  const { transients, marks } = (await api("GET", `/api/sources/${source.id}`)).body as { transients: number[]; marks: { position: number }[] };
  expect(marks.map((m) => m.position)).toEqual([18_000]);
  expect(transients).toEqual([12_000, 40_000, 68_000]);

  // From the playhead to the first hit and on to the second, and back to the first: what the range holds becomes a section.
  await editor.chooseTrack("Struck");
  await page.keyboard.press("Home");
  for (const key of ["Control+]", "Control+]", "Control+[", "Shift+m"]) await page.keyboard.press(key);
  await editor.saved();
  expect((await editor.version()).sections.map((s) => [s.start, s.end])).toEqual([[0, transients[0]]]);
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Escape");

  await editor.select("c");
  await editor.openPart("Hits");
  const part = page.getByRole("region", { name: "Hits" });
  await part.getByRole("button", { name: "Hear only the attacks" }).click();
  await expect(page.getByRole("button", { name: "attacks only" })).toBeVisible();
  await page.keyboard.press("Home");
  const attacks = await listen(page, 1);
  const loudest = (list: readonly number[]): number => list.reduce((most, v) => Math.max(most, Math.abs(v)), 0);
  expect(loudest(attacks.slice(12_000, 12_400))).toBeGreaterThan(0.1);
  expect(loudest(attacks.slice(16_000, 39_000))).toBe(0);
  await page.getByRole("button", { name: "attacks only" }).click();
  await page.keyboard.press("Home");
  expect(loudest((await listen(page, 1)).slice(16_000, 39_000))).toBeGreaterThan(0.05);

  await page.getByRole("tab", { name: "Sources" }).click();
  await page.getByRole("button", { name: "as hits" }).click();
  await editor.saved();
  expect((await editor.clip("c")).hits).toEqual({ added: [18_000] });
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.clip("c")).hits).toBeUndefined();
});
