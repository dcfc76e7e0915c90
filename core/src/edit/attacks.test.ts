import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { hitsBetween } from "../model/clip/hits";
import type { Document } from "../model/document";
import { type Clip, clipEnd } from "../model/schema";
import { documentOf, plainClip } from "../testing/arbitraries";
import { applyEdit } from "./registry";

const lane = (doc: Document): readonly Clip[] => doc.lanes.get("t0")?.clips ?? [];
const clip = (doc: Document, id: string): Clip => doc.clips.get(id) as Clip;

describe("blends that keep attacks", () => {
  // Of the mono recording: hits at 0, 700, 1490, 1500, 3100 and 5200.
  it("end before the first hit of the later clip that begins within them; the earlier clip is trimmed there", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", sourceId: "stereo", length: 2000 }), plainClip({ id: "c1", start: 8000, offset: 400 })]);
    const { doc: after } = applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1600, overlap: "blend", attacks: true });
    // The hit at 700 lies 300 into the clip.
    expect(clipEnd(clip(after, "c0"))).toBe(1900);
    expect(clip(after, "c1")).toMatchObject({ start: 1600, fadeIn: { length: 300 }, blend: { with: "c0" } });
    const { doc: through } = applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1600, overlap: "blend" });
    expect(clip(through, "c1").fadeIn.length).toBe(400);
  });
  it("lie before a clip that starts at its hit, in its hidden material", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", sourceId: "stereo", length: 2000 }), plainClip({ id: "c1", start: 8000, offset: 700 })]);
    const { doc: after } = applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1600, overlap: "blend", attacks: true, blendLength: 120 });
    expect(clipEnd(clip(after, "c0"))).toBe(1600);
    expect(clip(after, "c1")).toMatchObject({ start: 1480, offset: 580, sync: 120, fadeIn: { length: 120 }, blend: { with: "c0" } });
  });
  it("are no blends where nothing is hidden before the attack: the earlier clip ends there", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", sourceId: "stereo", length: 2000 }), plainClip({ id: "c1", start: 8000 })]);
    const edgeFade = { length: 48, shape: "power" as const, bend: 0 };
    const { doc: after } = applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1600, overlap: "blend", attacks: true, edgeFade });
    expect(clipEnd(clip(after, "c0"))).toBe(1600);
    expect(clip(after, "c0").fadeOut.length).toBe(48);
    expect(clip(after, "c1")).toMatchObject({ start: 1600, offset: 0, blend: null });
  });
  it("never lie over a hit of the later clip, wherever it is dropped, and leave its attack where it was dropped", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 3500 }),
        fc.integer({ min: 0, max: 4000 }),
        fc.integer({ min: 100, max: 2000 }),
        fc.integer({ min: 1, max: 400 }),
        (to, offset, length, blendLength) => {
          const doc = documentOf(1, [
            plainClip({ id: "c0", sourceId: "stereo", length: 3000 }),
            plainClip({ id: "c1", start: 12_000, offset, length }),
          ]);
          const { doc: after } = applyEdit(doc, { type: "move", clipIds: ["c1"], to, overlap: "blend", attacks: true, blendLength, key: "drop" });
          expect(clip(after, "c1").start - clip(after, "c1").offset).toBe(to - offset);
          for (const later of lane(after))
            if (later.blend) expect(hitsBetween(doc.sources, later, later.start, later.start + later.fadeIn.length)).toEqual([]);
        },
      ),
      { numRuns: 500 },
    );
  });
});

describe("neighbours that are trimmed together", () => {
  const doc = documentOf(1, [
    plainClip({ id: "c0", offset: 500 }),
    plainClip({ id: "c1", start: 1000, offset: 2500, sourceId: "stereo" }),
    plainClip({ id: "c2", start: 2000, offset: 4000 }),
  ]);
  it("blend where they come to overlap, as with neighbours that are not selected", () => {
    const { doc: after } = applyEdit(doc, { type: "trim", clipIds: ["c2", "c0", "c1"], edge: "end", by: 200, overlap: "blend" });
    expect(lane(after).map((c) => [c.start, c.length, c.layer, c.fadeIn.length, c.fadeOut.length])).toEqual([
      [0, 1200, 0, 0, 200],
      [1000, 1200, 0, 200, 200],
      [2000, 1200, 0, 200, 0],
    ]);
  });
  it("cover one another in Cover, by the edge that was moved", () => {
    const { doc: after } = applyEdit(doc, { type: "trim", clipIds: ["c0", "c1"], edge: "end", by: 200, overlap: "cover" });
    expect(lane(after).map((c) => [c.start, c.length])).toEqual([
      [0, 1200],
      [1200, 1000],
      [2200, 800],
    ]);
  });
  it("keep overlaps that were there before", () => {
    const laid = documentOf(1, [plainClip({ id: "c0" }), plainClip({ id: "c1", start: 500, layer: 1 })]);
    const { doc: after } = applyEdit(laid, { type: "trim", clipIds: ["c0", "c1"], edge: "end", by: 100, overlap: "blend" });
    expect(lane(after).every((c) => c.blend === null)).toBe(true);
  });
});

describe("a split with a pad", () => {
  it("makes the place of the hit the sync point of each piece, if asked to", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", length: 3000 })]);
    const { doc: after } = applyEdit(doc, { type: "split", clipIds: ["c0"], at: [700, 1500], pad: 40, syncs: true });
    expect(lane(after).map((c) => [c.start, c.sync])).toEqual([
      [0, null],
      [660, 40],
      [1460, 40],
    ]);
  });
});
