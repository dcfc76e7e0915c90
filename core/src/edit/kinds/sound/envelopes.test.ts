import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { clipEnvelopeFactor, envelopeFactor } from "../../../dsp/envelope";
import { type Document, dataOf } from "../../../model/document";
import type { Clip, EnvelopePoint } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { documentOf, PCM, plainClip, sameSamples } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit, applyEdits } from "../../registry";

function play(doc: Document, from = 0, count = 4000, block = count): [Float32Array, Float32Array] {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  const renderer = new Renderer(doc, new MemoryReader(PCM));
  for (let at = 0; at < count; at += block) renderer.render(from + at, Math.min(block, count - at), left, right, at);
  return [left, right];
}
const clip = (doc: Document, id = "c0"): Clip => doc.clips.get(id) as Clip;
const [mono] = PCM.get("mono") as readonly Float32Array[];
const points: EnvelopePoint[] = [
  { at: 400, value: 0 },
  { at: 900, value: -12 },
  { at: 1500, value: -144, hold: true },
  { at: 2000, value: 3 },
];
const value = (x: number): number => {
  if (x < 400) return 1;
  if (x < 900) return 10 ** ((-12 * (x - 400)) / 500 / 20);
  if (x < 1500) return 10 ** (-12 / 20) * (1 - (x - 900) / 600);
  return x < 2000 ? 0 : 10 ** (3 / 20);
};

describe("envelopes of clips", () => {
  const doc = documentOf(1, [plainClip({ id: "c0", start: 100, offset: 300, length: 2500 })]);
  const drawn = applyEdit(doc, { type: "set-envelope", clipIds: ["c0"], points }).doc;
  it("of gain scale each sample of the recording by the line at it", () => {
    const [left] = play(drawn);
    for (let x = 300; x < 2800; x++) expect(Math.abs(left[100 + x - 300] - mono[x] * value(x))).toBeLessThan(1e-6);
  });
  it("of pan are a balance, the clip's own added", () => {
    const line = [
      { at: 300, value: -1 },
      { at: 2300, value: 1 },
    ];
    const turning = applyEdits(doc, [
      { type: "set-envelope", clipIds: ["c0"], kind: "pan", points: line },
      { type: "set-clip", clipIds: ["c0"], pan: 0.25 },
    ]).doc;
    const [left, right] = play(turning);
    for (let x = 300; x < 2800; x += 13) {
      const pan = Math.max(-1, Math.min(1, 0.25 + Math.max(-1, Math.min(1, -1 + (x - 300) / 1000))));
      expect(left[x - 200]).toBeCloseTo(mono[x] * Math.min(1, 1 - pan), 5);
      expect(right[x - 200]).toBeCloseTo(mono[x] * Math.min(1, 1 + pan), 5);
    }
  });
  it("of pitch are a part of the recipe, keep the length, and go with the rest of it", () => {
    const line = [
      { at: 400, value: 0 },
      { at: 900, value: 1200 },
    ];
    const edit = (d: Document, more: object): Document => applyEdit(d, { type: "set-envelope", clipIds: ["c0"], kind: "pitch", ...more }).doc;
    const bent = edit(doc, { points: line });
    expect(clip(bent)).toEqual({ ...clip(doc), recipe: { pitchLine: line } });
    // A stretch keeps it, on the recording's own moments; a shift too; taking it off leaves what else there is.
    const both = applyEdits(bent, [
      { type: "stretch", clipIds: ["c0"], length: 5000 },
      { type: "set-pitch", clipIds: ["c0"], cents: -300 },
    ]).doc;
    expect(clip(both).recipe).toMatchObject({ pitchLine: line, pitch: -300, stretch: { from: 1, to: 2 } });
    expect(clip(edit(both, { points: null })).recipe).toEqual({ pitch: -300, stretch: { kind: "smooth", from: 1, to: 2 } });
    expect(clip(edit(bent, { points: null }))).toEqual(clip(doc));
    expect(clip(applyEdit(both, { type: "as-recorded", clipIds: ["c0"] }).doc)).toEqual(clip(doc));
    expect(() => edit(doc, { points: [{ at: 0, value: 2401 }] })).toThrow(EditError);
    const up = applyEdit(bent, { type: "shift-envelope", start: 600, end: 1600, trackIds: [clip(doc).trackId], kind: "pitch", by: 5000 - 3800 }).doc;
    expect(Math.max(...(clip(up).recipe?.pitchLine ?? []).map((p) => p.value))).toBe(2400);
  });
  it("are heard the same in blocks of any size", () => {
    const whole = play(drawn);
    for (const block of [1, 63, 640]) expect(play(drawn, 0, 4000, block).every((side, i) => sameSamples(side, whole[i]))).toBe(true);
  });
  it("change not one bit when a clip that carries them is cut anywhere, forwards or backwards", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 101, max: 2599 }), { minLength: 1, maxLength: 4 }), fc.boolean(), (at, back) => {
        const with2 = applyEdits(drawn, [
          {
            type: "set-envelope",
            clipIds: ["c0"],
            kind: "pan",
            points: [
              { at: 500, value: -0.5 },
              { at: 2500, value: 0.9 },
            ],
          },
          { type: "set-fade", clipIds: ["c0"], edge: "in", length: 900 },
          ...(back ? [{ type: "reverse", clipIds: ["c0"] }] : []),
        ]).doc;
        const cut = applyEdit(with2, { type: "split", clipIds: ["c0"], at: [...new Set(at)], edgeFade: { length: 50, shape: "power", bend: 0 } });
        const [a, b] = [play(with2), play(cut.doc)];
        expect(sameSamples(a[0], b[0]) && sameSamples(a[1], b[1])).toBe(true);
        // The whole list is kept on both sides.
        for (const c of cut.doc.clips.values()) expect(c.envelopes).toEqual(clip(with2).envelopes);
      }),
      { numRuns: 60 },
    );
  });
  it("are put back by taking them off, and by undo", () => {
    const off = applyEdit(drawn, { type: "set-envelope", clipIds: ["c0"], points: null }).doc;
    expect(dataOf(off)).toEqual(dataOf(doc));
    expect("envelopes" in clip(off)).toBe(false);
  });
  it("refuse in words what is no line, and change nothing", () => {
    const bad = (list: readonly object[]) => () => applyEdit(doc, { type: "set-envelope", clipIds: ["c0"], points: list });
    expect(bad([])).toThrow(/at least one point/);
    expect(bad([{ at: -1, value: 0 }])).toThrow(/before the beginning/);
    expect(bad([{ at: 6000, value: 0 }])).toThrow(/beyond the end/);
    expect(bad([{ at: 0, value: 25 }])).toThrow(EditError);
    expect(bad([{ at: 0, value: Number.NaN }])).toThrow(EditError);
    expect(
      bad([
        { at: 5, value: 0 },
        { at: 5, value: 1 },
      ]),
    ).toThrow(/one after the other/);
    expect(bad(Array.from({ length: 10_000 }, (_, at) => ({ at, value: 0 })))).toThrow(/at most 4096/);
  });
  it("are moved over a range by ramps at its edges, nothing outside it", () => {
    const after = applyEdit(doc, { type: "shift-envelope", start: 600, end: 2100, trackIds: ["t0"], by: -6 }).doc;
    const [was, now] = [play(doc)[0], play(after)[0]];
    expect(sameSamples(now.subarray(0, 600), was.subarray(0, 600))).toBe(true);
    expect(sameSamples(now.subarray(2100), was.subarray(2100))).toBe(true);
    for (let x = 1080; x < 1619; x++) expect(now[x]).toBeCloseTo(was[x] * 10 ** (-6 / 20), 6);
    // A second time adds up; up again is where it was, but for the points.
    const twice = applyEdits(after, [
      { type: "shift-envelope", start: 600, end: 2100, trackIds: ["t0"], by: -6 },
      { type: "shift-envelope", start: 600, end: 2100, trackIds: ["t0"], by: 12 },
    ]).doc;
    play(twice)[0].forEach((v, i) => expect(v).toBeCloseTo(was[i], 5));
  });
});

