import { describe, expect, it } from "vitest";
import { applyChanges, type Document, dataOf, invertChanges } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { clipEnd } from "../../../model/schema";
import { documentOf, plainClip, playOf as play, sameSamples } from "../../../testing/arbitraries";

import { EditError } from "../../errors";
import { applyEdits, type Edit } from "../../registry";
import { picksOf, stackOf } from "../../takes/lanes";

const run = (doc: Document, ...list: object[]) => applyEdits(doc, list as Edit[]).doc;

/** Two takes of a thousand samples; the second is picked, but for a stretch in its middle. */
const stacked = (): Document =>
  run(
    documentOf(2, [
      plainClip({ id: "a", start: 1000, length: 1000, offset: 500 }),
      plainClip({ id: "b", start: 1000, length: 1000, offset: 1800, layer: 1 }),
    ]),
    { type: "stack-takes", id: "s", clipIds: ["a", "b"], border: 0, laneIds: ["A", "B"] },
    { type: "pick", bundleId: "s", laneId: "A", start: 1400, end: 1700, border: 0 },
  );
const change = (edit: object) => ({ type: "change-lane", bundleId: "s", laneId: "B", edit, border: 0 });
const stack = (doc: Document) => stackOf({ bundle: (id) => doc.bundles.get(id) as never }, "s");
const picks = (doc: Document) => picksOf(doc, stack(doc)).map((c) => [c.take, c.start, c.length]);
/** What is heard when all of a take is picked. */
const whole = (doc: Document): Float32Array[] => play(run(doc, { type: "pick", bundleId: "s", laneId: "B", start: 0, end: 9000, border: 0 }));

const EDITS: readonly (readonly [name: string, edit: object])[] = [
  ["reverse", { type: "reverse" }],
  ["shift-inside", { type: "shift-inside", by: 120 }],
  ["stretch", { type: "stretch", factor: 0.8, kind: "tape" }],
  ["set-pitch", { type: "set-pitch", cents: 700 }],
  ["treat", { type: "treat", chain: [{ kind: "invert" }] }],
  ["set-gain", { type: "set-gain", by: -6 }],
  ["set-clip", { type: "set-clip", pan: 0.5 }],
];

describe("an edit of a whole take", () => {
  it.each(EDITS)("%s: what is picked of it plays what the whole of it then plays there, and so does what is picked later", (_, edit) => {
    const before = stacked();
    const after = run(before, change(edit));
    expect(problems(after)).toEqual([]);
    // The other take, and which is picked where, are as they were, as far as it still has sound there.
    expect(stack(after).takes[0]).toEqual(stack(before).takes[0]);
    expect(picksOf(after, stack(after)).filter((c) => c.take === "A")[0]).toMatchObject({ start: 1400, length: 300 });
    // The same as if the take had lain there alone.
    const alone = run(documentOf(2, [plainClip({ id: "b", start: 1000, length: 1000, offset: 1800 })]), { ...edit, clipIds: ["b"] });
    const [picked, later, one] = [play(after), whole(after), play(alone)];
    for (const c of picksOf(after, stack(after)).filter((p) => p.take === "B"))
      for (const side of [0, 1]) expect(sameSamples(picked[side].subarray(c.start, clipEnd(c)), one[side].subarray(c.start, clipEnd(c)))).toBe(true);
    const end = Math.min(...[...alone.clips.values()].map(clipEnd));
    for (const side of [0, 1]) expect(sameSamples(later[side].subarray(1000, end), one[side].subarray(1000, end))).toBe(true);
  });

  it.each(EDITS.flatMap(([a, x]) => EDITS.map(([b, y]) => [a, b, x, y] as const)))(
    "%s, then %s: the lane stays whole, and undo is exact",
    (_a, _b, x, y) => {
      const before = stacked();
      let doc = before;
      for (const edit of [x, y])
        try {
          const done = applyEdits(doc, [change(edit)] as Edit[]);
          expect(dataOf(applyChanges(done.doc, invertChanges(done.changes)))).toEqual(dataOf(doc));
          doc = done.doc;
        } catch (error) {
          // A recording that has not so much beside what is played can't be shifted; then nothing changed.
          if (!(error instanceof EditError)) throw error;
        }
      expect(problems(doc)).toEqual([]);
      expect(doc.clips.size).toBeGreaterThanOrEqual(before.clips.size);
      expect(picks(doc).every(([, start]) => (start as number) >= 1000)).toBe(true);
    },
  );

  it("leaves with a pick what was done to that pick alone", () => {
    const [first] = picksOf(stacked(), stack(stacked()));
    const own = run(stacked(), { type: "set-gain", clipIds: [first.id], gain: -4 }, { type: "set-clip", clipIds: [first.id], name: "Mine" });
    const after = run(own, change({ type: "set-gain", by: -2 }));
    expect(picksOf(after, stack(after)).map((c) => [c.take, c.gain, c.name])).toEqual([
      ["B", -6, "Mine"],
      ["A", 0, expect.any(String)],
      ["B", -2, expect.any(String)],
    ]);
    expect(stack(after).takes[1].clips[0].gain).toBe(-2);
  });

  it("turns a take of several clips round as one, and stretches it in proportion", () => {
    const doc = run(
      documentOf(1, [
        plainClip({ id: "a", start: 1000, length: 1000, offset: 0 }),
        plainClip({ id: "b1", start: 1000, length: 300, offset: 1000, layer: 1 }),
        plainClip({ id: "b2", start: 1600, length: 200, offset: 1600, layer: 1 }),
      ]),
      { type: "stack-takes", id: "s", clipIds: ["a", "b1", "b2"], border: 0, laneIds: ["A", "B"] },
    );
    const places = (d: Document) => stack(d).takes[1].clips.map((c) => [c.at, c.length]);
    expect(places(doc)).toEqual([
      [0, 300],
      [600, 200],
    ]);
    expect(places(run(doc, change({ type: "reverse" })))).toEqual([
      [0, 200],
      [500, 300],
    ]);
    expect(places(run(doc, change({ type: "stretch", factor: 2, kind: "tape" })))).toEqual([
      [0, 600],
      [1200, 400],
    ]);
    // By its start it ends where it did.
    expect(places(run(doc, change({ type: "stretch", factor: 0.5, kind: "tape", edge: "start" })))).toEqual([
      [400, 150],
      [700, 100],
    ]);
    // A tail that rings on makes clips longer, and moves none of them.
    const rung = run(doc, change({ type: "treat", chain: [{ kind: "echo", time: 20, feedback: 0 }], grow: true }));
    expect(places(rung).map(([at]) => at)).toEqual([0, 600]);
    expect(places(rung)[1][1]).toBeGreaterThan(200);
    expect(() => run(doc, change({ type: "stretch", length: 900 }))).toThrow(/factor/);
  });

  it("refuses what is no edit of clips, and a take without sound", () => {
    expect(() => run(stacked(), change({ type: "delete" }))).toThrow(EditError);
    expect(() => run(stacked(), change({ type: "treat", chain: [{ kind: "nothing" }] }))).toThrow(EditError);
    expect(() => run(stacked(), change({ type: "reverse", loud: 1 }))).toThrow(/no parameter "loud"/);
    // What lies beside is none of its business.
    for (const more of [{ overlap: "cover" }, { neighbours: "ripple" }, { reach: "all" }, { clipIds: ["a"] }])
      expect(() => run(stacked(), change({ type: "stretch", factor: 2, ...more }))).toThrow(/no parameter/);
    expect(() => run(stacked(), { ...change({ type: "reverse" }), laneId: "C" })).toThrow(EditError);
  });
});
