import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../model/document";
import { problems } from "../../model/invariants";
import { clipEnd } from "../../model/schema";
import { documentOf, plainClip } from "../../testing/arbitraries";
import { bundleClips } from "../bundles/members";
import { EditError } from "../errors";
import { applyEdits, type Edit } from "../registry";

const run = (doc: Document, ...edits: Edit[]): Document => applyEdits(doc, edits).doc;

/** Three takes over each other, picked from by turns, with a clip before them. */
const stacked = (): Document =>
  run(
    documentOf(2, [
      plainClip({ id: "first", start: 0, length: 800 }),
      plainClip({ id: "a", start: 1000, offset: 500, length: 3000 }),
      plainClip({ id: "b", start: 1200, offset: 300, length: 3000, layer: 1 }),
      plainClip({ id: "c", start: 1000, sourceId: "stereo", offset: 2000, length: 3400, layer: 2 }),
      plainClip({ id: "last", start: 9000, length: 800 }),
    ]),
    { type: "stack-takes", id: "stack", clipIds: ["a", "b", "c"], laneIds: ["la", "lb", "lc"], border: 60 },
    { type: "pick", bundleId: "stack", laneId: "la", start: 1800, end: 2300, border: 60 },
    { type: "pick", bundleId: "stack", laneId: "lb", start: 2300, end: 3000, border: 60 },
  );

/** Picks that do not lie where their lane has their sound. */
function astray(doc: Document): string[] {
  const wrong: string[] = [];
  for (const stack of doc.bundles.values())
    for (const pick of stack.takes ? bundleClips(doc, stack.id) : []) {
      const lane = stack.takes?.find((l) => l.id === pick.take);
      const place = pick.start - pick.offset;
      if (lane && !lane.clips.some((c) => stack.start + c.at - c.offset === place)) wrong.push(`${pick.id} of ${stack.id}: ${place}`);
    }
  return wrong;
}

const place = fc.integer({ min: 0, max: 6000 });
const neighbours = fc.constantFrom("hold", "ripple", "reorder");
const reach = fc.constantFrom("track", "all");
const fromOutside: fc.Arbitrary<Edit> = fc.oneof(
  fc.record({ type: fc.constant("insert-time"), at: place, length: fc.integer({ min: 1, max: 4000 }) }),
  fc.tuple(place, fc.integer({ min: 1, max: 2000 })).map(([start, by]): Edit => ({ type: "remove-time", start, end: start + by })),
  fc.tuple(place, fc.integer({ min: 1, max: 2000 }), place).map(([start, by, at]): Edit => ({ type: "insert-section", start, end: start + by, at })),
  fc
    .tuple(place, fc.integer({ min: 1, max: 2000 }), neighbours, reach)
    .map(([start, by, n, r]): Edit => ({ type: "delete-range", start, end: start + by, trackIds: ["t0"], neighbours: n, reach: r })),
  fc.record({
    type: fc.constant("add-clip"),
    trackId: fc.constant("t0"),
    sourceId: fc.constant("mono"),
    start: place,
    length: fc.constant(700),
    neighbours,
    reach,
  }),
  fc.record({
    type: fc.constant("trim"),
    clipIds: fc.constant(["first"]),
    edge: fc.constant("end"),
    by: fc.integer({ min: -500, max: 900 }),
    neighbours,
    reach,
  }),
  fc.record({
    type: fc.constant("set-time"),
    tempo: fc.constantFrom(
      [{ tick: 0, bpm: 97 }],
      [
        { tick: 0, bpm: 61, ramp: true },
        { tick: 960, bpm: 140 },
      ],
    ),
    keep: fc.constant("bars"),
  }),
  fc
    .tuple(place, fc.integer({ min: 1, max: 1500 }), fc.integer({ min: -2500, max: 3000 }))
    .map(([start, by, go]): Edit => ({ type: "move-range", start, end: start + by, trackIds: ["t0"], by: go })),
);

