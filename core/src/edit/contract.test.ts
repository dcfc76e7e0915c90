import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Document, dataOf, documentFrom, timebaseOf } from "../model/document";
import { problems } from "../model/invariants";
import { type Clip, clipEnd } from "../model/schema";
import { documentOf, plainClip, SOURCES } from "../testing/arbitraries";
import { tempoMaps } from "../testing/times";
import { applyEdit, applyEdits, applyEditsInTurns, type Edit } from "./registry";

const run = (doc: Document, ...edits: Edit[]) => applyEdits(doc, edits).doc;
const lane = (doc: Document, id = "t0") => doc.lanes.get(id)?.clips ?? [];
const spans = (doc: Document, id = "t0") => lane(doc, id).map((c) => [c.start, clipEnd(c), c.blend?.with ?? null]);
const LONG = new Map([...SOURCES, ["long", { id: "long", name: "Long", length: 10_000_000, channels: 6 }]]);
const longDoc = (tracks: number, clips: Clip[]) => documentFrom(dataOf(documentOf(tracks, clips)), LONG);
const long = (id: string, start: number, length: number, over: Partial<Clip> = {}) =>
  plainClip({ id, sourceId: "long", start, length, offset: 1_000_000, ...over });

describe("several clips dropped at once", () => {
  it("blend each on what the ones before have left, and never lay a fade that is shorter than nothing", () => {
    const doc = longDoc(2, [
      long("K", 0, 25_000),
      long("L", 20_000, 50_000, { layer: 1 }),
      long("h1", 22_000, 20_000, { trackId: "t1" }),
      long("h2", 42_000, 38_000, { trackId: "t1" }),
    ]);
    const after = run(doc, { type: "move", clipIds: ["h1", "h2"], tracks: -1, overlap: "blend" });
    expect(problems(after)).toEqual([]);
    for (const c of lane(after)) expect(Math.min(c.fadeIn.length, c.fadeOut.length)).toBeGreaterThanOrEqual(0);
  });
  it("inside one long clip all blend, at the set length", () => {
    const doc = longDoc(2, [long("L", 0, 100_000), ...[1, 2, 3].map((i) => long(`h${i}`, i * 20_000, 8000, { trackId: "t1" }))]);
    const drop: Edit = { type: "move", clipIds: ["h1", "h2", "h3"], tracks: -1, overlap: "blend" };
    for (const [more, length] of [
      [{ edgeFade: { length: 240, shape: "power", bend: 0 } }, 240],
      [{ blendLength: 1000 }, 1000],
      [{}, 576],
    ] as const) {
      const after = run(doc, { ...drop, ...more });
      expect(lane(after).filter((c) => c.blend)).toHaveLength(6);
      for (const c of lane(after)) if (c.blend) expect(c.fadeIn.length).toBe(length);
    }
  });
  it("cover each, over one long clip", () => {
    const doc = longDoc(2, [long("L", 0, 100_000), ...[1, 2].map((i) => long(`h${i}`, i * 20_000, 8000, { trackId: "t1" }))]);
    const after = run(doc, { type: "move", clipIds: ["h1", "h2"], tracks: -1, overlap: "cover" });
    expect(spans(after).map(([from, to]) => [from, to])).toEqual([
      [0, 20_000],
      [20_000, 28_000],
      [28_000, 40_000],
      [40_000, 48_000],
      [48_000, 100_000],
    ]);
  });
});

