import { describe, expect, it } from "vitest";
import { envelopeFactor } from "../dsp/envelope";
import { applyChanges, type Document, dataOf, invertChanges } from "../model/document";
import type { EnvelopePoint } from "../model/schema";
import { documentOf, plainClip, playOf, sameSamples } from "../testing/arbitraries";
import { bundleClips } from "./bundles/members";
import { applyEdits, type Edit } from "./registry";

/* Where two features meet: each case once went wrong where either alone was right. */
const run = (doc: Document, ...edits: Edit[]): Document => applyEdits(doc, edits).doc;
const same = (a: Document, b: Document): boolean => playOf(a).every((x, i) => sameSamples(x, playOf(b)[i]));
const spans = (doc: Document, track = "t0") => doc.lanes.get(track)?.clips.map((c) => [c.id, c.start, c.length]);

describe("a trim among layers", () => {
  const doc = () =>
    documentOf(1, [
      plainClip({ id: "low", start: 0, length: 4000 }),
      plainClip({ id: "high", start: 1000, length: 1000, offset: 3000, layer: 1 }),
      plainClip({ id: "hidden", start: 1200, length: 300, offset: 100, layer: 2, mute: true }),
    ]);
  it.each(["cover", "layer", "blend"])("leaves alone what it does not newly cover (%s)", (overlap) => {
    const out = run(doc(), { type: "trim", clipIds: ["low"], edge: "end", by: -500, overlap });
    expect(spans(out)).toEqual([
      ["low", 0, 3500],
      ["high", 1000, 1000],
      ["hidden", 1200, 300],
    ]);
    expect(out.clips.get("low")?.layer).toBe(0);
  });
  it("covers what it newly covers, of what lies beneath it already too", () => {
    const beneath = documentOf(1, [
      plainClip({ id: "x", start: 0, length: 4000, offset: 500 }),
      plainClip({ id: "y", start: 1000, length: 1000, layer: 1 }),
    ]);
    const out = run(beneath, { type: "trim", clipIds: ["y"], edge: "end", by: 500, overlap: "cover", key: "cuts" });
    expect(spans(out)).toEqual([
      ["x", 0, 2000],
      ["y", 1000, 1500],
      [expect.any(String), 2500, 1500],
    ]);
  });
});

