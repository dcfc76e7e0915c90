import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fadeGain } from "../../dsp/fades";
import type { Document } from "../../model/document";
import { type Clip, clipEnd } from "../../model/schema";
import { MemoryReader } from "../../render/reader";
import { Renderer } from "../../render/renderer";
import { measureSeam, quietEdges } from "../../seam/measure";
import { allSeams, classify } from "../../seam/seams";
import { documentOf, PCM, plainClip, sameSamples } from "../../testing/arbitraries";
import { applyEdit, applyEdits, type Edit } from "../registry";

const reader = new MemoryReader(PCM);
function play(doc: Document, from = 0, count = 16_000): Float32Array {
  const left = new Float32Array(count);
  new Renderer(doc, reader).render(from, count, left, new Float32Array(count));
  return left;
}
const run = (doc: Document, ...edits: Edit[]) => applyEdits(doc, edits).doc;
const lane = (doc: Document, id = "t0") => doc.lanes.get(id)?.clips ?? [];
const spans = (doc: Document, id = "t0") => lane(doc, id).map((c) => [c.start, clipEnd(c), c.blend !== null]);

/** Two clips that blend around 3000. */
const blended = () =>
  run(
    documentOf(2, [
      plainClip({ id: "a", length: 3000, offset: 500, sync: 700 }),
      plainClip({ id: "b", sourceId: "stereo", start: 3000, length: 3000, offset: 1000, sync: 2500 }),
    ]),
    { type: "set-blend", clipId: "b", length: 400 },
  );

describe("one edit that cuts at many places", () => {
  it.each<[string, Edit]>([
    ["both clips of a blend, by track", { type: "split", trackIds: ["t0"], at: [1000, 5000] }],
    ["both by name, in order", { type: "split", clipIds: ["a", "b"], at: [1000, 5000] }],
    ["both by name, the later first", { type: "split", clipIds: ["b", "a"], at: [1000, 5000] }],
    ["in parts", { type: "split", clipIds: ["a", "b"], parts: 2 }],
    ["every so much", { type: "split", clipIds: ["a", "b"], every: 2000 }],
  ])("keeps blends, sync points and every sample: %s", (_, edit) => {
    const doc = blended();
    const cut = run(doc, edit);
    expect(lane(cut).length).toBeGreaterThan(3);
    expect(lane(cut).filter((c) => c.blend)).toHaveLength(1);
    expect(sameSamples(play(cut), play(doc))).toBe(true);
    const marks = (d: Document) => lane(d).flatMap((c) => (c.sync === null ? [] : [c.start + c.sync]));
    expect(marks(cut)).toEqual(marks(doc));
  });
  it("is as several edits of one place each, in any order", () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 1, max: 5999 }), { minLength: 2, maxLength: 6 }), (places) => {
        const doc = blended();
        const free = places.filter((p) => p < 2800 || p > 3200);
        if (free.length === 0) return;
        const once = run(doc, { type: "split", trackIds: ["t0"], at: free });
        const oneByOne = run(doc, ...free.map((p): Edit => ({ type: "split", trackIds: ["t0"], at: p })));
        const plain = (d: Document) => lane(d).map(({ id: _, blend, ...c }) => ({ ...c, blend: blend && { ...blend, with: "" } }));
        expect(plain(oneByOne)).toEqual(plain(once));
      }),
    );
  });
  it("says why a place inside a blend is refused, or passed over", () => {
    expect(() => run(blended(), { type: "split", clipIds: ["a"], at: 2900 })).toThrow(/in its blend/);
    expect(() => run(blended(), { type: "split", trackIds: ["t0"], at: 2900 })).toThrow(/in its blend/);
    expect(applyEdit(blended(), { type: "split", trackIds: ["t0"], at: [1000, 2900] }).notes[0]).toMatch(/in its blend/);
  });
  it("cuts ten thousand places of one clip at once", () => {
    const doc = documentOf(1, [plainClip({ id: "a", sourceId: "stereo", length: 9000 })]);
    const at = Array.from({ length: 8900 }, (_, i) => i + 50);
    const cut = run(doc, { type: "split", trackIds: ["t0"], at });
    expect(lane(cut)).toHaveLength(8901);
    expect(sameSamples(play(cut, 0, 9000), play(doc, 0, 9000))).toBe(true);
  });
  it("refuses pieces beyond what is ever meant before it counts them", () => {
    const doc = documentOf(1, [plainClip({ id: "a", length: 6000 })]);
    expect(() => run(doc, { type: "split", clipIds: ["a"], every: 1 })).toThrow(/more than 4096 pieces/);
  });
});