describe("a take stack that something else moves", () => {
  it("keeps every lane at its place to the picks, whatever cuts it, moves it or changes the tempo", () => {
    fc.assert(
      fc.property(fc.array(fromOutside, { minLength: 1, maxLength: 4 }), (list) => {
        let doc = stacked();
        expect(astray(doc)).toEqual([]);
        list.forEach((edit, i) => {
          try {
            doc = run(doc, { ...edit, key: `edit${i}` });
          } catch (error) {
            if (!(error instanceof EditError)) throw error;
          }
          expect(astray(doc), JSON.stringify(edit)).toEqual([]);
          expect(problems(doc)).toEqual([]);
        });
      }),
      { numRuns: 300 },
    );
  });
  it("stays one thing under another tempo: nothing opens between its picks", () => {
    const picks = (d: Document) => bundleClips(d, "stack").sort((a, b) => a.start - b.start);
    const base = stacked();
    const doc = run(base, {
      type: "set-time",
      tempo: [
        { tick: 0, bpm: 61, ramp: true },
        { tick: 1920, bpm: 140 },
      ],
      keep: "bars",
    });
    const [was, is] = [picks(base), picks(doc)];
    const by = is[0].start - was[0].start;
    expect(by).not.toBe(0);
    expect(is.map((c) => [c.start - by, clipEnd(c) - by])).toEqual(was.map((c) => [c.start, clipEnd(c)]));
  });
  it("whose own picks ripple moves those behind them with what follows it: nothing comes to lie over another", () => {
    const base = run(stacked(), { type: "move", clipIds: ["last"], to: 4400 });
    const picks = bundleClips(base, "stack").sort((a, b) => a.start - b.start);
    for (const pick of picks.slice(0, -1)) {
      const doc = run(base, { type: "trim", clipIds: [pick.id], edge: "end", by: -100, neighbours: "ripple" });
      expect(doc.clips.get("last")?.start).toBe(4300);
      const after = bundleClips(doc, "stack");
      expect(Math.max(...after.map(clipEnd))).toBe(4300);
    }
  });
  it("falls into two where time comes in between takes that do not meet", () => {
    const base = run(
      documentOf(1, [
        plainClip({ id: "a", length: 500 }),
        plainClip({ id: "b", length: 400, layer: 1 }),
        plainClip({ id: "c", start: 3000, length: 500, layer: 1 }),
      ]),
      { type: "stack-takes", id: "stack", clipIds: ["a", "b", "c"], border: 0 },
    );
    const doc = run(base, { type: "insert-time", at: 1000, length: 700 });
    expect(doc.clips.get("c")?.start).toBe(3700);
    expect([[...doc.bundles.values()].filter((b) => b.takes).length, astray(doc)]).toEqual([2, []]);
  });
  it("trimmed at its start and copied to the beginning has its lanes before it", () => {
    const base = stacked();
    const ids = bundleClips(base, "stack").map((c) => c.id);
    const first = bundleClips(base, "stack").reduce((a, b) => (b.start < a.start ? b : a)).id;
    const doc = run(
      base,
      { type: "delete", clipIds: ["first"] },
      { type: "trim", clipIds: [first], edge: "start", by: 400, inside: "stack" },
      { type: "move", clipIds: ids, to: 0 },
    );
    expect(doc.bundles.get("stack")?.start).toBe(-400);
    expect(astray(doc)).toEqual([]);
    const copied = run(doc, { type: "copy", clipIds: ids, by: 6000 });
    expect(astray(copied)).toEqual([]);
  });
  it("picks what of a lane lies behind the piece's beginning, where its first sample lies before it", () => {
    const doc = run(stacked(), { type: "delete", clipIds: ["first"] }, { type: "move-lane", bundleId: "stack", laneId: "lb", by: -2000 });
    const out = run(doc, { type: "pick", bundleId: "stack", laneId: "lb", start: 0, end: 900 });
    const picked = bundleClips(out, "stack").filter((c) => c.take === "lb");
    expect(picked.some((c) => c.start < 900)).toBe(true);
    expect(astray(out)).toEqual([]);
  });
});
