import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyChanges, type Document, dataOf } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { type Bundle, type Clip, clipEnd } from "../../../model/schema";
import { Renderer } from "../../../render/renderer";
import { documentOf, PCM, plainClip } from "../../../testing/arbitraries";
import { edits as anyEdits } from "../../../testing/edits";
import { EditError } from "../../errors";
import { applyEdits, type Edit } from "../../registry";
import { picksOf } from "../../takes/lanes";

const run = (doc: Document, ...edits: Edit[]) => applyEdits(doc, edits).doc;
/** Three takes over each other, the third as two clips with a pause between. */
const takes = () =>
  documentOf(2, [
    plainClip({ id: "one", start: 1000, length: 4000, offset: 500 }),
    plainClip({ id: "two", start: 2000, length: 4000, offset: 1000, layer: 1, sourceId: "stereo" }),
    plainClip({ id: "three", start: 1500, length: 1500, offset: 3000, layer: 2, sourceId: "stereo" }),
    plainClip({ id: "four", start: 4000, length: 1000, offset: 6000, layer: 2, sourceId: "stereo" }),
  ]);
const stacked = (border = 0) => run(takes(), { type: "stack-takes", id: "stack", clipIds: ["one", "two", "three", "four"], border, key: "take" });
const stackIn = (doc: Document): Bundle => doc.bundles.get("stack") as Bundle;
const lanesIn = (doc: Document): string[] => (stackIn(doc).takes ?? []).map((l) => l.id);
/** Picks as lane number, start and end, at their splices. */
const spans = (doc: Document) =>
  picksOf(doc, stackIn(doc)).map((c) => {
    const follower = picksOf(doc, stackIn(doc)).find((x) => x.blend?.with === c.id);
    return [lanesIn(doc).indexOf(c.take as string), c.blend?.splice ?? c.start, follower?.blend?.splice ?? clipEnd(c)];
  });

function sound(doc: Document): Float32Array[] {
  const out = [new Float32Array(8000), new Float32Array(8000)];
  new Renderer(doc, {
    read: (id: string, channel: number, from: number, into: Float32Array, at: number, n: number) => {
      const x = PCM.get(id)?.[channel];
      if (!x) return false;
      for (let i = 0; i < n; i++) into[at + i] = x[from + i] ?? 0;
      return true;
    },
  } as never).render(0, 8000, out[0], out[1]);
  return out;
}