describe("what an edit is sent with", () => {
  it("an id that is there already is never given again, whatever the keys", () => {
    const doc = longDoc(1, [long("a", 0, 30_000)]);
    const both = run(doc, { type: "split", clipIds: ["a"], at: 10_000, key: "same" }, { type: "split", trackIds: ["t0"], at: 20_000, key: "same" });
    expect(spans(both).map(([from]) => from)).toEqual([0, 10_000, 20_000]);
    expect(both.clips.size).toBe(3);
  });
  it("parameters that it does not take are refused by name", () => {
    const doc = longDoc(1, [long("a", 0, 30_000)]);
    expect(() => run(doc, { type: "move", clipIds: ["a"], by: 5, ripple: true })).toThrow(/no parameter "ripple"/);
    let deep: unknown = 1;
    for (let i = 0; i < 20_000; i++) deep = [deep];
    expect(() => run(doc, { type: "move", clipIds: ["a"], by: 5, deep })).toThrow(/no parameter "deep"/);
    expect(() => run(doc, { type: "rename-track", trackId: "t\u0000", name: "x" })).toThrow(/control characters/);
    expect(run(doc, { type: "rename-track", trackId: "t0", name: "a\u0000b\ud800c" }).tracks.get("t0")?.name).toBe("a b\ufffdc");
  });
  it("what could not be read back is refused: names that grow, places too far, sync points beyond the clip", () => {
    const doc = longDoc(1, [long("a", 0, 30_000)]);
    let growing = run(doc, { type: "rename-track", trackId: "t0", name: "n".repeat(200) });
    for (let i = 0; i < 3; i++) growing = run(growing, { type: "duplicate-track", trackId: "t0", key: `copy${i}` });
    for (const t of growing.tracks.values()) expect(t.name.length).toBeLessThanOrEqual(200);
    expect(() => run(doc, { type: "move", clipIds: ["a"], to: Number.MAX_SAFE_INTEGER - 5 })).toThrow(/further than can be counted/);
    expect(() => run(doc, { type: "paste", at: 0, clips: [{ ...long("h", 0, 10), layer: 2 ** 53 }] })).toThrow(/layer/);
    expect(() => run(doc, { type: "set-clip", clipIds: ["a"], sync: 30_000 })).toThrow(/sync point would lie beyond/);
    expect(() => run(doc, { type: "set-time", tempo: [{ tick: 5, bpm: 90 }] })).toThrow(/tick 0/);
  });
  it("a long list is done in turns, with what it does in one", async () => {
    const doc = longDoc(1, [long("a", 0, 30_000)]);
    const edits = Array.from({ length: 20_000 }, (_, i): Edit => ({ type: "add-marker", position: i, key: "mark" }));
    let turns = 0;
    const outcome = await applyEditsInTurns(doc, edits, async () => void turns++);
    expect(outcome.doc.markers.size).toBe(20_000);
    expect(turns).toBeGreaterThan(0);
  });
  it("channels of a recording of many are chosen when it is laid; one that is not there is refused", () => {
    const doc = longDoc(1, []);
    const laid = run(doc, { type: "add-clip", id: "n", trackId: "t0", sourceId: "long", start: 0, channels: [4, 5] });
    expect(laid.clips.get("n")?.channels).toEqual([4, 5]);
    expect(() => run(doc, { type: "add-clip", trackId: "t0", sourceId: "long", start: 0, channels: [6] })).toThrow(/6 channels/);
  });
  it("marker names don't repeat after one was removed", () => {
    const doc = run(
      longDoc(1, []),
      ...[0, 1, 2].map((i): Edit => ({ type: "add-marker", id: `m${i}`, position: i })),
      { type: "remove-marker", id: "m0" },
      { type: "add-marker", id: "m3", position: 9 },
    );
    expect([...doc.markers.values()].map((m) => m.name).sort()).toEqual(["Marker 2", "Marker 3", "Marker 4"]);
  });
});

describe("a batch of fades", () => {
  it("does those that it can, and says which were left", () => {
    const doc = run(longDoc(1, [long("a", 0, 10_000), long("b", 10_000, 10_000, { offset: 5000 })]), {
      type: "set-blend",
      clipId: "b",
      length: 400,
    });
    const out = applyEdit(doc, { type: "set-fade", clipIds: ["a", "b"], edge: "in", length: 300 });
    expect(out.doc.clips.get("a")?.fadeIn.length).toBe(300);
    expect(out.doc.clips.get("b")?.fadeIn.length).toBe(400);
    expect(out.notes).toEqual([expect.stringMatching(/^b is blended there/)]);
    expect(() => run(doc, { type: "set-fade", clipIds: ["b"], edge: "in", length: 300 })).toThrow(/is blended there/);
  });
});

