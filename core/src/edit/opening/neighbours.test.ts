import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../model/document";
import { clipEnd } from "../../model/schema";
import { MemoryReader } from "../../render/reader";
import { Renderer } from "../../render/renderer";
import { documentOf, PCM, plainClip, sameSamples } from "../../testing/arbitraries";
import { applyEdit, applyEdits, type Edit } from "../registry";

/** Clips of a row as [name, start, end]. */
const row = (doc: Document, track = "t0") => doc.lanes.get(track)?.clips.map((c) => [c.id, c.start, clipEnd(c)]);
const clip = (id: string, start: number, length: number, track = "t0") => plainClip({ id, start, length, trackId: track, offset: 1000 });
const three = () => documentOf(3, [clip("a", 0, 100), clip("b", 150, 200), clip("c", 400, 100), clip("x", 120, 50, "t1"), clip("y", 390, 50, "t1")]);
const run = (doc: Document, ...edits: Edit[]) => applyEdits(doc, edits).doc;

function play(doc: Document, tracks: Set<string>, from: number, count: number): Float32Array {
  const left = new Float32Array(count);
  const right = new Float32Array(count);
  new Renderer(doc, new MemoryReader(PCM), { tracks }).render(from, count, left, right);
  return left;
}

describe("holding", () => {
  it("leaves a gap where something was deleted, and nothing moves", () => {
    expect(row(run(three(), { type: "delete", clipIds: ["b"] }))).toEqual([
      ["a", 0, 100],
      ["c", 400, 500],
    ]);
  });
});

