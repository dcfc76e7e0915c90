import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../../model/document";
import { type Clip, clipEnd } from "../../../model/schema";
import { documentOf, documents, plainClip } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit, type Edit } from "../../registry";

const lane = (doc: Document, id = "t0"): readonly Clip[] => doc.lanes.get(id)?.clips ?? [];
const run = (doc: Document, edit: Partial<Edit>) => applyEdit(doc, { type: "close-gaps", key: "gaps", ...edit });

describe("closing gaps", () => {
  // 500 samples apart; the mono recording has hits at 700, 1490 and 1500.
  const two = documentOf(1, [plainClip({ id: "c0", offset: 1000 }), plainClip({ id: "c1", start: 1500, offset: 3500 })]);
  it("pulls the earlier clip out to the later one and blends there, the later one staying where it is", () => {
    const { doc } = run(two, { clipIds: ["c0", "c1"], blendLength: 100 });
    const [left, right] = lane(doc);
    expect(right.blend).toMatchObject({ with: "c0", splice: 1500 });
    expect([right.start, clipEnd(left)]).toEqual([1450, 1550]);
    // Both play what they played where they played it.
    expect([left.offset, right.offset + 50]).toEqual([1000, 3500]);
  });
  it("leaves a join of one recording that runs on without a fade", () => {
    const doc = documentOf(1, [
      plainClip({ id: "c0", fadeOut: { length: 90, shape: "power", bend: 0 } }),
      plainClip({ id: "c1", start: 1500, offset: 1500, fadeIn: { length: 90, shape: "power", bend: 0 } }),
    ]);
    const [left, right] = lane(run(doc, { trackIds: ["t0"] }).doc);
    expect([left.length, left.fadeOut.length, right.start, right.fadeIn.length, right.blend]).toEqual([1500, 0, 1500, 0, null]);
  });
  it("keeps the attack of the later clip: the blend ends where its hit begins", () => {
    const doc = documentOf(1, [plainClip({ id: "c0" }), plainClip({ id: "c1", start: 1500, offset: 1470 })]);
    const [left, right] = lane(run(doc, { trackIds: ["t0"], blendLength: 200, attacks: true }).doc);
    expect(clipEnd(left)).toBe(1520);
    expect(right.start + right.fadeIn.length).toBe(1520);
    expect(right.fadeIn.length).toBe(200);
  });
  it("pulls out the later one too where the earlier has no more, and says what is left", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", offset: 4900, length: 1000 }), plainClip({ id: "c1", start: 2000, offset: 300 })]);
    const { doc: after, notes } = run(doc, { trackIds: ["t0"] });
    expect(lane(after).map((c) => [c.start, clipEnd(c)])).toEqual([
      [0, 1100],
      [1700, 3000],
    ]);
    expect(notes.join()).toMatch(/no more there; 12.5 ms are left/);
  });
  it("moves what is earlier later, up to what stays: the last clip and all behind it", () => {
    const doc = documentOf(2, [
      plainClip({ id: "c0" }),
      plainClip({ id: "c1", start: 1500 }),
      plainClip({ id: "c2", start: 2600 }),
      plainClip({ id: "c3", start: 9000 }),
      plainClip({ id: "c4", trackId: "t1", start: 200 }),
    ]);
    const { doc: after } = run(doc, { trackIds: ["t0"], how: "move-before", longest: 800, blendLength: 1 });
    expect(lane(after).map((c) => c.start)).toEqual([600, 1600, 2600, 9000]);
    expect(lane(after, "t1")[0].start).toBe(200);
    // Of the clips that are named, only what lies between them closes; with the reach over all, markers go along.
    const marked = applyEdit(doc, { type: "add-marker", id: "m", position: 700, key: "mark" }).doc;
    const all = run(marked, { clipIds: ["c1", "c2"], how: "move-before", reach: "all" }).doc;
    expect(lane(all).map((c) => c.start)).toEqual([100, 1600, 2600, 9000]);
    expect([lane(all, "t1")[0].start, all.markers.get("m")?.position]).toEqual([300, 800]);
  });
  it("moves what is later up, all that follows alike, but leaves gaps that are longer", () => {
    const doc = documentOf(2, [
      plainClip({ id: "c0" }),
      plainClip({ id: "c1", start: 1500 }),
      plainClip({ id: "c2", start: 2600 }),
      plainClip({ id: "c3", start: 9000 }),
      plainClip({ id: "c4", start: 9000, trackId: "t1" }),
    ]);
    const { doc: after } = run(doc, { trackIds: ["t0"], how: "move", longest: 800, blendLength: 1 });
    expect(lane(after).map((c) => c.start)).toEqual([0, 1000, 2000, 8400]);
    expect(lane(after, "t1")[0].start).toBe(9000);
    const all = run(doc, { trackIds: ["t0"], how: "move", longest: 800, reach: "all" }).doc;
    expect(lane(all, "t1")[0].start).toBe(8400);
  });
  it("is refused in words where there is no gap", () => {
    expect(() => run(two, { trackIds: ["t0"], longest: 10 })).toThrow(/no gaps/);
    expect(() => run(two, {})).toThrow(EditError);
  });
  it("moves nothing but what follows, changes nothing before the first gap, and pulls no edge past its recording", () => {
    fc.assert(
      fc.property(documents, fc.constantFrom("pull", "move"), (doc, how) => {
        let done: ReturnType<typeof run>;
        try {
          done = run(doc, { trackIds: ["t0"], how });
        } catch (error) {
          expect(error).toBeInstanceOf(EditError);
          return;
        }
        for (const clip of lane(done.doc)) {
          const was = doc.clips.get(clip.id) as Clip;
          // The sound of a clip lies where it lay, but for those that moved up.
          const by = clip.start - clip.offset - (was.start - was.offset);
          expect(how === "pull" ? by === 0 : by <= 0).toBe(true);
          expect(clip.offset + clip.length).toBeLessThanOrEqual(doc.sources.get(clip.sourceId)?.length ?? 0);
        }
        for (const id of ["t1", "t2"]) expect(lane(done.doc, id)).toEqual(lane(doc, id));
      }),
      { numRuns: 300 },
    );
  });
});