describe("linked tracks", () => {
  const pair = () =>
    run(
      documentOf(2, [
        plainClip({ id: "a", start: 1000, length: 1000, offset: 1000 }),
        plainClip({ id: "b", trackId: "t1", start: 1000, length: 1000, offset: 100 }),
      ]),
      { type: "set-track", trackIds: ["t0", "t1"], link: "pair" },
    );
  it("follow whole, or are left as they were and named", () => {
    const out = applyEdits(pair(), [{ type: "trim", clipIds: ["a"], edge: "start", by: -500 }]);
    expect(spans(out.doc)).toEqual([["a", 500, 1500]]);
    expect(out.doc.clips.get("b")).toEqual(pair().clips.get("b"));
    expect(out.notes).toEqual([expect.stringMatching(/^t1 was left as it was, though it is linked: b can't be trimmed that far/)]);
    expect(() => run(pair(), { type: "trim", clipIds: ["b"], edge: "start", by: -500 })).toThrow(/b can't be trimmed/);
  });
  it("lose no blend where only one of them can move its splice", () => {
    const blended = run(
      documentOf(2, [
        plainClip({ id: "a", start: 0, length: 2000 }),
        plainClip({ id: "b", start: 2000, length: 2000, offset: 2000, sourceId: "stereo" }),
        plainClip({ id: "x", trackId: "t1", start: 0, length: 2000, offset: 3900 }),
        plainClip({ id: "y", trackId: "t1", start: 2000, length: 2000, offset: 100, sourceId: "stereo" }),
      ]),
      { type: "set-blend", clipId: "b", length: 100 },
      { type: "set-blend", clipId: "y", length: 100 },
      { type: "set-track", trackIds: ["t0", "t1"], link: "pair" },
    );
    const out = applyEdits(blended, [{ type: "set-blend", clipId: "b", splice: 2500 }]);
    expect(out.doc.clips.get("b")?.blend?.splice).toBe(2500);
    expect(out.doc.clips.get("y")).toEqual(blended.clips.get("y"));
    expect(out.notes).toHaveLength(1);
  });
});

describe("picks of a take stack", () => {
  it("keep what was done to one of them, and new lanes have ids of their own", () => {
    const doc = run(
      documentOf(1, [plainClip({ id: "a", length: 3000, offset: 200 }), plainClip({ id: "b", length: 3000, offset: 100, layer: 1 })]),
      { type: "stack-takes", id: "s", clipIds: ["a", "b"], laneIds: ["la", "lb"], border: 0 },
      { type: "pick", bundleId: "s", laneId: "la", start: 1000, end: 2000, border: 0 },
    );
    const last = bundleClips(doc, "s").find((c) => c.start === 2000)?.id as string;
    const drawn = run(doc, { type: "set-envelope", clipIds: [last], points: [{ at: 0, value: -12 }] });
    const again = run(drawn, { type: "pick", bundleId: "s", laneId: "lb", start: 1000, end: 2000, border: 0 });
    const picks = bundleClips(again, "s").sort((x, y) => x.start - y.start);
    expect(picks.map((c) => [c.start, c.length, c.envelopes?.gain?.[0].value])).toEqual([
      [0, 2000, undefined],
      [2000, 1000, -12],
    ]);
    const lanes = run(
      doc,
      { type: "add-lane", bundleId: "s", sourceId: "mono", at: 0, key: "lane" },
      { type: "add-lane", bundleId: "s", sourceId: "mono", at: 0, key: "lane" },
    );
    expect(new Set(lanes.bundles.get("s")?.takes?.map((l) => l.id)).size).toBe(4);
  });
  it("stacked without blends sound as the layers did, fades that a border cuts and clips above them too", () => {
    const fade = { length: 1500, shape: "straight" as const, bend: 0 };
    const doc = documentOf(1, [
      plainClip({ id: "a", length: 3000, offset: 200, fadeIn: fade }),
      plainClip({ id: "b", start: 500, length: 800, offset: 100, layer: 3 }),
      plainClip({ id: "over", start: 2000, length: 500, offset: 3000, layer: 2 }),
    ]);
    const stack = run(doc, { type: "stack-takes", clipIds: ["a", "b"], border: 0 });
    expect(same(stack, doc)).toBe(true);
  });
});

describe("clips joined, reordered, tightened", () => {
  it("joined again have the hits of both", () => {
    const doc = run(
      documentOf(1, [plainClip({ id: "a", length: 3000 })]),
      { type: "split", clipIds: ["a"], at: 1500, key: "half" },
      { type: "add-hits", clipIds: ["half.1"], at: [2000] },
      { type: "add-hits", clipIds: ["a"], at: [300] },
      { type: "join", clipIds: ["a", "half.1"] },
    );
    expect(doc.clips.get("a")?.hits?.added).toEqual([300, 2000]);
  });
  it("a lone clip in Reorder stays, and so does all of a track", () => {
    const lone = documentOf(1, [plainClip({ id: "a", start: 700 })]);
    expect(spans(run(lone, { type: "move", clipIds: ["a"], by: 900, neighbours: "reorder" }))).toEqual([["a", 700, 1000]]);
    const two = documentOf(1, [plainClip({ id: "a", start: 700 }), plainClip({ id: "b", start: 2000 })]);
    expect(spans(run(two, { type: "move", clipIds: ["a", "b"], by: 900, neighbours: "reorder" }))).toEqual(spans(two));
  });
  it("a first hit that comes late is drawn to its line, and the clip's own edges stay", () => {
    for (const start of [0, 3000]) {
      // Hits at 700, 1490 and 3100 of the recording; its window begins 100 before the first.
      const doc = documentOf(1, [
        plainClip({ id: "before", start: 0, length: 10, layer: 1 }),
        plainClip({ id: "a", start, offset: 600, length: 3000 }),
      ]);
      const out = run(doc, { type: "tighten", clipIds: ["a"], grid: { kind: "sample", count: 1000 }, lead: 20, key: "tight" });
      const row = out.lanes.get("t0")?.clips.filter((c) => c.id !== "before") ?? [];
      expect([row[0].start, Math.max(...row.map((c) => c.start + c.length))]).toEqual([start, start + 3000]);
    }
  });
  it("a gain by steps is one for a clip that is named twice", () => {
    expect(run(documentOf(1, [plainClip({ id: "a" })]), { type: "set-gain", clipIds: ["a", "a"], by: -3 }).clips.get("a")?.gain).toBe(-3);
  });
});

describe("sync points and hits", () => {
  it("stay with their sound under warp and conforming", () => {
    const doc = run(documentOf(1, [plainClip({ id: "a", length: 4000 })]), { type: "set-clip", clipIds: ["a"], sync: 1490 });
    const warped = run(doc, {
      type: "warp",
      clipIds: ["a"],
      points: [
        { from: 0, to: 0 },
        { from: 1490, to: 2000 },
        { from: 3100, to: 3100 },
      ],
    });
    expect(warped.clips.get("a")?.sync).toBe(2000);
    expect(run(warped, { type: "warp", clipIds: ["a"], points: null }).clips.get("a")?.sync).toBe(1490);
  });
  it("and a shift in pitch leaves a stretched clip as long as it is", () => {
    for (const length of [2999, 3001, 3333, 4567]) {
      const doc = run(documentOf(1, [plainClip({ id: "a", length: 3000, offset: 17 })]), { type: "stretch", clipIds: ["a"], length });
      const pitched = run(doc, { type: "set-pitch", clipIds: ["a"], cents: 300 });
      expect([pitched.clips.get("a")?.length, pitched.clips.get("a")?.offset]).toEqual([length, doc.clips.get("a")?.offset]);
    }
  });
});

describe("a ride and a section", () => {
  it("go together: the span that is inserted brings its ride, what lies around keeps its own", () => {
    const doc = run(documentOf(1, [plainClip({ id: "a", length: 5000 })]), {
      type: "set-ride",
      trackIds: ["t0"],
      points: [
        { at: 0, value: 0 },
        { at: 4000, value: -24 },
      ],
    });
    const ride = (d: Document) => d.tracks.get("t0")?.ride as EnvelopePoint[];
    const out = run(doc, { type: "insert-section", start: 1000, end: 2000, at: 3000 });
    for (const x of [0, 900, 2999]) expect(envelopeFactor(ride(out), x)).toBeCloseTo(envelopeFactor(ride(doc), x), 9);
    for (const x of [0, 500, 999]) expect(envelopeFactor(ride(out), 3000 + x)).toBeCloseTo(envelopeFactor(ride(doc), 1000 + x), 9);
    for (const x of [3000, 3500, 4000]) expect(envelopeFactor(ride(out), 1000 + x)).toBeCloseTo(envelopeFactor(ride(doc), x), 9);
  });
});

it("undo of a removed marker gives the same bytes, whatever lies at its place", () => {
  const ids = Array.from({ length: 60 }, (_, i) => `m${i}`);
  const doc = run(documentOf(1, []), ...ids.map((id): Edit => ({ type: "add-marker", id, position: 500 })));
  for (const id of ids) {
    const out = applyEdits(doc, [{ type: "remove-marker", id }]);
    expect(JSON.stringify(dataOf(applyChanges(out.doc, invertChanges(out.changes))))).toBe(JSON.stringify(dataOf(doc)));
  }
});