describe("rippling", () => {
  it("closes over a deleted clip, on this track only", () => {
    const after = run(three(), { type: "delete", clipIds: ["b"], neighbours: "ripple" });
    expect(row(after)).toEqual([
      ["a", 0, 100],
      ["c", 200, 300],
    ]);
    expect(row(after, "t1")).toEqual(row(three(), "t1"));
  });
  it("with all tracks in reach moves what starts at or after the old end there too, with markers", () => {
    const marked = run(three(), { type: "add-marker", id: "m", position: 450 }, { type: "add-section", id: "s", start: 100, end: 450 });
    const after = run(marked, { type: "delete", clipIds: ["b"], neighbours: "ripple", reach: "all" });
    expect(row(after, "t1")).toEqual([
      ["x", 120, 170],
      ["y", 190, 240],
    ]);
    expect(after.markers.get("m")?.position).toBe(250);
    expect(after.sections.get("s")).toMatchObject({ start: 100, end: 250 });
  });
  it("moves later clips when an end is trimmed, and pulls the rest in when a start is", () => {
    expect(row(run(three(), { type: "trim", clipIds: ["b"], edge: "end", by: -50, neighbours: "ripple" }))).toEqual([
      ["a", 0, 100],
      ["b", 150, 300],
      ["c", 350, 450],
    ]);
    const start = run(three(), { type: "trim", clipIds: ["b"], edge: "start", by: 30, neighbours: "ripple" });
    expect(row(start)).toEqual([
      ["a", 0, 100],
      ["b", 150, 320],
      ["c", 370, 470],
    ]);
    expect(start.clips.get("b")?.offset).toBe(1030);
    expect(row(run(three(), { type: "trim", clipIds: ["b"], edge: "start", by: -300, neighbours: "ripple" }))?.[1]).toEqual(["b", 150, 650]);
  });
  it("counts trims at one place on several tracks in reach once", () => {
    const doc = documentOf(2, [clip("a", 0, 100), clip("b", 100, 100), clip("x", 0, 100, "t1"), clip("y", 100, 100, "t1")]);
    const after = run(doc, { type: "trim", clipIds: ["a", "x"], edge: "end", by: 40, neighbours: "ripple", reach: "all" });
    expect([row(after)?.[1], row(after, "t1")?.[1]]).toEqual([
      ["b", 140, 240],
      ["y", 140, 240],
    ]);
  });
  it("takes what is later along with a moved clip", () => {
    expect(row(run(three(), { type: "move", clipIds: ["b"], by: 25, neighbours: "ripple" }))).toEqual([
      ["a", 0, 100],
      ["b", 175, 375],
      ["c", 425, 525],
    ]);
  });
  it("closes up behind a clip that goes to another track and makes room there, splitting what it lands in", () => {
    const after = run(three(), { type: "move", clipIds: ["b"], to: 140, trackId: "t1", neighbours: "ripple", key: "drop" });
    expect(row(after)).toEqual([
      ["a", 0, 100],
      ["c", 200, 300],
    ]);
    expect(row(after, "t1")).toEqual([
      ["x", 120, 140],
      ["b", 140, 340],
      ["drop.1", 340, 370],
      ["y", 590, 640],
    ]);
  });
  it("makes room for a paste, and for copies after their clips", () => {
    expect(row(run(three(), { type: "repeat", clipIds: ["a"], times: 2, neighbours: "ripple", key: "more" }))).toEqual([
      ["a", 0, 100],
      ["more.1", 100, 200],
      ["more.2", 200, 300],
      ["b", 350, 550],
      ["c", 600, 700],
    ]);
    const held = { ...clip("held", 0, 80), blend: null };
    expect(row(run(three(), { type: "paste", at: 200, clips: [held], neighbours: "ripple", key: "past" }))).toEqual([
      ["a", 0, 100],
      ["b", 150, 200],
      ["past.2", 200, 280],
      ["past.1", 280, 430],
      ["c", 480, 580],
    ]);
  });
  it("keeps a blend whose clips move together, and undoes it where one is deleted", () => {
    const blended = run(documentOf(1, [clip("a", 0, 2000), plainClip({ id: "b", sourceId: "stereo", start: 2000, length: 2000, offset: 500 })]), {
      type: "set-blend",
      clipId: "b",
      length: 200,
    });
    const trimmed = run(blended, { type: "trim", clipIds: ["a"], edge: "start", by: 300, neighbours: "ripple" });
    expect(trimmed.clips.get("b")).toMatchObject({ start: 1600, fadeIn: { length: 200 }, blend: { with: "a", splice: 1700 } });
    expect(row(run(blended, { type: "delete", clipIds: ["a"], neighbours: "ripple" }))).toEqual([["b", 0, 2000]]);
  });
  it("leaves every sample outside its reach alone, and what moved sounds the same later", () => {
    fc.assert(
      fc.property(
        fc.constantFrom<Edit[]>(
          [{ type: "delete", clipIds: ["b"] }],
          [{ type: "trim", clipIds: ["b"], edge: "end", by: -60 }],
          [{ type: "trim", clipIds: ["b"], edge: "start", by: 70 }],
          [{ type: "repeat", clipIds: ["b"], times: 2 }],
          [{ type: "delete-range", start: 160, end: 340, trackIds: ["t0"] }],
        ),
        fc.constantFrom("track", "linked"),
        ([edit], reach) => {
          const doc = three();
          const after = run(doc, { ...edit, neighbours: "ripple", reach });
          expect(sameSamples(play(after, new Set(["t1"]), 0, 900), play(doc, new Set(["t1"]), 0, 900))).toBe(true);
          const by = (after.clips.get("c")?.start ?? 0) - 400;
          expect(clipEnd(after.lanes.get("t0")?.clips.at(-1) as never)).toBe(500 + by);
          expect(sameSamples(play(after, new Set(["t0"]), 400 + by, 200), play(doc, new Set(["t0"]), 400, 200))).toBe(true);
          expect(sameSamples(play(after, new Set(["t0"]), 0, 150), play(doc, new Set(["t0"]), 0, 150))).toBe(true);
        },
      ),
    );
  });
});

