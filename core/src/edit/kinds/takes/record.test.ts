import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyChanges, type Document, dataOf, invertChanges } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { type Bundle, clipEnd } from "../../../model/schema";
import { documentOf, plainClip } from "../../../testing/arbitraries";
import { edits } from "../../../testing/edits";
import { EditError } from "../../errors";
import { applyEdits, type Edit } from "../../registry";
import { picksOf } from "../../takes/lanes";

const run = (doc: Document, ...list: Edit[]) => applyEdits(doc, list).doc;
const lay = (takes: object[][], more: object = {}) => ({
  type: "lay-recording",
  tracks: [{ trackId: "t0", sourceId: "mono", takes }],
  key: "rec1",
  ...more,
});
const clipsOn = (doc: Document, track = "t0") => (doc.lanes.get(track)?.clips ?? []).map((c) => [c.start, c.offset, c.length]);
const stacks = (doc: Document): Bundle[] => [...doc.bundles.values()].filter((b) => b.takes);

describe("laying a recording", () => {
  it("lays one take as clips where it was played to, what lies outside kept hidden", () => {
    const doc = run(
      documentOf(1, []),
      lay([
        [
          { start: 1000, offset: 300, length: 500 },
          { start: 1500, offset: 900, length: 700 },
        ],
      ]),
    );
    expect(clipsOn(doc)).toEqual([
      [1000, 300, 500],
      [1500, 900, 700],
    ]);
    expect(stacks(doc)).toEqual([]);
  });

  it("does with what was there what the overlap rule says, and makes room where neighbours move along", () => {
    const before = documentOf(1, [plainClip({ id: "old", start: 500, length: 3000, offset: 0 })]);
    const take = [[{ start: 1000, offset: 300, length: 500 }]];
    expect(clipsOn(run(before, lay(take, { overlap: "cover" })))).toEqual([
      [500, 0, 500],
      [1000, 300, 500],
      [1500, 1000, 2000],
    ]);
    expect(clipsOn(run(before, lay(take)))).toEqual([
      [500, 0, 3000],
      [1000, 300, 500],
    ]);
    const [, late] = clipsOn(run(documentOf(1, [plainClip({ id: "old", start: 2000, length: 300 })]), lay(take, { neighbours: "ripple" })));
    expect(late[0]).toBe(2500);
  });

  it("adds takes to the stack that is named, wherever they lie, and picks what was recorded just where it is", () => {
    const rounds = [400, 400].map((length, i) => [{ start: 1000, offset: 200 + 400 * i, length }]);
    const before = run(documentOf(2, []), lay(rounds, { border: 0 }));
    const [{ id: into, takes: had = [] }] = stacks(before);
    const punched = (trackId: string, more: object = {}) =>
      run(before, {
        ...lay([]),
        tracks: [{ trackId, sourceId: "mono", takes: [[{ start: 1100, offset: 2000, length: 150 }]], into }],
        key: "rec2",
        ...more,
      });
    // Whatever the modes are: it is a take among takes, nothing moves along and nothing is cut.
    for (const modes of [{}, { overlap: "cover" }, { neighbours: "ripple", reach: "all" }]) {
      const doc = punched("t0", { border: 0, ...modes });
      const [stack] = stacks(doc);
      expect(stack.takes?.slice(0, 2)).toEqual(had);
      expect(stack.takes?.at(2)?.clips.map((c) => [c.at, c.offset, c.length])).toEqual([[100, 2000, 150]]);
      expect(picksOf(doc, stack).map((c) => [c.start, c.length, had.findIndex((l) => l.id === c.take)])).toEqual([
        [1000, 100, 1],
        [1100, 150, -1],
        [1250, 150, 1],
      ]);
      expect(problems(doc)).toEqual([]);
    }
    expect(() => punched("t1")).toThrow(EditError);
  });

  it("makes rounds a take stack of which the last whole one is heard", () => {
    const rounds = [400, 400, 150].map((length, i) => [{ start: 1000, offset: 200 + 400 * i, length }]);
    const doc = run(documentOf(1, []), lay(rounds, { name: "Loom", border: 0 }));
    const [stack] = stacks(doc);
    expect(stack.takes?.map((l) => [l.name, l.clips.map((c) => [c.at, c.offset, c.length])])).toEqual([
      ["Loom, round 1", [[0, 200, 400]]],
      ["Loom, round 2", [[0, 600, 400]]],
      ["Loom, round 3", [[0, 1000, 150]]],
    ]);
    expect(picksOf(doc, stack).map((c) => [c.start, c.offset, c.length, c.take === stack.takes?.[1].id])).toEqual([[1000, 600, 400, true]]);
  });

  it("adds rounds to a stack that begins at the same place", () => {
    const rounds = [0, 1].map((i) => [{ start: 1000, offset: 200 + 400 * i, length: 400 }]);
    const once = run(documentOf(1, []), lay(rounds, { border: 0 }));
    const twice = run(once, lay(rounds, { border: 0, key: "rec2" }));
    expect(stacks(twice)).toHaveLength(1);
    expect(stacks(twice)[0].takes).toHaveLength(4);
    expect(picksOf(twice, stacks(twice)[0]).map((c) => stacks(twice)[0].takes?.findIndex((l) => l.id === c.take))).toEqual([3]);
  });

  it("cuts what the recording does not have, and refuses what is not there in words", () => {
    const length = documentOf(1, []).sources.get("mono")?.length as number;
    expect(clipsOn(run(documentOf(1, []), lay([[{ start: 0, offset: length - 100, length: 5000 }]])))).toEqual([[0, length - 100, 100]]);
    const impossible: [object, RegExp][] = [
      [lay([[{ start: 0, offset: length, length: 5 }]]), /ends before/],
      [{ ...lay([]), tracks: [{ trackId: "t0", sourceId: "none", takes: [[{ start: 0, offset: 0, length: 5 }]] }] }, /no recording/],
      [{ ...lay([]), tracks: [{ trackId: "nowhere", sourceId: "mono", takes: [[{ start: 0, offset: 0, length: 5 }]] }] }, /track/],
      [
        {
          ...lay([[{ start: 0, offset: 0, length: 5 }]]),
          tracks: [0, 1].map(() => ({ trackId: "t0", sourceId: "mono", takes: [[{ start: 0, offset: 0, length: 5 }]] })),
        },
        /one recording/,
      ],
    ];
    for (const [edit, words] of impossible) expect(() => run(documentOf(1, []), edit as Edit)).toThrow(words);
  });

  it("undoes exactly, whatever was there, and leaves what is heard of the stack as long as the longest take", () => {
    const doc = documentOf(2, [
      plainClip({ id: "c0", start: 0, length: 2500 }),
      plainClip({ id: "c1", start: 2000, length: 2500, layer: 1 }),
      plainClip({ id: "c2", trackId: "t1", start: 1000, length: 2500 }),
    ]);
    const recordings = edits.filter((e) => e.type === "lay-recording");
    fc.assert(
      fc.property(recordings, fc.array(recordings, { maxLength: 2 }), (edit, more) => {
        let now = doc;
        for (const [i, one] of [edit, ...more].entries()) {
          let result: ReturnType<typeof applyEdits>;
          try {
            result = applyEdits(now, [{ ...one, key: `test${i}` }]);
          } catch (error) {
            if (!(error instanceof EditError)) throw error;
            continue;
          }
          expect(problems(result.doc)).toEqual([]);
          const back = applyChanges(result.doc, invertChanges(result.changes));
          expect(dataOf(back)).toEqual(dataOf(now));
          for (const stack of stacks(result.doc)) {
            const longest = Math.max(...(stack.takes ?? []).map((l) => Math.max(...l.clips.map((c) => c.at + c.length))));
            const picks = picksOf(result.doc, stack);
            // A blend with what the take meets reaches over its end.
            if (one.overlap === "layer" && one === edit && !one.edgeBlend) expect(Math.max(...picks.map(clipEnd))).toBe(stack.start + longest);
          }
          now = result.doc;
        }
      }),
      { numRuns: 200 },
    );
  });
});