describe("a gain ride", () => {
  const doc = documentOf(2, [
    plainClip({ id: "c0", start: 0, length: 3000 }),
    plainClip({ id: "c1", start: 0, length: 3000, sourceId: "stereo", trackId: "t1" }),
  ]);
  const line = [
    { at: 500, value: 0 },
    { at: 1500, value: -20 },
  ];
  it("scales all that its track plays by the line over the timeline, one channel or two", () => {
    for (const [trackId, source, solo] of [
      ["t0", mono, "t0"],
      ["t1", (PCM.get("stereo") as Float32Array[])[0], "t1"],
    ] as const) {
      const ridden = applyEdits(doc, [
        { type: "set-ride", trackIds: [trackId], points: line },
        { type: "set-track", trackIds: [solo], solo: true },
      ]).doc;
      const [left] = play(ridden, 0, 3000, 700);
      for (let x = 0; x < 3000; x += 11)
        expect(left[x]).toBeCloseTo(source[x] * 10 ** (Math.max(-20, Math.min(0, (-20 * (x - 500)) / 1000)) / 20), 5);
    }
  });
  it("keeps its value at every moment that stays, whatever time comes in or goes", () => {
    const lines = fc.constantFrom<EnvelopePoint[]>(
      line,
      [
        { at: 0, value: 0 },
        { at: 2000, value: -144 },
      ],
      [
        { at: 100, value: -144 },
        { at: 2100, value: 6 },
      ],
      [
        { at: 200, value: -6, hold: true },
        { at: 1100, value: 0 },
        { at: 1900, value: -144, hold: true },
        { at: 2500, value: -3 },
      ],
    );
    fc.assert(
      fc.property(lines, fc.integer({ min: 0, max: 2600 }), fc.integer({ min: 1, max: 900 }), fc.boolean(), (points, at, length, comes) => {
        const ridden = applyEdit(doc, { type: "set-ride", trackIds: ["t0"], points }).doc;
        const edit = comes ? { type: "insert-time", at, length } : { type: "remove-time", start: at, end: at + length };
        const after = applyEdit(ridden, edit).doc.tracks.get("t0")?.ride as EnvelopePoint[];
        for (let x = 0; x < 3200; x += 7) {
          if (!comes && x >= at && x < at + length) continue;
          const was = envelopeFactor(points, x);
          const is = envelopeFactor(after, x < at ? x : comes ? x + length : x - length);
          expect(Math.abs(is - was), `${x}`).toBeLessThan(0.0013 * was + 1e-5);
        }
      }),
      { numRuns: 200 },
    );
  });
  it("goes along with what ripples on its own track alone", () => {
    const ridden = applyEdit(doc, { type: "set-ride", trackIds: ["t0"], points: line }).doc;
    const ats = (d: Document) => d.tracks.get("t0")?.ride?.map((p) => p.at);
    const on = (trackId: string) => applyEdit(ridden, { type: "delete-range", start: 0, end: 100, trackIds: [trackId], neighbours: "ripple" }).doc;
    expect([ats(on("t0")), ats(on("t1"))]).toEqual([
      [400, 1400],
      [500, 1500],
    ]);
  });
});

