import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Document, dataOf, timebaseOf } from "../../../model/document";
import { clipEnd } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { documentOf, documents, PCM, plainClip, sameSamples } from "../../../testing/arbitraries";
import { spanContent } from "../../laying/span-content";
import { applyEdit, applyEdits, type Edit } from "../../registry";

const row = (doc: Document, track = "t0") => doc.lanes.get(track)?.clips.map((c) => [c.start, clipEnd(c), c.offset]);
const run = (doc: Document, ...edits: Edit[]) => applyEdits(doc, edits).doc;
const ALL = ["t0", "t1", "t2"];

function play(doc: Document, from: number, count: number): Float32Array {
  const left = new Float32Array(count);
  const right = new Float32Array(count);
  new Renderer(doc, new MemoryReader(PCM)).render(from, count, left, right);
  return Float32Array.from([...left, ...right]);
}

/** No blends: what a range cuts out of one is put back to its splice first, which changes the sound on purpose. */
const spans = fc
  .tuple(fc.integer({ min: 0, max: 9000 }), fc.integer({ min: 1, max: 4000 }))
  .map(([start, length]) => ({ start, end: start + length }));

describe("range edits", () => {
  const doc = documentOf(2, [plainClip({ id: "a", start: 100, length: 1000 }), plainClip({ id: "b", trackId: "t1", start: 600, length: 1000 })]);
  it("clear a range, or close it with the gaps in it, on all its tracks", () => {
    const held = run(doc, { type: "delete-range", start: 300, end: 700, trackIds: ["t0", "t1"] });
    expect([row(held), row(held, "t1")]).toEqual([
      [
        [100, 300, 0],
        [700, 1100, 600],
      ],
      [[700, 1600, 100]],
    ]);
    const closed = run(doc, { type: "delete-range", start: 300, end: 700, trackIds: ["t0", "t1"], neighbours: "ripple" });
    expect([row(closed), row(closed, "t1")]).toEqual([
      [
        [100, 300, 0],
        [300, 700, 600],
      ],
      [[300, 1200, 100]],
    ]);
  });
  it("pull a range out and take it elsewhere, gaps kept", () => {
    const moved = run(doc, { type: "move-range", start: 300, end: 700, trackIds: ["t0", "t1"], by: 3000 });
    expect([row(moved), row(moved, "t1")]).toEqual([
      [
        [100, 300, 0],
        [700, 1100, 600],
        [3300, 3700, 200],
      ],
      [
        [700, 1600, 100],
        [3600, 3700, 0],
      ],
    ]);
  });
  it("repeat a range with what is empty in it", () => {
    const twice = run(documentOf(1, [plainClip({ id: "a", start: 100, length: 300 })]), {
      type: "repeat-range",
      start: 0,
      end: 1000,
      trackIds: ["t0"],
      times: 2,
    });
    expect(row(twice)).toEqual([
      [100, 400, 0],
      [1100, 1400, 0],
      [2100, 2400, 0],
    ]);
  });
  it("cleared is silent, and nothing outside changes by one sample", () => {
    fc.assert(
      fc.property(documents, spans, (d, { start, end }) => {
        const cleared = run(d, { type: "delete-range", start, end, trackIds: ALL });
        expect(play(cleared, start, end - start).every((v) => v === 0)).toBe(true);
        expect(sameSamples(play(cleared, 0, start), play(d, 0, start))).toBe(true);
        expect(sameSamples(play(cleared, end, 4000), play(d, end, 4000))).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
  it("split out changes nothing that is heard; copied, it sounds the same elsewhere", () => {
    fc.assert(
      fc.property(documents, spans, (d, { start, end }) => {
        if (!ALL.some((t) => d.lanes.get(t)?.within(start, end).length)) return;
        expect(sameSamples(play(run(d, { type: "split-range", start, end, trackIds: ALL }), 0, 16_000), play(d, 0, 16_000))).toBe(true);
        const copied = run(d, { type: "move-range", start, end, trackIds: ALL, to: 30_000, copy: true });
        expect(sameSamples(play(copied, 30_000, end - start), play(d, start, end - start))).toBe(true);
        expect(sameSamples(play(copied, 0, 16_000), play(d, 0, 16_000))).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
});

describe("the whole piece", () => {
  const bare = { edgeFade: { length: 0, shape: "power" as const, bend: 0 } };
  it("opened by time plays the same before and, later by just that, after", () => {
    fc.assert(
      fc.property(documents, fc.integer({ min: 0, max: 12_000 }), fc.integer({ min: 1, max: 5000 }), (d, at, length) => {
        const opened = run(d, { type: "insert-time", at, length, ...bare });
        expect(sameSamples(play(opened, 0, at), play(d, 0, at))).toBe(true);
        expect(play(opened, at, length).every((v) => v === 0)).toBe(true);
        expect(sameSamples(play(opened, at + length, 5000), play(d, at, 5000))).toBe(true);
        const closed = run(opened, { type: "remove-time", start: at, end: at + length, ...bare });
        expect(sameSamples(play(closed, 0, 16_000), play(d, 0, 16_000))).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
  it("with a section inserted plays it there, and everything later exactly its length later", () => {
    fc.assert(
      fc.property(documents, spans, fc.integer({ min: 0, max: 12_000 }), (d, { start, end }, at) => {
        const length = end - start;
        const longer = run(d, { type: "insert-section", start, end, at, ...bare });
        expect(sameSamples(play(longer, 0, at), play(d, 0, at))).toBe(true);
        expect(sameSamples(play(longer, at, length), play(d, start, length))).toBe(true);
        expect(sameSamples(play(longer, at + length, 5000), play(d, at, 5000))).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
  it("takes markers, sections, tempo and meter along, and smooths the clips it cuts", () => {
    const d = run(
      documentOf(2, [plainClip({ id: "a", sourceId: "stereo", start: 90_000, length: 9000 })]),
      {
        type: "set-time",
        tempo: [
          { tick: 0, bpm: 120 },
          { tick: 11_520, bpm: 60 },
        ],
        meter: [
          { tick: 0, numerator: 4, denominator: 4 },
          { tick: 11_520, numerator: 3, denominator: 4 },
        ],
      },
      { type: "add-marker", id: "m", position: 150_000 },
      { type: "add-section", id: "s", start: 0, end: 96_000 },
    );
    // Bar 1 to 2 goes in again at bar 2; bar 4, where tempo and meter change, becomes bar 5.
    const after = applyEdit(d, { type: "insert-section", start: 0, end: 96_000, at: 96_000, key: "sect" }).doc;
    expect(after.markers.get("m")?.position).toBe(246_000);
    expect(after.piece.tempo).toEqual([
      { tick: 0, bpm: 120 },
      { tick: 15_360, bpm: 60 },
    ]);
    expect(timebaseOf(after).meter.position(15_360)).toEqual({ bar: 5, beat: 1, tick: 0 });
    expect(dataOf(after).sections.map((s) => [s.start, s.end])).toEqual([
      [0, 96_000],
      [96_000, 192_000],
    ]);
    // The clip was cut at bar 2: both new edges fade, and the copy's too.
    expect(after.lanes.get("t0")?.clips.map((c) => [c.start, clipEnd(c), c.fadeIn.length, c.fadeOut.length])).toEqual([
      [90_000, 96_000, 0, 192],
      [186_000, 192_000, 0, 0],
      [192_000, 195_000, 0, 0],
    ]);
  });
  it("can be given what was copied earlier, whatever became of it since", () => {
    const d = documentOf(1, [plainClip({ id: "a", start: 100, length: 500 })]);
    const content = spanContent(d, 0, 1000);
    const gone = run(d, { type: "delete", clipIds: ["a"] });
    expect(row(run(gone, { type: "insert-section", at: 2000, content }))).toEqual([[2100, 2600, 0]]);
  });
});