describe("keeping bars", () => {
  const place = fc.integer({ min: 0, max: 4_000_000 });
  const meters = fc.constantFrom<Edit["meter"]>(
    [{ tick: 0, numerator: 4, denominator: 4 }],
    [{ tick: 0, numerator: 3, denominator: 4 }],
    [
      { tick: 0, numerator: 6, denominator: 8 },
      { tick: 2880, numerator: 5, denominator: 4 },
    ],
    [
      { tick: 0, numerator: 4, denominator: 4 },
      { tick: 500, numerator: 7, denominator: 8 },
    ],
  );
  const pieceAt = (bpm: number) => run(longDoc(2, []), { type: "set-time", tempo: [{ tick: 0, bpm }] });
  it("reads a place at a bar line as that line", () => {
    // At 92 the second bar of 4/4 begins at 125,217.39: its sample lies a fraction before it.
    const doc = run(pieceAt(92), { type: "add-marker", id: "m", position: 125_217 });
    const after = run(doc, { type: "set-time", meter: [{ tick: 0, numerator: 3, denominator: 4 }], keep: "bars" });
    expect(after.markers.get("m")).toMatchObject({ position: 93_913 });
  });
  it("is the identity there and back, through any maps, for clips, blends, markers, sections and the loop", () => {
    fc.assert(
      fc.property(
        fc.array(place, { minLength: 4, maxLength: 9 }),
        fc.array(fc.tuple(tempoMaps, meters), { minLength: 1, maxLength: 3 }),
        (at, maps) => {
          const start = run(
            longDoc(
              2,
              at.slice(2).map((p, i) => long(`c${i}`, p, 400, { layer: i })),
            ),
            { type: "add-clip", id: "d", trackId: "t1", sourceId: "long", start: at[0], offset: 5000, length: 9000 },
            { type: "add-clip", id: "e", trackId: "t1", sourceId: "long", start: at[0] + 9000, offset: 9000, length: 9000 },
            { type: "set-blend", clipId: "e", length: 500 },
            ...at.map((p, i): Edit => ({ type: "add-marker", id: `m${i}`, position: p })),
            { type: "add-section", id: "s", start: at[0], end: at[0] + 77_777 },
            { type: "set-loop", loop: { start: at[1], end: at[1] + 99_999, on: true } },
          );
          const { tempo, meter } = start.piece;
          let doc = start;
          for (const [map, bars] of maps) doc = run(doc, { type: "set-time", tempo: map.events, meter: bars, keep: "bars" });
          expect(dataOf(run(doc, { type: "set-time", tempo, meter, keep: "bars" }))).toEqual(dataOf(start));
        },
      ),
      { numRuns: 200 },
    );
  });
  it("moves nothing that was moved since by what it had left with it", () => {
    const doc = run(pieceAt(92), { type: "add-marker", id: "m", position: 1001 }, { type: "set-time", tempo: [{ tick: 0, bpm: 61 }], keep: "bars" });
    const moved = run(doc, { type: "set-marker", id: "m", position: 94_426 });
    const tempo = [{ tick: 0, bpm: 92 }];
    expect(run(moved, { type: "set-time", tempo, keep: "bars" }).markers.get("m")?.position).toBe(Math.round((94_426 * 61) / 92));
  });
});

describe("time put in where tempo and meter change together", () => {
  it("moves both, and what was before goes on through it", () => {
    const doc = run(longDoc(1, []), {
      type: "set-time",
      tempo: [
        { tick: 0, bpm: 120 },
        { tick: 7680, bpm: 60 },
      ],
      meter: [
        { tick: 0, numerator: 4, denominator: 4 },
        { tick: 7680, numerator: 3, denominator: 4 },
      ],
    });
    const at = timebaseOf(doc).tempo.tickToSample(7680);
    const { piece } = run(doc, { type: "insert-time", at, length: 96_000 });
    expect(piece.tempo).toEqual([
      { tick: 0, bpm: 120 },
      { tick: 11_520, bpm: 60 },
    ]);
    expect(piece.meter.map((m) => m.tick)).toEqual([0, 11_520]);
  });
});

