import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { hitsBetween } from "../../../model/clip/hits";
import { documentFrom, NEW_PIECE } from "../../../model/document";
import { clipEnd, type SourceInfo } from "../../../model/schema";
import { plainClip, plainTrack, RATE } from "../../../testing/arbitraries";
import { applyEdit, applyEdits, type Edit } from "../../registry";

const FOUND = [
  { at: 400, strength: 1 },
  { at: 1200, strength: 0.3 },
  { at: 2500, strength: 0.7 },
  { at: 4000, strength: 0.55 },
];
const SOURCES = new Map<string, SourceInfo>([
  ["drum", { id: "drum", name: "Drum", length: 6000, channels: 1, hits: [400, 2500, 4000], found: FOUND }],
  ["old", { id: "old", name: "Old", length: 6000, channels: 1, hits: [400, 2500] }],
]);
const piece = (clip = {}) =>
  documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: ["t0"] },
      tracks: [plainTrack("t0")],
      clips: [plainClip({ id: "c", sourceId: "drum", start: 10_000, offset: 0, length: 6000, ...clip })],
      markers: [],
      sections: [],
    },
    SOURCES,
  );
type Doc = ReturnType<typeof piece>;
const hits = (doc: Doc, id = "c"): number[] => {
  const clip = doc.clips.get(id);
  if (!clip) throw new Error("no clip");
  return hitsBetween(doc.sources, clip, clip.start, clipEnd(clip));
};
const after = (doc: Doc, ...list: Edit[]): Doc => applyEdits(doc, list).doc;
const clips = { clipIds: ["c"] };