describe("reordering", () => {
  it("takes a clip with the gap after it to its new place; the total stays", () => {
    const after = run(three(), { type: "move", clipIds: ["a"], by: 0, before: "c", neighbours: "reorder" });
    expect(row(after)).toEqual([
      ["b", 0, 200],
      ["a", 250, 350],
      ["c", 400, 500],
    ]);
    const back = run(after, { type: "move", clipIds: ["a"], by: 0, before: "b", neighbours: "reorder" });
    expect(row(back)).toEqual(row(three()));
  });
  it("goes to the joint nearest to the drop, and after the last", () => {
    expect(row(run(three(), { type: "move", clipIds: ["c"], to: 140, neighbours: "reorder" }))?.map(([id]) => id)).toEqual(["a", "c", "b"]);
    expect(row(run(three(), { type: "move", clipIds: ["a"], to: 480, neighbours: "reorder" }))).toEqual([
      ["b", 0, 200],
      ["c", 250, 350],
      ["a", 400, 500],
    ]);
  });
  it("is the identity there and back, behind the last one too, for one clip or a block", () => {
    const lengths = fc.array(fc.tuple(fc.integer({ min: 1, max: 300 }), fc.integer({ min: 0, max: 80 })), { minLength: 3, maxLength: 6 });
    fc.assert(
      fc.property(lengths, fc.nat(), fc.integer({ min: 1, max: 2 }), fc.nat(), (list, which, many, where) => {
        let at = 7;
        const clips = list.map(([length, gap], i) => {
          const one = plainClip({ id: `c${i}`, start: at, length, offset: i * 500 });
          at += length + gap;
          return one;
        });
        const doc = documentOf(1, clips);
        const total = clipEnd(doc.lanes.get("t0")?.clips.at(-1) as never);
        const first = which % (clips.length - many + 1);
        const ids = clips.slice(first, first + many).map((c) => c.id);
        const rest = clips.filter((c) => !ids.includes(c.id));
        const before = [...rest.map((c) => c.id), null][where % (rest.length + 1)];
        const there = run(doc, { type: "move", clipIds: ids, before, neighbours: "reorder" });
        expect(Math.max(...(there.lanes.get("t0")?.clips ?? []).map(clipEnd))).toBe(total);
        const back = run(there, { type: "move", clipIds: ids, before: clips[first + many]?.id ?? null, neighbours: "reorder" });
        expect(row(back)).toEqual(row(doc));
      }),
    );
  });
  it("between tracks closes up the one and makes room on the other", () => {
    const after = run(three(), { type: "move", clipIds: ["b"], trackId: "t1", before: "y", neighbours: "reorder" });
    expect(row(after)).toEqual([
      ["a", 0, 100],
      ["c", 150, 250],
    ]);
    expect(row(after, "t1")).toEqual([
      ["x", 120, 170],
      ["b", 390, 590],
      ["y", 640, 690],
    ]);
  });
  it("plays each clip's samples at its new place, whatever order they are put in", () => {
    const lengths = fc.array(fc.tuple(fc.integer({ min: 1, max: 300 }), fc.integer({ min: 0, max: 80 })), { minLength: 2, maxLength: 6 });
    fc.assert(
      fc.property(lengths, fc.array(fc.tuple(fc.nat(), fc.nat()), { maxLength: 6 }), (list, moves) => {
        let at = 0;
        const clips = list.map(([length, gap], i) => {
          const one = plainClip({ id: `c${i}`, start: at, length, offset: i * 500 });
          at += length + gap;
          return one;
        });
        let doc = documentOf(1, clips);
        const total = list.reduce((sum, [length]) => sum + length, 0);
        for (const [which, where] of moves) {
          const before = doc.lanes.get("t0")?.clips[where % clips.length]?.id;
          const id = `c${which % clips.length}`;
          if (before === id) continue;
          doc = run(doc, { type: "move", clipIds: [id], before, neighbours: "reorder" });
          const now = doc.lanes.get("t0")?.clips ?? [];
          expect(now.map((c) => c.length).reduce((a, b) => a + b)).toBe(total);
          now.forEach((c, i) => {
            if (i > 0) expect(c.start).toBeGreaterThanOrEqual(clipEnd(now[i - 1]));
            expect(c.offset).toBe(Number(c.id.slice(1)) * 500);
          });
        }
      }),
    );
  });
});