describe("a span taken out of a clip", () => {
  it("by Cover over its middle keeps the blend into the next", () => {
    const doc = run(blended(), { type: "add-clip", id: "c", trackId: "t0", sourceId: "mono", start: 1000, length: 500, overlap: "cover" });
    expect(spans(doc)).toEqual([
      [0, 1000, false],
      [1000, 1500, false],
      [1500, 3200, false],
      [2800, 6000, true],
    ]);
    expect(sameSamples(play(doc, 1500, 5000), play(blended(), 1500, 5000))).toBe(true);
  });
  it("by Cover over its start leaves the rest the clip that it was", () => {
    const doc = documentOf(1, [plainClip({ id: "a", length: 1000 }), plainClip({ id: "b", start: 1000, length: 1000, offset: 2500 })]);
    const covered = run(doc, { type: "move", clipIds: ["a"], by: 300, overlap: "cover" });
    expect(covered.clips.get("b")).toMatchObject({ start: 1300, offset: 2800, length: 700 });
    expect(covered.clips.size).toBe(2);
  });
  it("by Cover over a blend puts both back to the splice first", () => {
    const doc = run(blended(), { type: "add-clip", id: "c", trackId: "t0", sourceId: "mono", start: 2950, length: 20, overlap: "cover" });
    expect(spans(doc)).toEqual([
      [0, 2950, false],
      [2950, 2970, false],
      [2970, 3000, false],
      [3000, 6000, false],
    ]);
  });
});

describe("what ends a blend", () => {
  const edgeFade = { length: 100, shape: "power" as const, bend: 0 };
  it.each<[string, Edit, "a" | "b", Partial<Clip>]>([
    ["the later clip deleted", { type: "delete", clipIds: ["b"], edgeFade }, "a", { start: 0, length: 3000, fadeOut: edgeFade }],
    ["the earlier deleted", { type: "delete", clipIds: ["a"], edgeFade }, "b", { start: 3000, offset: 1000, length: 3000, fadeIn: edgeFade }],
    ["the later moved away", { type: "move", clipIds: ["b"], by: 2000, edgeFade }, "a", { length: 3000, fadeOut: edgeFade }],
    [
      "the earlier moved to another track",
      { type: "move", clipIds: ["a"], tracks: 1, edgeFade },
      "b",
      { start: 3000, length: 3000, fadeIn: edgeFade },
    ],
    [
      "the mover too goes back",
      { type: "move", clipIds: ["b"], by: 2000, edgeFade },
      "b",
      { start: 5000, offset: 1000, length: 3000, fadeIn: edgeFade },
    ],
  ])("puts the one that stays back to its splice, its edge new: %s", (_, edit, id, like) => {
    expect(run(blended(), edit).clips.get(id)).toMatchObject({ ...like, blend: null });
  });
  it("mutes nothing of it: a muted clip keeps its blend, and the other sounds as before", () => {
    const [doc, muted] = [blended(), run(blended(), { type: "mute", clipIds: ["b"], mute: true })];
    const solo = run(doc, { type: "set-gain", clipIds: ["b"], gain: -144 });
    expect(sameSamples(play(muted), play(solo))).toBe(true);
  });
});