describe("copies of a bundle that follow each other", () => {
  const patterned = () => {
    const doc = run(
      longDoc(3, [long("a", 1000, 500), long("b", 2000, 500), long("x", 50_000, 500)]),
      { type: "bundle", id: "one", clipIds: ["a", "b"] },
      { type: "copy", clipIds: ["a", "b"], by: 10_000, bundles: "linked", key: "copy" },
    );
    return doc;
  };
  it("pasted two at once each keep their own start", () => {
    const doc = patterned();
    const clips = lane(doc).filter((c) => c.bundle !== null);
    const wholes = [...doc.bundles.values()].map((b) => ({ ...b, start: b.start - 1000 }));
    const pasted = run(doc, {
      type: "paste",
      at: 200_000,
      clips: clips.map((c) => ({ ...c, start: c.start - 1000 })),
      wholes,
      bundles: "linked",
      key: "past",
    });
    const starts = [...pasted.bundles.values()].filter((b) => b.start >= 200_000).map((b) => b.start);
    expect(starts.sort()).toEqual([200_000, 210_000]);
    const before = lane(pasted)
      .filter((c) => c.start >= 200_000)
      .map((c) => c.start);
    const edited = run(pasted, { type: "set-gain", clipIds: ["a"], gain: -3 });
    expect(
      lane(edited)
        .filter((c) => c.start >= 200_000)
        .map((c) => c.start),
    ).toEqual(before);
    expect(lane(edited).filter((c) => c.bundle !== null && c.gain === -3)).toHaveLength(4);
  });
  it("still follow after the tracks have changed their order", () => {
    const copied = run(patterned(), {
      type: "move",
      clipIds: lane(patterned())
        .filter((c) => c.id.startsWith("copy"))
        .map((c) => c.id),
      tracks: 1,
    });
    const turned = run(copied, { type: "move-track", trackId: "t0", index: 2 });
    const after = run(turned, { type: "trim", clipIds: ["a"], edge: "end", by: -100 });
    expect(lane(after, "t1").map((c) => c.length)).toEqual([400, 500]);
  });
});

describe("linked tracks", () => {
  it("smooth, take layers, bundle and release alike", () => {
    const doc = run(
      longDoc(2, [
        long("a", 0, 9000),
        long("b", 9000, 9000, { offset: 5000 }),
        long("x", 0, 9000, { trackId: "t1" }),
        long("y", 9000, 9000, { trackId: "t1", offset: 5000 }),
      ]),
      { type: "set-track", trackIds: ["t0", "t1"], link: "pair" },
    );
    const smooth = run(doc, { type: "smooth", seams: [{ left: "a", right: "b", position: 9000 }], length: 200 });
    expect(smooth.clips.get("y")?.blend?.with).toBe("x");
    expect(
      run(doc, { type: "smooth", seams: [{ left: "a", right: "b", position: 9000 }], length: 200, links: false }).clips.get("y")?.blend,
    ).toBeNull();
    const bundled = run(doc, { type: "bundle", id: "g", clipIds: ["a"] });
    expect(bundled.clips.get("x")?.bundle).toBe("g");
    const apart = run(doc, { type: "bundle", id: "g", clipIds: ["a"], links: false }, { type: "bundle", id: "h", clipIds: ["x"], links: false });
    expect(run(apart, { type: "release", bundleId: "g" }).bundles.size).toBe(0);
  });
});

describe("a lane", () => {
  it("finds what lies in a stretch as a plain look at all its clips does, after any edits", () => {
    const clip = fc.record({
      start: fc.integer({ min: 0, max: 5000 }),
      length: fc.oneof(fc.integer({ min: 1, max: 60 }), fc.integer({ min: 1, max: 5000 })),
    });
    fc.assert(
      fc.property(
        fc.array(clip, { minLength: 1, maxLength: 200 }),
        fc.array(fc.tuple(fc.nat(5000), fc.integer({ min: 1, max: 900 }))),
        (list, asks) => {
          const doc = longDoc(
            1,
            list.map((c, i) => long(`c${i}`, c.start, c.length, { layer: i })),
          );
          const all = lane(doc);
          for (const [from, length] of asks)
            expect(doc.lanes.get("t0")?.within(from, from + length)).toEqual(all.filter((c) => c.start < from + length && clipEnd(c) > from));
          expect(doc.lanes.get("t0")?.end).toBe(Math.max(...all.map(clipEnd)));
        },
      ),
    );
  });
});
