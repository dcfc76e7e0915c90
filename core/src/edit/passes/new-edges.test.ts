import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../model/document";
import { NO_FADE } from "../../model/schema";
import { documentOf, plainClip, playOf, sameSamples } from "../../testing/arbitraries";
import { applyEdits, type Edit } from "../registry";

const edgeFade = { length: 192, shape: "power" as const, bend: 0 };
const run = (doc: Document, ...edits: Edit[]): Document => edits.reduce((d, e, i) => applyEdits(d, [{ edgeFade, key: `edit${i}`, ...e }]).doc, doc);
const fades = (doc: Document, id: string) => [doc.clips.get(id)?.fadeIn.length, doc.clips.get(id)?.fadeOut.length];
const silent = (a: Document, b: Document): boolean => {
  const [x, y] = [playOf(a), playOf(b)];
  return sameSamples(x[0], y[0]) && sameSamples(x[1], y[1]);
};

/** One clip, cut at 2000 and 4000 into a, cut1.1 and cut2.1, which run on unbroken. */
const three = (): Document =>
  run(
    documentOf(2, [plainClip({ id: "a", length: 5000, offset: 500 })]),
    { type: "split", clipIds: ["a"], at: 2000, key: "cut1" },
    { type: "split", clipIds: ["cut1.1"], at: 4000, key: "cut2" },
  );
const MIDDLE = "cut1.1";

describe("what an edge got by itself", () => {
  const ways: [string, Edit[]][] = [
    [
      "moved",
      [
        { type: "move", clipIds: [MIDDLE], by: 7000 },
        { type: "move", clipIds: [MIDDLE], by: -7000 },
      ],
    ],
    [
      "moved to another track",
      [
        { type: "move", clipIds: [MIDDLE], tracks: 1 },
        { type: "move", clipIds: [MIDDLE], tracks: -1 },
      ],
    ],
    [
      "muted",
      [
        { type: "mute", clipIds: [MIDDLE], mute: true },
        { type: "mute", clipIds: [MIDDLE], mute: false },
      ],
    ],
    [
      "trimmed inside",
      [
        { type: "trim", clipIds: [MIDDLE], edge: "end", by: -300 },
        { type: "trim", clipIds: [MIDDLE], edge: "end", by: 300 },
      ],
    ],
    [
      "trimmed at an edge that stood bare",
      [
        { type: "trim", clipIds: ["a"], edge: "start", by: 300 },
        { type: "trim", clipIds: ["a"], edge: "start", by: -300 },
      ],
    ],
    ["trimmed in steps", [-100, -100, 50, 150].map((by): Edit => ({ type: "trim", clipIds: [MIDDLE], edge: "end", by }))],
    [
      "trimmed, rippling",
      [
        { type: "trim", clipIds: [MIDDLE], edge: "end", by: -300, neighbours: "ripple" },
        { type: "trim", clipIds: [MIDDLE], edge: "end", by: 300, neighbours: "ripple" },
      ],
    ],
    [
      "reversed",
      [
        { type: "reverse", clipIds: [MIDDLE] },
        { type: "reverse", clipIds: [MIDDLE] },
      ],
    ],
    [
      "reversed alone",
      [
        { type: "move", clipIds: ["a"], by: 9000 },
        { type: "reverse", clipIds: ["a"] },
        { type: "reverse", clipIds: ["a"] },
        { type: "move", clipIds: ["a"], by: -9000 },
      ],
    ],
    [
      "shifted inside",
      [
        { type: "shift-inside", clipIds: [MIDDLE], by: 40 },
        { type: "shift-inside", clipIds: [MIDDLE], by: -40 },
      ],
    ],
    [
      "time put in and taken out",
      [
        { type: "insert-time", at: 3000, length: 700 },
        { type: "remove-time", start: 3000, end: 3700 },
      ],
    ],
    [
      "time put in at a joint",
      [
        { type: "insert-time", at: 2000, length: 700 },
        { type: "remove-time", start: 2000, end: 2700 },
      ],
    ],
    [
      "taken to the end and back",
      [
        { type: "move", clipIds: [MIDDLE], before: null, neighbours: "reorder" },
        { type: "move", clipIds: [MIDDLE], before: "cut2.1", neighbours: "reorder" },
      ],
    ],
  ];
  it.each(ways)("goes by itself: %s and back is the same to the bit", (_, there) => {
    for (const blend of [{}, { edgeBlend: true }]) {
      const doc = three();
      const away = run(doc, { ...there[0], ...blend });
      expect(silent(away, doc)).toBe(false);
      expect(silent(run(doc, ...there.map((e) => ({ ...e, ...blend }))), doc)).toBe(true);
    }
  });
  it("is told from what a person sets", () => {
    const away = run(three(), { type: "move", clipIds: [MIDDLE], by: 7000 });
    expect(away.clips.get(MIDDLE)?.fadeIn).toEqual({ ...edgeFade, lent: true });
    const set = run(
      away,
      { type: "set-fade", clipIds: [MIDDLE], edge: "in", length: 192, shape: "s" },
      { type: "move", clipIds: [MIDDLE], by: -7000 },
    );
    expect(set.clips.get(MIDDLE)?.fadeIn).toEqual({ length: 192, shape: "s", bend: 0 });
    expect(fades(set, "a")).toEqual([0, 192]);
    const meant = run(away, { type: "set-fade", clipIds: [MIDDLE], edge: "in", length: 192 });
    expect(meant.clips.get(MIDDLE)?.fadeIn).toEqual(edgeFade);
  });
  it("goes from all pieces of a fade that was cut", () => {
    const doc = three();
    const cut = run(doc, { type: "move", clipIds: [MIDDLE], by: 7000 }, { type: "split", clipIds: [MIDDLE], at: 9100, key: "more" });
    expect(silent(run(cut, { type: "move", clipIds: [MIDDLE, "more.1"], by: -7000 }), doc)).toBe(true);
  });
});