describe("copies", () => {
  it("are independent and keep every distance, with the blends among them", () => {
    const doc = run(documentOf(1, [clip("a", 30, 2000), plainClip({ id: "b", sourceId: "stereo", start: 2030, length: 2000, offset: 500 })]), {
      type: "set-blend",
      clipId: "b",
      length: 200,
    });
    const after = run(doc, { type: "copy", clipIds: ["a", "b"], by: 9000, key: "copy" });
    expect(after.clips.get("copy.2")).toMatchObject({ start: 10_930, blend: { with: "copy.1", splice: 11_030 }, fadeIn: { length: 200 } });
    expect(sameSamples(play(after, new Set(["t0"]), 9000, 4100), play(doc, new Set(["t0"]), 0, 4100))).toBe(true);
    const moved = run(after, { type: "set-gain", clipIds: ["copy.1"], gain: -6 });
    expect(moved.clips.get("a")?.gain).toBe(0);
  });
  it("of one clip of a blend leave the blend behind", () => {
    const doc = run(documentOf(1, [clip("a", 0, 2000), plainClip({ id: "b", sourceId: "stereo", start: 2000, length: 2000, offset: 500 })]), {
      type: "set-blend",
      clipId: "b",
      length: 200,
    });
    const after = run(doc, { type: "copy", clipIds: ["a"], by: 9000, key: "copy" });
    expect(after.clips.get("copy.1")?.fadeOut.length).toBe(0);
  });
  it("fill up to a point and are cut there", () => {
    const after = run(documentOf(1, [clip("a", 0, 100)]), { type: "repeat", clipIds: ["a"], until: 350, key: "fill" });
    expect(row(after)).toEqual([
      ["a", 0, 100],
      ["fill.1", 100, 200],
      ["fill.2", 200, 300],
      ["fill.3", 300, 350],
    ]);
    expect(() => run(after, { type: "repeat", clipIds: ["a"], until: 50 })).toThrow(/no room to fill/);
  });
});

describe("linked tracks", () => {
  const linked = () =>
    run(
      documentOf(3, [clip("a", 0, 1000), clip("b", 2000, 1000), clip("x", 12, 1000, "t1"), clip("y", 1990, 1000, "t1"), clip("z", 0, 1000, "t2")]),
      { type: "set-track", trackIds: ["t0", "t1"], link: "bells" },
    );
  it("are edited together, each at its own place", () => {
    const moved = run(linked(), { type: "move", clipIds: ["a"], by: 50 });
    expect([row(moved)?.[0], row(moved, "t1")?.[0], row(moved, "t2")?.[0]]).toEqual([
      ["a", 50, 1050],
      ["x", 62, 1062],
      ["z", 0, 1000],
    ]);
    const trimmed = run(linked(), { type: "trim", clipIds: ["a"], edge: "end", to: 900 });
    expect(row(trimmed, "t1")?.[0]).toEqual(["x", 12, 912]);
    const cut = run(linked(), { type: "split", clipIds: ["b"], at: 2500 });
    expect(row(cut, "t1")).toHaveLength(3);
    expect(row(run(linked(), { type: "delete-range", start: 100, end: 200, trackIds: ["t1"] }))).toHaveLength(3);
  });
  it("are left alone while links are suspended, and resuming moves nothing", () => {
    const alone = run(linked(), { type: "move", clipIds: ["a"], by: 300, links: false });
    expect(row(alone, "t1")?.[0]).toEqual(["x", 12, 1012]);
    const again = run(alone, { type: "move", clipIds: ["a"], by: 100 });
    expect([row(again)?.[0], row(again, "t1")?.[0]]).toEqual([
      ["a", 400, 1400],
      ["x", 112, 1112],
    ]);
  });
  it("ripple together when they are the reach", () => {
    const after = run(linked(), { type: "trim", clipIds: ["a"], edge: "end", by: -100, links: false, neighbours: "ripple", reach: "linked" });
    expect([row(after)?.[1], row(after, "t1")?.[1]]).toEqual([
      ["b", 1900, 2900],
      ["y", 1890, 2890],
    ]);
  });
  it("blend together where there is something to blend", () => {
    const doc = run(
      documentOf(2, [clip("a", 0, 1000), clip("b", 1000, 1000), clip("x", 5, 1000, "t1"), clip("y", 1005, 1000, "t1")]),
      { type: "set-track", trackIds: ["t0", "t1"], link: "l" },
      { type: "set-clip", clipIds: ["b", "y"], name: "later" },
      { type: "shift-inside", clipIds: ["b"], by: -40 },
    );
    const after = run(doc, { type: "set-blend", clipId: "b", length: 100 });
    expect(after.clips.get("y")).toMatchObject({ start: 955, blend: { with: "x" } });
  });
});

