import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { hitsBetween } from "../../../model/clip/hits";
import { type Document, dataOf } from "../../../model/document";
import type { Clip } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { documentOf, documents, PCM, plainClip, sameSamples } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit, applyEdits } from "../../registry";

function play(doc: Document, count = 4000): [Float32Array, Float32Array] {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  new Renderer(doc, new MemoryReader(PCM)).render(0, count, left, right);
  return [left, right];
}
const clip = (doc: Document, id = "c0"): Clip => doc.clips.get(id) as Clip;
const back = (doc: Document, ...clipIds: string[]): Document => applyEdit(doc, { type: "reverse", clipIds, key: "back" }).doc;

describe("reverse", () => {
  const doc = documentOf(1, [plainClip({ id: "c0", start: 200, offset: 700, length: 1800, sync: 300 })]);
  it("plays a clip's own window backwards where it lies", () => {
    const [was, now] = [play(doc)[0], play(back(doc, "c0"))[0]];
    for (let i = 0; i < 1800; i++) expect(now[200 + i]).toBe(was[1999 - i]);
    expect(clip(back(doc, "c0"))).toMatchObject({ start: 200, length: 1800, sync: 1499, offset: 3500, recipe: { reverse: true } });
  });
  it("twice is the clip as it was, whatever it carries", () => {
    fc.assert(
      fc.property(documents, (start) => {
        const ids = [...start.clips.values()].map((c) => c.id);
        const drawn = applyEdit(start, {
          type: "set-envelope",
          clipIds: ids,
          points: [
            { at: 5, value: -3, hold: true },
            { at: 900, value: 6 },
          ],
        }).doc;
        expect(dataOf(back(back(drawn, ...ids), ...ids))).toEqual(dataOf(drawn));
      }),
      { numRuns: 100 },
    );
  });
  it("turns envelopes with the sound, fades stay at their sides", () => {
    const drawn = applyEdits(doc, [
      {
        type: "set-envelope",
        clipIds: ["c0"],
        points: [
          { at: 900, value: 0 },
          { at: 1600, value: -24, hold: true },
          { at: 2100, value: -6 },
        ],
      },
    ]).doc;
    const [was, now] = [play(drawn)[0], play(back(drawn, "c0"))[0]];
    for (let i = 0; i < 1800; i++) expect(now[200 + i]).toBe(was[1999 - i]);
    const faded = applyEdit(drawn, { type: "set-fade", clipIds: ["c0"], edge: "in", length: 400 }).doc;
    expect(clip(back(faded, "c0")).fadeIn.length).toBe(400);
  });
  it("is trimmed, pulled out and cut like any clip, its hits where their samples went", () => {
    const turned = back(doc, "c0");
    const longer = applyEdit(turned, { type: "trim", clipIds: ["c0"], edge: "end", by: 700 }).doc;
    // There are 700 samples before the window in the recording: backwards they come after it.
    expect(play(longer)[0][200 + 2499]).toBe((PCM.get("mono") as Float32Array[])[0][0]);
    expect(() => applyEdit(turned, { type: "trim", clipIds: ["c0"], edge: "end", by: 701 })).toThrow(EditError);
    // The recording has hits at 700, 1490 and 1500.
    expect(hitsBetween(doc.sources, clip(turned), 200, 2000)).toEqual([200 + 1799 - 800, 200 + 1799 - 790, 200 + 1799]);
    const cut = applyEdit(turned, { type: "split", clipIds: ["c0"], at: [500, 1100, 1101] }).doc;
    expect(play(cut).every((side, i) => sameSamples(side, play(turned)[i]))).toBe(true);
  });
  it("of a range turns all of it round, across the borders of clips", () => {
    const two = documentOf(1, [
      plainClip({ id: "c0", start: 100, length: 900 }),
      plainClip({ id: "c1", start: 1400, offset: 2000, length: 900, fadeIn: { length: 200, shape: "s", bend: 0 } }),
    ]);
    const after = applyEdit(two, { type: "reverse-range", start: 500, end: 2000, trackIds: ["t0"], key: "back" }).doc;
    const [was, now] = [play(two)[0], play(after)[0]];
    expect(sameSamples(now.subarray(0, 500), was.subarray(0, 500))).toBe(true);
    expect(sameSamples(now.subarray(2000), was.subarray(2000))).toBe(true);
    for (let i = 500; i < 2000; i++) expect(now[i]).toBeCloseTo(was[2499 - i], 6);
    expect(after.clips.size).toBe(4);
  });
});