describe("hits of a clip", () => {
  it("are those whose strength is at least 1 − sensitivity", () => {
    expect(hits(piece())).toEqual([10_400, 12_500, 14_000]);
    const at = (sensitivity: number | null) => hits(after(piece(), { type: "set-sensitivity", ...clips, sensitivity }));
    expect(at(0)).toEqual([10_400]);
    expect(at(0.3)).toEqual([10_400, 12_500]);
    expect(at(0.7)).toEqual([10_400, 11_200, 12_500, 14_000]);
    expect(after(piece(), { type: "set-sensitivity", ...clips, sensitivity: 0 }, { type: "set-sensitivity", ...clips, sensitivity: null })).toEqual(
      piece(),
    );
  });
  it("of a recording without known strengths are all there at any sensitivity", () => {
    expect(hits(after(piece({ sourceId: "old" }), { type: "set-sensitivity", ...clips, sensitivity: 0 }))).toEqual([10_400, 12_500]);
  });
  it("are added, moved, taken away and as found again", () => {
    let doc = after(piece(), { type: "add-hits", ...clips, at: [13_000, 10_400] });
    expect(hits(doc)).toEqual([10_400, 12_500, 13_000, 14_000]);
    doc = after(doc, { type: "move-hit", clipId: "c", from: 12_500, to: 12_600 });
    expect(hits(doc)).toEqual([10_400, 12_600, 13_000, 14_000]);
    doc = after(doc, { type: "remove-hits", ...clips, at: [13_000, 10_400] });
    expect(hits(doc)).toEqual([12_600, 14_000]);
    // Back to where it was found, nothing is left to tell.
    expect(hits(after(doc, { type: "move-hit", clipId: "c", from: 12_600, to: 12_500 }))).toEqual([12_500, 14_000]);
    expect(after(doc, { type: "move-hit", clipId: "c", from: 12_600, to: 12_500 }).clips.get("c")?.hits).toEqual({ removed: [400] });
    expect(hits(after(doc, { type: "remove-hits", ...clips }))).toEqual([]);
    expect(after(doc, { type: "reset-hits", ...clips })).toEqual(piece());
  });
  it("cleared altogether, only what is set by hand counts, however many there were, until the sensitivity is set again", () => {
    const many = { id: "drum", name: "Drum", length: 200_000, channels: 1, hits: Array.from({ length: 5000 }, (_, i) => 30 * i) };
    const long = { ...piece({ length: 160_000 }), sources: new Map([["drum", many]]) };
    let doc = after(long, { type: "remove-hits", ...clips }, { type: "add-hits", ...clips, at: [10_030, 10_044] });
    expect(doc.clips.get("c")?.hits).toEqual({ cleared: true, added: [30, 44] });
    expect(hits(doc)).toEqual([10_030, 10_044]);
    doc = after(doc, { type: "set-sensitivity", ...clips, sensitivity: 0.5 });
    expect(hits(doc)).toHaveLength(5001);
  });
  it("taken away, and set by hand after the sensitivity was lowered, are there", () => {
    const doc = after(
      piece(),
      { type: "remove-hits", ...clips, at: [14_000] },
      { type: "set-sensitivity", ...clips, sensitivity: 0.2 },
      { type: "add-hits", ...clips, at: [14_000] },
    );
    expect(hits(doc)).toEqual([10_400, 14_000]);
  });
  it("that are not there, or lie outside, are refused in words", () => {
    const refused = (edit: Edit) => () => after(piece(), edit);
    expect(refused({ type: "move-hit", clipId: "c", from: 12_501, to: 13_000 })).toThrow("There is no hit at that place.");
    expect(refused({ type: "move-hit", clipId: "c", from: 12_500, to: 16_000 })).toThrow("A hit stays within its clip.");
    expect(refused({ type: "move-hit", clipId: "c", from: 12_500, to: 14_000 })).toThrow("There is a hit there already.");
    expect(refused({ type: "add-hits", ...clips, at: [9000] })).toThrow("none of the clips plays there");
    expect(refused({ type: "remove-hits", ...clips, at: [11_000] })).toThrow("no hit to take away");
  });
  it("stay with the sound through splits, trims and moves, and turn and stretch with it", () => {
    let doc = after(piece(), { type: "add-hits", ...clips, at: [13_000] }, { type: "remove-hits", ...clips, at: [12_500] });
    const before = hits(doc);
    doc = after(doc, { type: "split", ...clips, at: 12_000, key: "cut0" });
    expect([...doc.clips.values()].flatMap((c) => hits(doc, c.id)).sort((a, b) => a - b)).toEqual(before);
    const turned = after(piece({ length: 6000 }), { type: "add-hits", ...clips, at: [13_000] }, { type: "reverse", ...clips });
    expect(hits(turned)).toEqual([4000, 3000, 2500, 400].map((at) => 10_000 + 5999 - at));
    expect(hits(after(turned, { type: "move-hit", clipId: "c", from: 12_999, to: 13_100 }))).toContain(13_100);
    expect(hits(after(turned, { type: "reverse", ...clips }))).toEqual([10_400, 12_500, 13_000, 14_000]);
    const long = after(piece(), { type: "add-hits", ...clips, at: [13_000] }, { type: "stretch", ...clips, length: 12_000, kind: "tape" });
    expect(hits(long)).toEqual([10_800, 15_000, 16_000, 18_000]);
    const moved = after(long, { type: "move-hit", clipId: "c", from: 16_000, to: 16_400 });
    expect(hits(moved)).toContain(16_400);
  });
  it("edited by hand anyhow: in order, each once, within the clip, and undone exactly", () => {
    const place = fc.integer({ min: 9990, max: 16_010 });
    const one = fc.oneof(
      fc.record({ type: fc.constant("set-sensitivity"), clipIds: fc.constant(["c"]), sensitivity: fc.constantFrom(0, 0.2, 0.5, 0.8, 1, null) }),
      fc.record({ type: fc.constant("add-hits"), clipIds: fc.constant(["c"]), at: fc.array(place, { minLength: 1, maxLength: 3 }) }),
      fc.record({ type: fc.constant("move-hit"), clipId: fc.constant("c"), from: fc.constantFrom(10_400, 12_500, 14_000), to: place }),
      fc.record({ type: fc.constant("remove-hits"), clipIds: fc.constant(["c"]), at: fc.constantFrom([10_400], [12_500, 14_000], undefined) }),
      fc.record({ type: fc.constant("reset-hits"), clipIds: fc.constant(["c"]) }),
    );
    fc.assert(
      fc.property(fc.array(one, { maxLength: 12 }), (list) => {
        let doc = piece();
        for (const edit of list) {
          try {
            const next = applyEdit(doc, edit as Edit);
            doc = next.doc;
          } catch {
            continue;
          }
          const clip = doc.clips.get("c");
          const now = clip ? hitsBetween(doc.sources, clip, clip.start, clipEnd(clip)) : [];
          expect(now).toEqual([...new Set(now)].sort((a, b) => a - b));
          if (edit.type === "add-hits") for (const at of edit.at) if (at >= 10_000 && at < 16_000) expect(now).toContain(at);
          if (edit.type === "move-hit") expect(now).toContain(edit.to);
          if (edit.type === "remove-hits" && !edit.at) expect(now).toEqual([]);
        }
      }),
    );
  });
});
