import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../../model/document";
import type { Lane } from "../../../model/index/lane";
import { problems } from "../../../model/invariants";
import { clipEnd } from "../../../model/schema";
import { heardOf } from "../../../render/heard";
import { MemoryReader } from "../../../render/reader";
import { quietEdges } from "../../../seam/measure";
import { allSeams, classify } from "../../../seam/seams";
import { documentOf, documents, PCM, plainClip } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit } from "../../registry";

const reader = new MemoryReader(PCM);
const raw = (doc: Document) => allSeams(doc).filter((s) => classify(s, doc.sampleRate, quietEdges(doc, reader)) === "raw");
const named = (doc: Document) => raw(doc).map((s) => ({ left: s.left?.id ?? null, right: s.right?.id ?? null, position: s.position }));
const smooth = (doc: Document, more: object = {}) => applyEdit(doc, { type: "smooth", seams: named(doc), length: 96, key: "silk", ...more }).doc;

describe("smoothing", () => {
  it("blends where both sides have material, and fades where one has none", () => {
    const doc = documentOf(1, [
      plainClip({ id: "a", start: 0, length: 1000, offset: 0 }),
      plainClip({ id: "b", start: 1000, length: 1000, offset: 3000 }),
      plainClip({ id: "c", start: 2000, length: 1000, offset: 0 }),
    ]);
    const after = smooth(doc);
    expect(after.clips.get("b")).toMatchObject({
      start: 952,
      blend: { with: "a", law: "auto", place: "centred", splice: 1000 },
      fadeIn: { length: 96 },
    });
    // Before c its recording begins: nothing to blend with.
    expect([after.clips.get("b")?.fadeOut.length, after.clips.get("c")?.fadeIn.length, after.clips.get("c")?.blend]).toEqual([96, 96, null]);
    expect(raw(after)).toEqual([]);
    expect(smooth(doc, { how: "fades" }).clips.get("b")?.blend).toBeNull();
  });
  it("puts away what is hidden under a layer, and blends both its ends into it", () => {
    const doc = documentOf(1, [
      plainClip({ id: "a", length: 4000, offset: 500 }),
      plainClip({ id: "b", sourceId: "stereo", start: 1500, length: 1000, offset: 2000, layer: 1 }),
    ]);
    const after = smooth(doc);
    const lane = after.lanes.get("t0")?.clips.map((c) => [c.start, clipEnd(c), c.blend?.with ?? null]);
    expect(lane).toEqual([
      [0, 1548, null],
      [1452, 2548, "a"],
      [2452, 4000, "b"],
    ]);
    expect(raw(after)).toEqual([]);
  });
  it("lets nothing be heard that lay hidden between the layers of two clips that it blends", () => {
    const doc = documentOf(1, [
      plainClip({ id: "a", start: 0, length: 1500, offset: 0 }),
      plainClip({ id: "top", start: 500, length: 2000, offset: 100, layer: 2 }),
      plainClip({ id: "hidden", start: 1800, length: 700, offset: 0, layer: 1 }),
    ]);
    const after = smooth(doc);
    expect(after.clips.get("top")).toMatchObject({ blend: { with: "a" } });
    expect(raw(after)).toEqual([]);
    expect(heardOf(after.lanes.get("t0") as Lane).some((h) => h.clip.id === "hidden")).toBe(false);
  });
  it("leaves no raw seam wherever the clips are long enough for it, whatever the piece", () => {
    fc.assert(
      fc.property(documents, (doc) => {
        if (raw(doc).length === 0) return;
        let after: Document;
        try {
          after = smooth(doc);
        } catch (error) {
          expect(error).toBeInstanceOf(EditError);
          return;
        }
        expect(problems(after)).toEqual([]);
        for (const seam of raw(after)) {
          // A clip that is short, or full of its other fade, has no room for this one.
          const room = (c: { length: number } | null, other: number): boolean => c === null || c.length - other >= 96;
          const short =
            !room(seam.left, seam.left?.fadeIn.length ?? 0) ||
            !room(seam.right, seam.right?.fadeOut.length ?? 0) ||
            [seam.left, seam.right].some((c) => c !== null && c.length < 400);
          const muted = [...(after.lanes.get(seam.trackId)?.clips ?? [])].some((c) => c.mute);
          const piled = (after.lanes.get(seam.trackId)?.within(seam.position - 200, seam.position + 200) ?? []).length > 2;
          expect(short || muted || piled, JSON.stringify([seam.position, seam.left, seam.right])).toBe(true);
        }
      }),
      { numRuns: 300 },
    );
  });
});
