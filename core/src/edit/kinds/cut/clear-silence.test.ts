import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Interval } from "../../../analysis/silence";
import type { Document } from "../../../model/document";
import { clipEnd } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { documentOf, PCM, plainClip } from "../../../testing/arbitraries";
import { applyEdit } from "../../registry";

const END = 9000;
function played(doc: Document): Float32Array {
  const [left, right] = [new Float32Array(END), new Float32Array(END)];
  new Renderer(doc, new MemoryReader(PCM)).render(0, END, left, right);
  return left;
}

const piece = documentOf(2, [
  plainClip({ id: "c0", start: 500, length: 4000, offset: 100, fadeIn: { length: 900, shape: "s", bend: 0.3 }, gain: -3 }),
  plainClip({ id: "c1", start: 5000, length: 2000, offset: 50 }),
]);
const stretches = fc.array(fc.tuple(fc.integer({ min: 1, max: 800 }), fc.integer({ min: 1, max: 900 })), { maxLength: 5 }).map((list) => {
  let end = 300;
  return list.map(([gap, length]): Interval => {
    const from = end + gap;
    end = from + length;
    return [from, end];
  });
});

const within = (keep: readonly Interval[], sample: number): boolean => keep.some(([a, b]) => a <= sample && sample < b);
const clear = (doc: Document, keep: Record<string, readonly Interval[]>, more: object = {}) =>
  applyEdit(doc, { type: "clear-silence", clipIds: Object.keys(keep), keep, key: "hush", ...more }).doc;

describe("clearing silence", () => {
  it("leaves every sample in the stretches as it was, silence elsewhere, and other clips alone", () => {
    const before = played(piece);
    fc.assert(
      fc.property(stretches, (keep) => {
        const after = played(clear(piece, { c0: keep }));
        const wrong = after.findIndex((x, s) => x !== (s >= 500 && s < 4500 && !within(keep, s) ? 0 : before[s]));
        expect(wrong).toBe(-1);
      }),
    );
  });
  it("gives each end that it makes the fade of new edges", () => {
    const doc = clear(piece, { c1: [[5200, 6000]] }, { edgeFade: { length: 96, shape: "power", bend: 0 } });
    expect(doc.clips.get("c1")).toBeUndefined();
    expect([...doc.clips.values()].filter((c) => c.start === 5200).map((c) => [c.length, c.fadeIn.length, c.fadeOut.length])).toEqual([
      [800, 96, 96],
    ]);
  });
  it("closes up over what it takes away, rippling, so that the sounds follow each other", () => {
    fc.assert(
      fc.property(stretches, (keep) => {
        const doc = clear(piece, { c0: keep }, { neighbours: "ripple" });
        const kept = keep.map(([a, b]) => Math.max(0, Math.min(b, 4500) - Math.max(a, 500))).reduce((sum, n) => sum + n, 0);
        expect(doc.clips.get("c1")?.start).toBe(5000 - (4000 - kept));
        const parts = (doc.lanes.get("t0")?.clips ?? []).filter((c) => c.id !== "c1");
        expect(parts.reduce((sum, c) => sum + c.length, 0)).toBe(kept);
        for (const [i, c] of parts.entries()) expect(c.start).toBe(i === 0 ? 500 : clipEnd(parts[i - 1]));
      }),
    );
  });
  it("on a linked track keeps the same stretches, so that microphones stay together", () => {
    const two = documentOf(2, [...piece.clips.values(), plainClip({ id: "c2", trackId: "t1", start: 500, length: 4000, offset: 700 })]);
    const linked = applyEdit(two, { type: "set-track", trackIds: ["t0", "t1"], link: "choir" }).doc;
    const doc = clear(linked, {
      c0: [
        [1000, 1500],
        [2500, 3500],
      ],
    });
    const spans = (id: string) =>
      doc.lanes
        .get(id)
        ?.clips.filter((c) => c.start < 4500)
        .map((c) => [c.start, clipEnd(c)]);
    expect(spans("t1")).toEqual([
      [1000, 1500],
      [2500, 3500],
    ]);
    expect(spans("t0")).toEqual(spans("t1"));
  });
  it("keeps blends whole, and says so when there is nothing to clear or nothing said", () => {
    const blended = applyEdit(piece, { type: "trim", clipIds: ["c0"], edge: "end", to: 5000 }).doc;
    const joined = applyEdit(blended, { type: "set-blend", clipId: "c1", length: 400, place: "before" }).doc;
    const doc = clear(joined, { c0: [[1000, 2000]] });
    const tail = [...doc.clips.values()].find((c) => c.id === doc.clips.get("c1")?.blend?.with);
    expect(tail && clipEnd(tail)).toBe(clipEnd(joined.clips.get("c0") as never));
    expect(tail?.length).toBe((tail?.fadeOut.length ?? 0) + 1);
    expect(() => clear(piece, { c0: [[0, 9000]] })).toThrow("no silence");
    expect(() => applyEdit(piece, { type: "clear-silence", clipIds: ["c0", "c1"], keep: { c0: [] } })).toThrow("keep");
  });
});