describe("an edge laid bare in the middle of a fade", () => {
  const long = { length: 2000, shape: "power" as const, bend: 0 };
  const edgeFade = { length: 192, shape: "s" as const, bend: 0 };
  const doc = documentOf(1, [plainClip({ id: "a", length: 4000, fadeIn: long })]);
  const bare = (...edits: Edit[]) => run(doc, { type: "split", clipIds: ["a"], at: 1000, key: "cut0" }, ...edits);
  it("is raw where it was left bare, by the edge itself", () => {
    const cut = bare({ type: "delete", clipIds: ["a"] });
    const [seam] = allSeams(cut);
    expect(classify(seam, 48_000, quietEdges(cut, reader))).toBe("raw");
    expect(measureSeam(cut, seam, reader, quietEdges(cut, reader)).click).not.toBeNull();
  });
  it("is multiplied by the fade of new edges, and cut again changes no bit", () => {
    const cut = bare({ type: "delete", clipIds: ["a"], edgeFade });
    const clip = lane(cut)[0];
    for (let i = 0; i < 1000; i++) {
      const whole = fadeGain(long, 1000 + i) * (i < 192 ? fadeGain(edgeFade, i) : 1);
      expect(fadeGain(clip.fadeIn, i)).toBe(whole);
    }
    expect(classify(allSeams(cut)[0], 48_000, quietEdges(cut, reader))).toBe("smooth");
    for (const at of [1050, 1192, 1900, 2500]) expect(sameSamples(play(run(cut, { type: "split", clipIds: [clip.id], at })), play(cut))).toBe(true);
    const joined = run(cut, { type: "split", clipIds: [clip.id], at: 1100, key: "cut1" }, { type: "join", clipIds: [clip.id, "cut1.1"] });
    expect(lane(joined)[0].fadeIn).toEqual(clip.fadeIn);
  });
  it("reaches over what is left where that is shorter", () => {
    const cut = run(doc, { type: "split", clipIds: ["a"], at: 1990, key: "cut0" }, { type: "delete", clipIds: ["a"], edgeFade });
    const { fadeIn } = lane(cut)[0];
    expect(fadeIn.length).toBe(192);
    expect(fadeGain(fadeIn, 100)).toBe(fadeGain(edgeFade, 100));
    expect(fadeGain(fadeIn, 3)).toBe(fadeGain(long, 1993) * fadeGain(edgeFade, 3));
  });
  it("is smoothed by sections and time put in or taken out", () => {
    for (const edit of [
      { type: "insert-time", at: 1000, length: 500 },
      { type: "remove-time", start: 800, end: 1000 },
      { type: "insert-section", at: 1000, start: 3000, end: 3500 },
    ] as Edit[]) {
      const after = run(doc, edit);
      for (const seam of allSeams(after).slice(1, -1)) expect(classify(seam, 48_000, quietEdges(after, reader)), edit.type).not.toBe("raw");
    }
  });
  it("fades out also where the fade-in still runs, and pulled out again goes on with its curve", () => {
    const cut = run(doc, { type: "split", clipIds: ["a"], at: 1000, key: "cut0" }, { type: "delete", clipIds: ["cut0.1"], edgeFade });
    expect(lane(cut)[0]).toMatchObject({ fadeIn: { length: 1000 }, fadeOut: { length: 192 } });
    const sound = play(cut);
    const plain = PCM.get("mono")?.[0] ?? new Float32Array();
    for (let i = 700; i < 1000; i++) {
      const gain = fadeGain(long, i) * (i >= 808 ? fadeGain(edgeFade, 999 - i) : 1);
      expect(sound[i]).toBe(Math.fround(plain[i] * gain));
    }
    const out = run(cut, { type: "set-fade", clipIds: ["a"], edge: "out", length: 0 }, { type: "trim", clipIds: ["a"], edge: "end", by: 3000 });
    expect(sameSamples(play(out), play(doc))).toBe(true);
  });
  it("keeps what a cut left of a fade when the fade is set to what it is", () => {
    const cut = bare();
    expect(run(cut, { type: "set-fade", clipIds: ["cut0.1"], edge: "in", length: 1000 }).clips.get("cut0.1")).toEqual(cut.clips.get("cut0.1"));
  });
});

describe("a clip too short for two fades", () => {
  const edgeFade = { length: 192, shape: "power" as const, bend: 0 };
  const doc = documentOf(1, [plainClip({ id: "a", length: 301 }), plainClip({ id: "b", start: 1000 })]);
  it("gets half of it at each end, by new edges and by smoothing", () => {
    const added = run(doc, { type: "add-clip", id: "n", trackId: "t0", sourceId: "mono", start: 4000, length: 301, edgeFade }).clips.get("n");
    expect([added?.fadeIn.length, added?.fadeOut.length]).toEqual([151, 150]);
    const seams = [
      { left: null, right: "a", position: 0 },
      { left: "a", right: null, position: 301 },
    ];
    for (const list of [[seams], [[seams[0]], [seams[1]]], [[seams[1]], [seams[0]]]]) {
      const smooth = run(doc, ...list.map((some): Edit => ({ type: "smooth", seams: some, length: 192 }))).clips.get("a");
      expect([smooth?.fadeIn.length, smooth?.fadeOut.length].sort()).toEqual([150, 151]);
    }
  });
  it("gets its end faded where the start has taken all of it", () => {
    const taken = run(doc, { type: "set-fade", clipIds: ["a"], edge: "in", length: 301 });
    const smooth = run(taken, { type: "smooth", seams: [{ left: "a", right: null, position: 301 }], length: 192 }).clips.get("a");
    expect([smooth?.fadeIn.length, smooth?.fadeOut.length]).toEqual([150, 151]);
  });
});

describe("inserting a section", () => {
  it("leaves edges that were bare as they are, wherever it is inserted, and fades what its borders cut", () => {
    const doc = documentOf(1, [plainClip({ id: "a", length: 1000 }), plainClip({ id: "b", start: 1200, length: 1000, offset: 333 })]);
    for (const at of [0, 600, 3000]) {
      const after = run(doc, { type: "insert-section", at, start: 500, end: 1500 });
      const copies = lane(after).filter((c) => c.start >= at && clipEnd(c) <= at + 1000);
      expect(copies.map((c) => [c.start - at, c.fadeIn.length > 0, c.fadeOut.length > 0])).toEqual([
        [0, true, false],
        [700, false, true],
      ]);
    }
  });
});