describe("a take stack", () => {
  it("leaves no sliver of another pick that is shorter than its blends, wherever a sweep begins and ends", () => {
    const whole = stacked(200);
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(2), fc.integer({ min: 900, max: 6000 }), fc.integer({ min: 1, max: 3000 })), { minLength: 1, maxLength: 6 }),
        (sweeps) => {
          let doc = whole;
          for (const [lane, start, length] of sweeps) {
            const before = new Set(spans(doc).map(String));
            try {
              doc = run(doc, { type: "pick", bundleId: "stack", laneId: lanesIn(doc)[lane], start, end: start + length, border: 200 });
            } catch (error) {
              // The lane has no sound there.
              if (!(error instanceof EditError)) throw error;
              continue;
            }
            // What was swept may be as short as somebody likes; what is left of another pick beside it is not.
            for (const [of, from, to] of spans(doc)) {
              if (to - from >= 200 || before.has(String([of, from, to])) || of === lane) continue;
              const [cutLeft, cutRight] = [from === start + length, to === start];
              expect({ of, from, to, cut: cutLeft || cutRight }).toMatchObject({ cut: false });
            }
          }
          // However short, each of its borders is blended as far as there is room.
          for (const c of picksOf(doc, stackIn(doc))) if (c.blend) expect(c.fadeIn.length).toBeLessThanOrEqual(c.length);
          expect(problems(doc)).toEqual([]);
        },
      ),
      { numRuns: 150 },
    );
  });
  it("picks what was heard, from lanes that keep everything, and sounds the same", () => {
    const doc = stacked();
    expect(stackIn(doc).takes?.map((l) => [l.name, l.clips.map((c) => [c.at, c.offset, c.length])])).toEqual([
      ["one", [[0, 500, 4000]]],
      ["two", [[1000, 1000, 4000]]],
      [
        "three",
        [
          [500, 3000, 1500],
          [3000, 6000, 1000],
        ],
      ],
    ]);
    expect(spans(doc)).toEqual([
      [0, 1000, 1500],
      [2, 1500, 3000],
      [1, 3000, 4000],
      [2, 4000, 5000],
      [1, 5000, 6000],
    ]);
    expect(sound(doc)).toEqual(sound(takes()));
    expect(problems(doc)).toEqual([]);
  });
  it("is picked from by sweeping, and puts together what runs on", () => {
    const doc = stacked();
    const [one, two] = lanesIn(doc);
    const first = run(doc, { type: "pick", bundleId: "stack", laneId: one, start: 1500, end: 2500, border: 0 });
    expect(spans(first).slice(0, 2)).toEqual([
      [0, 1000, 2500],
      [2, 2500, 3000],
    ]);
    const all = run(first, { type: "pick", bundleId: "stack", laneId: two, start: 0, end: 9000, border: 0 });
    expect(spans(all)).toEqual([
      [0, 1000, 2000],
      [1, 2000, 6000],
    ]);
    // Each pick plays its lane's own sound.
    for (const c of picksOf(all, stackIn(all))) expect(c.offset - c.start).toBe(c.take === one ? -500 : -1000);
  });
  it("keeps what was picked where the lane has no sound, and says so where it has none at all", () => {
    const doc = stacked();
    const [, , three] = lanesIn(doc);
    const swept = run(doc, { type: "pick", bundleId: "stack", laneId: three, start: 2500, end: 4500, border: 0 });
    expect(spans(swept)).toEqual(spans(doc));
    expect(() => run(doc, { type: "pick", bundleId: "stack", laneId: three, start: 3100, end: 3900 })).toThrow(/no sound there/);
    expect(() => run(doc, { type: "pick", bundleId: "stack", laneId: "none", start: 0, end: 10 })).toThrow(/no lane/);
  });
  it("blends its borders, and takes the blends off where a pick changes", () => {
    const doc = stacked(200);
    expect(picksOf(doc, stackIn(doc)).map((c) => c.fadeIn.length)).toEqual([0, 200, 200, 200, 200]);
    expect(spans(doc)).toEqual(spans(stacked()));
    const [one] = lanesIn(doc);
    const picked = run(doc, { type: "pick", bundleId: "stack", laneId: one, start: 2000, end: 4500, border: 100 });
    expect(spans(picked)).toEqual([
      [0, 1000, 1500],
      [2, 1500, 2000],
      [0, 2000, 4500],
      [2, 4500, 5000],
      [1, 5000, 6000],
    ]);
    expect(problems(picked)).toEqual([]);
  });
  it("moves, is copied and comes back by undo as one thing, its lanes with it", () => {
    const doc = stacked();
    const ids = picksOf(doc, stackIn(doc)).map((c) => c.id);
    const moved = run(doc, { type: "move", clipIds: ids, by: 700 });
    expect(stackIn(moved).start).toBe(1700);
    const [, two] = lanesIn(moved);
    const there = run(moved, { type: "pick", bundleId: "stack", laneId: two, start: 0, end: 9000, border: 0 });
    expect(spans(there).at(-1)).toEqual([1, 2700, 6700]);
    const copied = run(doc, { type: "copy", clipIds: ids, by: 6000, key: "copy" });
    const [copy] = [...copied.bundles.values()].filter((b) => b.id !== "stack");
    expect([copy.start, copy.takes?.length]).toEqual([7000, 3]);
    expect(problems(copied)).toEqual([]);
  });
  it("flattened sounds the same to the bit; opened out, each lane lies on a track of its own", () => {
    const doc = stacked(120);
    const flat = run(doc, { type: "flatten", bundleId: "stack" });
    expect([flat.bundles.size, [...flat.clips.values()].some((c) => c.take !== undefined)]).toEqual([0, false]);
    expect(sound(flat)).toEqual(sound(doc));
    const open = run(doc, { type: "open-out", bundleId: "stack", key: "open" });
    expect([open.piece.trackOrder.length, open.bundles.size]).toEqual([4, 0]);
    expect(open.piece.trackOrder.map((id) => [...(open.lanes.get(id)?.clips ?? [])].map((c) => [c.start, c.length]))).toEqual([
      [[1000, 4000]],
      [[2000, 4000]],
      [
        [1500, 1500],
        [4000, 1000],
      ],
      [],
    ]);
  });
  it("lanes are rated, moved, added and taken out; holes are filled from the first lane that has sound", () => {
    const doc = stacked();
    const [one, two, three] = lanesIn(doc);
    expect(stackIn(run(doc, { type: "set-lane", bundleId: "stack", laneId: two, rating: 5, name: "Best" })).takes?.[1]).toMatchObject({
      rating: 5,
      name: "Best",
    });
    const moved = run(doc, { type: "move-lane", bundleId: "stack", laneId: two, by: 300, border: 0 });
    // Where it played, other sound of its recording lies now; its end reaches farther.
    expect(
      picksOf(moved, stackIn(moved))
        .filter((c) => c.take === two)
        .map((c) => c.offset - c.start),
    ).toEqual([-1300, -1300]);
    expect(spans(moved).at(-1)).toEqual([1, 5000, 6300]);
    const less = run(doc, { type: "remove-lane", bundleId: "stack", laneId: three, border: 0 });
    expect(spans(less)).toEqual([
      [0, 1000, 3000],
      [1, 3000, 4000],
      [0, 4000, 5000],
      [1, 5000, 6000],
    ]);
    const more = run(doc, { type: "add-lane", bundleId: "stack", id: "new", sourceId: "mono", at: 5500, border: 0, key: "more" });
    expect(spans(more).at(-1)).toEqual([3, 6000, 11_500]);
    expect(one).not.toBe(two);
  });
  it("of linked tracks is picked from alike", () => {
    const doc = documentOf(2, [
      plainClip({ id: "a", start: 0, length: 4000 }),
      plainClip({ id: "b", start: 0, length: 4000, offset: 1000, layer: 1, sourceId: "stereo" }),
      plainClip({ id: "c", trackId: "t1", start: 0, length: 4000 }),
      plainClip({ id: "d", trackId: "t1", start: 0, length: 4000, offset: 1000, layer: 1, sourceId: "stereo" }),
    ]);
    const linked = run(
      doc,
      { type: "set-track", trackIds: ["t0", "t1"], link: "pair" },
      { type: "stack-takes", clipIds: ["a", "b"], border: 0, key: "pair" },
    );
    expect(linked.bundles.size).toBe(2);
    const [first] = [...linked.bundles.values()].filter((b) => b.trackId === "t0");
    const picked = run(linked, {
      type: "pick",
      bundleId: first.id,
      laneId: first.takes?.[0].id as string,
      start: 1000,
      end: 2000,
      border: 0,
      key: "sweep",
    });
    const cut = (id: string) => [...(picked.lanes.get(id)?.clips ?? [])].map((c) => [c.sourceId, c.start, c.length]);
    expect(cut("t0")).toEqual(cut("t1"));
    expect(cut("t0")[1]).toEqual(["mono", 1000, 1000]);
  });
  it("is refused where takes do not lie over each other, or lie in bundles", () => {
    const apart = documentOf(1, [plainClip({ id: "a", start: 0 }), plainClip({ id: "b", start: 5000 })]);
    expect(() => run(apart, { type: "stack-takes", clipIds: ["a", "b"] })).toThrow(/lie over each other/);
    expect(() => run(stacked(), { type: "stack-takes", clipIds: picksOf(stacked(), stackIn(stacked())).map((c) => c.id), key: "more" })).toThrow(
      /release it first/,
    );
    expect(() => run(documentOf(1, []), { type: "pick", bundleId: "x", laneId: "y", start: 0, end: 1 })).toThrow(EditError);
  });
  it("stays whole whatever is picked and edited: picks never overlap but in blends, cover what has sound, and undo is exact", () => {
    const span = fc.tuple(fc.integer({ min: 0, max: 7000 }), fc.integer({ min: 1, max: 3000 }));
    const step = fc.oneof(
      fc.record({ lane: fc.nat(2), span, border: fc.constantFrom(0, 30, 480) }).map(
        ({ lane, span: [start, length], border }) =>
          (doc: Document): Edit => ({
            type: "pick",
            bundleId: "stack",
            laneId: lanesIn(doc)[lane % lanesIn(doc).length],
            start,
            end: start + length,
            border,
          }),
      ),
      fc.record({ lane: fc.nat(2), by: fc.integer({ min: -900, max: 900 }) }).map(
        ({ lane, by }) =>
          (doc: Document): Edit => ({
            type: "move-lane",
            bundleId: "stack",
            laneId: lanesIn(doc)[lane % lanesIn(doc).length],
            by,
            border: 60,
          }),
      ),
    );
    fc.assert(
      fc.property(fc.array(step, { minLength: 1, maxLength: 10 }), fc.array(anyEdits, { maxLength: 3 }), (steps, others) => {
        let doc = stacked(60);
        steps.forEach((make, i) => {
          try {
            const { doc: next, changes } = applyEdits(doc, [{ ...make(doc), key: `step${i}` }]);
            const back = applyChanges(
              next,
              [...changes].reverse().map((c) => ({ ...c, before: c.after, after: c.before }) as typeof c),
            );
            expect(dataOf(back)).toEqual(dataOf(doc));
            doc = next;
          } catch (error) {
            expect(error).toBeInstanceOf(EditError);
            return;
          }
          expect(problems(doc)).toEqual([]);
          const stack = stackIn(doc);
          const picks = picksOf(doc, stack);
          // Picks overlap in blends only, and fill all that has sound.
          for (let k = 1; k < picks.length; k++)
            if (picks[k].start < clipEnd(picks[k - 1]))
              expect([picks[k].blend?.with, picks[k].fadeIn.length]).toEqual([picks[k - 1].id, clipEnd(picks[k - 1]) - picks[k].start]);
          for (const lane of stack.takes ?? [])
            for (const c of lane.clips)
              for (let at = Math.max(0, stack.start + c.at); stack.start + c.at >= 0 && at < stack.start + c.at + c.length; at += 97)
                expect(picks.some((p: Clip) => p.start <= at && clipEnd(p) > at)).toBe(true);
        });
        others.forEach((edit, i) => {
          try {
            doc = applyEdits(doc, [{ ...edit, key: `other${i}` }]).doc;
          } catch (error) {
            expect(error).toBeInstanceOf(EditError);
          }
          expect(problems(doc)).toEqual([]);
        });
      }),
      { numRuns: 200 },
    );
  });
});