describe("a new edge", () => {
  it("is asked of the edit, never of numbers: a loop's neighbour says nothing", () => {
    const loop = documentOf(1, [plainClip({ id: "x", length: 1000, offset: 500 }), plainClip({ id: "y", start: 1000, length: 3000, offset: 500 })]);
    // The cut lies at the moment of the recording at which `x` ends.
    const cut = run(loop, { type: "split", clipIds: ["y"], at: 2000, key: "half" }, { type: "move", clipIds: ["half.1"], by: 3000 });
    expect(fades(cut, "y")).toEqual([0, 192]);
    expect(fades(cut, "half.1")).toEqual([192, 0]);
  });
  it("is not one where the audio still runs on through what was done to it, nor where an edge stood bare", () => {
    const bare = [0, 0];
    for (const edit of [
      { type: "treat", chain: [{ kind: "gain", db: -3 }] },
      { type: "set-gain", gain: -3 },
      { type: "set-pitch", cents: 200 },
      { type: "set-envelope", points: [{ at: 0, value: -3 }] },
    ] as Edit[]) {
      const doc = run(three(), { ...edit, clipIds: [MIDDLE] });
      for (const id of ["a", MIDDLE, "cut2.1"]) expect([edit.type, ...fades(doc, id)]).toEqual([edit.type, ...bare]);
    }
    const alone = documentOf(1, [plainClip({ id: "a", length: 3000, offset: 500 })]);
    for (const edit of [
      { type: "reverse" },
      { type: "stretch", factor: 1.5 },
      { type: "shift-inside", by: 100 },
      { type: "treat", chain: [{ kind: "invert" }] },
      { type: "move", by: 3000 },
    ] as Edit[])
      expect([edit.type, ...fades(run(alone, { ...edit, clipIds: ["a"] }), "a")]).toEqual([edit.type, ...bare]);
    const turned = run(alone, { type: "reverse-range", start: 0, end: 3000, trackIds: ["t0"] });
    expect(fades(turned, "a")).toEqual(bare);
  });
  it("takes nothing from an attack where it is asked not to", () => {
    // Hits of the recording: 700, 1490, 1500, 3100.
    const doc = documentOf(1, [plainClip({ id: "a", length: 4000 })]);
    const cutAt = (at: number, attacks: boolean) =>
      run(
        doc,
        { type: "split", clipIds: ["a"], at, key: "half" },
        { type: "move", clipIds: ["half.1"], by: 500, edgeFade: { ...edgeFade, attacks } },
      );
    const fadeIn = (at: number, attacks = true) => cutAt(at, attacks).clips.get("half.1")?.fadeIn.length;
    expect([fadeIn(600), fadeIn(700), fadeIn(695), fadeIn(1400), fadeIn(2000)]).toEqual([100, 16, 16, 90, 192]);
    expect(fadeIn(700, false)).toBe(192);
    expect(fades(cutAt(700, true), "a")).toEqual([0, 192]);
  });
  it("blends where it meets another, as long as there is material, else fades", () => {
    const doc = three();
    const closed = run(doc, { type: "delete", clipIds: [MIDDLE], neighbours: "ripple", edgeBlend: true });
    expect(closed.clips.get("cut2.1")).toMatchObject({ start: 1904, fadeIn: { length: 192 }, blend: { with: "a", splice: 2000, lent: true } });
    const own = run(closed, { type: "set-blend", clipId: "cut2.1", length: 100 });
    expect(own.clips.get("cut2.1")?.blend).not.toHaveProperty("lent");
    const apart = run(closed, { type: "move", clipIds: ["cut2.1"], by: 5000 });
    expect([fades(apart, "a"), fades(apart, "cut2.1")]).toEqual([
      [0, 192],
      [192, 0],
    ]);
    const whole = documentOf(1, [plainClip({ id: "a", length: 6000 }), plainClip({ id: "b", start: 6000, length: 6000 })]);
    const none = run(whole, { type: "delete-range", start: 5000, end: 6000, trackIds: ["t0"], edgeBlend: true });
    expect([fades(none, "a"), none.clips.get("b")?.blend]).toEqual([[0, 192], null]);
  });
  it("that blends is kept as it is by asking for nothing else of it", () => {
    const closed = run(three(), { type: "delete", clipIds: [MIDDLE], neighbours: "ripple", edgeBlend: true });
    const [was, kept] = [closed, run(closed, { type: "set-blend", clipId: "cut2.1" })].map((d) => d.clips.get("cut2.1"));
    expect(kept).toMatchObject({ start: was?.start, length: was?.length, fadeIn: edgeFade });
    expect(kept?.blend).not.toHaveProperty("lent");
  });
  it("says where too many fades lie over each other already", () => {
    let doc = documentOf(1, [plainClip({ id: "a", length: 6000 })]);
    const notes: string[] = [];
    for (let i = 0; i < 20; i++) {
      const out = applyEdits(doc, [
        { type: "delete-range", start: 0, end: 10, trackIds: ["t0"], neighbours: "ripple", edgeFade: { ...edgeFade, length: 4800 }, key: `del${i}` },
      ]);
      doc = out.doc;
      notes.push(...out.notes);
    }
    expect(notes.length).toBeGreaterThan(0);
    expect(notes[0]).toMatch(/no fade at its new start: 17 fades/);
  });
  it("is found the same, be there few clips or many", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 20_000 }), fc.integer({ min: 1, max: 3000 }), fc.boolean(), (at, length, remove) => {
        const many = Array.from({ length: 300 }, (_, i) =>
          plainClip({ id: `c${i}`, start: i * 100, length: 100, offset: i % 7 === 0 ? 700 : (i % 50) * 100, mute: i % 11 === 0 }),
        );
        const edit: Edit = remove ? { type: "remove-time", start: at, end: at + length } : { type: "insert-time", at, length };
        const doc = run(documentOf(1, many), edit);
        const few = run(
          documentOf(
            1,
            many.filter((c) => Math.abs(c.start - at) < 3500),
          ),
          edit,
        );
        for (const clip of few.lanes.get("t0")?.clips ?? []) {
          const other = doc.clips.get(clip.id);
          // Those at the cut list's own ends have no neighbour there.
          if (Math.abs(clip.start - at) > 3000) continue;
          expect([clip.id, other?.fadeIn ?? NO_FADE, other?.fadeOut ?? NO_FADE]).toEqual([clip.id, clip.fadeIn, clip.fadeOut]);
        }
      }),
      { numRuns: 60 },
    );
  });
});
