import { describe, expect, it } from "vitest";
import { applyChanges, type Document, dataOf, invertChanges } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { clipEnd } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { documentOf, PCM, plainClip } from "../../../testing/arbitraries";
import { applyEdits } from "../../registry";

const stage = () => documentOf(2, [plainClip({ id: "loom", start: 0, length: 4000, offset: 300, gain: -6 })]);
const lay = (doc: Document, notes: object[]) => applyEdits(doc, [{ type: "lay-slices", trackId: "t1", notes, overlap: "cover", key: "kit1" }]);
const laid = (doc: Document) => doc.lanes.get("t1")?.clips ?? [];
const slice = (start: number, end: number, more: object = {}) => ({ clipId: "loom", start, end, ...more });

function sound(doc: Document, track: string, from: number, count: number): Float32Array {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  new Renderer(doc, new MemoryReader(PCM), { tracks: new Set([track]) }).render(from, count, left, right);
  return left;
}

describe("notes taken down", () => {
  it("begin where they were struck, last until the next, and sound as the slice does", () => {
    const { doc } = lay(stage(), [
      { at: 6000, slice: slice(1000, 1800) },
      { at: 5000, slice: slice(2000, 2500) },
      { at: 6500, slice: slice(1000, 1800) },
    ]);
    expect(laid(doc).map((c) => [c.start, c.offset, c.length])).toEqual([
      [5000, 2300, 500],
      [6000, 1300, 500],
      [6500, 1300, 800],
    ]);
    expect(sound(doc, "t1", 5000, 500)).toEqual(sound(doc, "t0", 2000, 500));
    expect(sound(doc, "t1", 6500, 800)).toEqual(sound(doc, "t0", 1000, 800));
  });

  it("are turned round to the sample, softer, and as long as tape makes them", () => {
    const { doc } = lay(stage(), [
      { at: 5000, slice: slice(1000, 1800, { reverse: true }) },
      { at: 7000, slice: slice(1000, 1800, { gain: -4 }), gain: -2 },
      { at: 8000, slice: slice(1000, 1800, { cents: 1200 }) },
    ]);
    expect(sound(doc, "t1", 5000, 800)).toEqual(sound(doc, "t0", 1000, 800).reverse());
    const [, soft, high] = laid(doc);
    expect(soft.gain).toBe(-12);
    expect([high.start, high.length]).toEqual([8000, 400]);
    expect(high.recipe?.stretch).toMatchObject({ kind: "tape", from: 2, to: 1 });
  });

  it("of one moment only the last counts; undo brings back what was there, and what is gone is said", () => {
    const before = applyEdits(stage(), [{ type: "add-clip", id: "old", trackId: "t1", sourceId: "mono", start: 5200, length: 3000 }]).doc;
    const result = lay(before, [
      { at: 6000, slice: slice(1000, 1800) },
      { at: 6000, slice: slice(2000, 2300) },
    ]);
    expect(problems(result.doc)).toEqual([]);
    expect(laid(result.doc).map((c) => [c.start, clipEnd(c)])).toEqual([
      [5200, 6000],
      [6000, 6300],
      [6300, 8200],
    ]);
    expect(dataOf(applyChanges(result.doc, invertChanges(result.changes)))).toEqual(dataOf(before));
    expect(() => lay(stage(), [{ at: 0, slice: slice(3000, 4001) }])).toThrow(/no longer covers/);
    expect(() => lay(stage(), [{ at: 0, slice: { ...slice(0, 10), clipId: "gone" } }])).toThrow(/not there/);
  });
});