describe("a span of an envelope that is moved up or down", () => {
  it("changes nothing outside it, where the line runs into silence or out of it too", () => {
    const long = documentOf(1, [plainClip({ id: "c0", start: 0, length: 6000 })]);
    for (const points of [
      [
        { at: 0, value: 0 },
        { at: 5900, value: -144 },
      ],
      [
        { at: 0, value: -144 },
        { at: 5900, value: 0 },
      ],
      [
        { at: 0, value: -144 },
        { at: 2500, value: 0, hold: true as const },
        { at: 3500, value: -144 },
        { at: 5900, value: -3 },
      ],
    ])
      for (const by of [-6, 6, -200]) {
        const drawn = applyEdit(long, { type: "set-envelope", clipIds: ["c0"], points }).doc;
        const moved = applyEdit(drawn, { type: "shift-envelope", start: 2000, end: 3000, trackIds: ["t0"], by }).doc;
        const after = clip(moved).envelopes?.gain as EnvelopePoint[];
        for (let x = 0; x < 6000; x += 3) {
          const was = envelopeFactor(points, x);
          if (x < 2000 || x >= 3000) expect(Math.abs(envelopeFactor(after, x) - was), `${x} ${by}`).toBeLessThan(0.0013 * was + 1e-5);
          // The ramps are 480 samples long.
          else if (x >= 2480 && x < 2520 && by > -100) expect(envelopeFactor(after, x)).toBeCloseTo(Math.min(10 ** 1.2, was * 10 ** (by / 20)), 2);
          else if (x >= 2480 && x < 2520) expect(envelopeFactor(after, x)).toBe(0);
        }
      }
  });
});

describe("steps on a clip that runs backwards", () => {
  it("hold up to the next one as they are heard", () => {
    const steps: EnvelopePoint[] = [300, 700, 1200, 1240].map((at, i) => ({ at, value: -6 * i, hold: true }));
    for (const stretch of [null, 2, 0.5]) {
      const doc = documentOf(1, [plainClip({ id: "c0", start: 0, length: 2500 })]);
      const made = applyEdits(doc, [
        ...(stretch ? [{ type: "stretch", clipIds: ["c0"], factor: stretch }] : []),
        { type: "reverse", clipIds: ["c0"] },
      ]).doc;
      const { offset } = clip(made);
      const forwards = applyEdits(
        doc,
        stretch ? [{ type: "stretch", clipIds: ["c0"], factor: stretch }] : [{ type: "mute", clipIds: ["c0"], mute: false }],
      ).doc;
      const draw = (d: Document) => clip(applyEdit(d, { type: "set-envelope", clipIds: ["c0"], points: steps, from: "clip" }).doc);
      const [turned, plain] = [draw(made), draw(forwards)];
      const slack = stretch === 2 ? 2 : 0;
      for (let x = 0; x < 1250; x++) {
        if (steps.some((p) => Math.abs(p.at - x) <= slack && slack > 0)) continue;
        expect(clipEnvelopeFactor(turned, 6000, offset + x), `${stretch} ${x}`).toBeCloseTo(clipEnvelopeFactor(plain, 6000, x), 9);
      }
    }
  });
});