describe("joining", () => {
  it("heals what a split parted, fades and all", () => {
    const whole = plainClip({
      id: "a",
      start: 40,
      offset: 70,
      length: 3000,
      fadeIn: { length: 900, shape: "s", bend: 0.4 },
      fadeOut: { length: 1200, shape: "fast", bend: 0 },
      sync: 1700,
    });
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 41, max: 3039 }), { minLength: 1, maxLength: 5 }), (cuts) => {
        const doc = documentOf(1, [whole]);
        const parts = applyEdit(doc, { type: "split", clipIds: ["a"], at: cuts }).doc;
        const ids = parts.lanes.get("t0")?.clips.map((c) => c.id) as string[];
        expect(run(parts, { type: "join", clipIds: ids }).lanes.get("t0")?.clips).toEqual([whole]);
      }),
    );
  });
  it("makes a container of others, which sounds the same", () => {
    const doc = three();
    const after = run(doc, { type: "join", clipIds: ["a", "b"], key: "join" });
    expect(after.bundles.get("join.1")?.name).toBe("a");
    expect(sameSamples(play(after, new Set(["t0"]), 0, 600), play(doc, new Set(["t0"]), 0, 600))).toBe(true);
    expect(() => run(doc, { type: "join", clipIds: ["a", "x"] })).toThrow(/only one clip/);
  });
});

describe("splitting", () => {
  it("parts equally by number, by length, and with a pad before each cut", () => {
    const doc = documentOf(1, [clip("a", 10, 1000)]);
    expect(row(run(doc, { type: "split", clipIds: ["a"], parts: 4 }))?.map(([, s]) => s)).toEqual([10, 260, 510, 760]);
    expect(row(run(doc, { type: "split", clipIds: ["a"], every: 300 }))?.map(([, s]) => s)).toEqual([10, 310, 610, 910]);
    expect(row(run(doc, { type: "split", clipIds: ["a"], at: [200, 400], pad: 6 }))?.map(([, s]) => s)).toEqual([10, 194, 394]);
    expect(() => run(doc, { type: "split", clipIds: ["a"], parts: 2, every: 3 })).toThrow(/Give one of/);
  });
});

describe("layers", () => {
  it("go up and down past what they overlap, and only the clip that is meant is split", () => {
    const doc = run(
      documentOf(1, [clip("a", 0, 1000), clip("b", 2000, 1000), clip("c", 4000, 1000)]),
      { type: "move", clipIds: ["b"], to: 200 },
      { type: "move", clipIds: ["c"], to: 400 },
    );
    const layers = (d: Document) => ["a", "b", "c"].map((id) => d.clips.get(id)?.layer);
    expect(layers(doc)).toEqual([0, 1, 2]);
    expect(layers(run(doc, { type: "set-layer", clipIds: ["a"], to: "top" }))).toEqual([3, 1, 2]);
    expect(layers(run(doc, { type: "set-layer", clipIds: ["c"], to: "bottom" }))).toEqual([1, 2, 0]);
    expect(layers(run(doc, { type: "set-layer", clipIds: ["a"], to: "up" }))).toEqual([1, 0, 2]);
    const cut = run(doc, { type: "split", clipIds: ["c"], at: 600 });
    expect([cut.clips.get("a"), cut.clips.get("b")]).toEqual([doc.clips.get("a"), doc.clips.get("b")]);
  });
});
