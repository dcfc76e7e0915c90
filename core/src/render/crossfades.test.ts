import { describe, expect, it } from "vitest";
import { applyEdits } from "../edit/registry";
import { type Document, documentFrom, NEW_PIECE } from "../model/document";
import { FADE_SHAPES, type FadeShape } from "../model/schema";
import { noise, plainClip, plainTrack, RATE } from "../testing/arbitraries";
import { MemoryReader } from "./reader";
import { Renderer } from "./renderer";

/** The laws of the contract, written down again in doubles. */
const warp = (u: number, b: number) => (b === 0 ? u : (Math.exp(6 * b * u) - 1) / (Math.exp(6 * b) - 1));
const SHAPES: Readonly<Record<FadeShape, (u: number) => number>> = {
  straight: (u) => u,
  power: (u) => Math.sin((Math.PI * u) / 2),
  s: (u) => (1 - Math.cos(Math.PI * u)) / 2,
  slow: (u) => (Math.exp(5 * u) - 1) / (Math.exp(5) - 1),
  fast: (u) => (Math.exp(-5 * u) - 1) / (Math.exp(-5) - 1),
};
type Law = "auto" | "gain" | "power";
type Place = "centred" | "before" | "after";

function gains(law: Law, shape: FadeShape, bend: number, i: number, n: number, r: number): [number, number] {
  const up = SHAPES[shape](warp((i + 0.5) / n, bend));
  if (law === "gain") return [1 - up, up];
  if (law === "power") return [Math.sqrt(1 - up * up), up];
  const down = SHAPES[shape](warp((n - i - 0.5) / n, bend));
  const level = Math.sqrt(up * up + down * down + 2 * Math.max(-0.5, r) * up * down);
  return [down / level, up / level];
}

/** Two clips of `side` samples that touch, of two recordings with as much again beyond each edge. */
function pair(a: readonly Float32Array[], b: readonly Float32Array[], side: number): { doc: Document; reader: MemoryReader } {
  const sources = new Map([["a", a] as const, ["b", b] as const].map(([id, c]) => [id, { id, name: id, length: c[0].length, channels: c.length }]));
  const clips = [
    plainClip({ id: "left", sourceId: "a", start: 0, length: side, offset: side / 2 }),
    plainClip({ id: "right", sourceId: "b", start: side, length: side, offset: side / 2 }),
  ];
  const doc = documentFrom(
    { sampleRate: RATE, piece: { ...NEW_PIECE, trackOrder: ["t0"] }, tracks: [plainTrack("t0")], clips, markers: [], sections: [] },
    sources,
  );
  return { doc, reader: new MemoryReader(new Map([["a", a] as const, ["b", b] as const])) };
}

function worst(a: Float32Array[], b: Float32Array[], side: number, length: number, law: Law, place: Place, shape: FadeShape, bend: number): number {
  const { doc, reader } = pair(a, b, side);
  const out = applyEdits(doc, [{ type: "set-blend", clipId: "right", length, law, place, shape, bend }]).doc;
  const from = place === "after" ? side : place === "before" ? side - length : side - Math.floor(length / 2);
  expect(out.clips.get("right")?.fadeIn.length).toBe(length);
  const wet = [new Float32Array(2 * side), new Float32Array(2 * side)];
  new Renderer(out, reader).render(0, 2 * side, wet[0], wet[1]);
  const [aAt, bAt] = [(t: number, c: number) => a[c % a.length][side / 2 + t], (t: number, c: number) => b[c % b.length][t - side / 2]];
  let [xy, xx, yy] = [0, 0, 0];
  for (let c = 0; c < Math.max(a.length, b.length); c++)
    for (let t = from; t < from + length; t++) {
      const [x, y] = [aAt(t, c), bAt(t, c)];
      xy += x * y;
      xx += x * x;
      yy += y * y;
    }
  const r = xy / Math.sqrt(xx * yy);
  let most = 0;
  // All of short overlaps; of long ones every so-manieth sample, and their ends.
  const step = Math.max(1, Math.floor(length / 5000));
  for (let c = 0; c < 2; c++)
    for (let t = Math.max(0, from - 50); t < from + length + 50; t += t < from + 20 || t > from + length - 20 ? 1 : step) {
      const [down, up] = t < from ? [1, 0] : t >= from + length ? [0, 1] : gains(law, shape, bend, t - from, length, r);
      most = Math.max(most, Math.abs(wet[c][t] - ((down ? down * aAt(t, c) : 0) + (up ? up * bAt(t, c) : 0))));
    }
  return most;
}

const LAWS = ["auto", "gain", "power"] as const;
const PLACES = ["centred", "before", "after"] as const;
const MINUS_120 = 1e-6;

describe("crossfades null below −120 dB against an independent computation", () => {
  const a = [noise(40_000, 11), noise(40_000, 12)];
  const b = [noise(40_000, 13), noise(40_000, 14)];
  it.each(LAWS)("%s: all shapes, bends, places, from one sample to an eighth of a second", (law) => {
    for (const shape of FADE_SHAPES)
      for (const bend of [-1, -0.35, 0, 0.6, 1])
        for (const place of PLACES)
          for (const length of [1, 2, 7, 480, 6001])
            expect(worst(a, b, 20_000, length, law, place, shape, bend), `${shape} ${bend} ${place} ${length}`).toBeLessThan(MINUS_120);
  });
  it.each(LAWS)("%s: over a minute", (law) => {
    const side = 66 * RATE;
    const long = [noise(2 * side, 21)];
    const other = [noise(2 * side, 22)];
    expect(worst(long, other, side, 60 * RATE, law, "centred", "s", 0.2)).toBeLessThan(MINUS_120);
  });
});

describe("laws and curves", () => {
  it("hold to 1e-6: equal gain adds up to one, equal power's squares do, and Auto is the one at likeness 1, the other at 0", () => {
    for (let i = 0; i < 1000; i++) {
      for (const shape of FADE_SHAPES) {
        const [gainOut, gainIn] = gains("gain", shape, 0.3, i, 1000, 0);
        expect(Math.abs(gainOut + gainIn - 1)).toBeLessThan(1e-6);
        const [powerOut, powerIn] = gains("power", shape, 0.3, i, 1000, 0);
        expect(Math.abs(powerOut ** 2 + powerIn ** 2 - 1)).toBeLessThan(1e-6);
        const [like, likeIn] = gains("auto", shape, 0.3, i, 1000, 1);
        expect(Math.abs(like + likeIn - 1)).toBeLessThan(1e-6);
        const [unlike, unlikeIn] = gains("auto", shape, 0.3, i, 1000, 0);
        expect(Math.abs(unlike ** 2 + unlikeIn ** 2 - 1)).toBeLessThan(1e-6);
      }
    }
  });
});

describe("Auto", () => {
  it.each([0, 0.3, 0.7, 1])("holds the level within half a decibel for noise of likeness %d, where the other laws miss by up to 3 dB", (r) => {
    const table = levelTable(r);
    expect(table.auto).toBeLessThan(0.5);
    if (r === 0) expect(table.gain).toBeGreaterThan(2.5);
    if (r === 1) expect(table.power).toBeGreaterThan(2.5);
  });
});

/** How far the level strays through a crossfade of half a minute, in dB, by law, for noise of a likeness. */
function levelTable(r: number): Record<Law, number> {
  const side = 32 * RATE;
  const x = noise(2 * side, 31);
  const y = noise(2 * side, 32);
  // The right one is heard a side later: its samples there are the left one's in part r.
  const like = Float32Array.from(y, (v, i) => (i + side < x.length ? r * x[i + side] + Math.sqrt(1 - r * r) * v : v));
  const { doc, reader } = pair([x], [like], side);
  const out = {} as Record<Law, number>;
  for (const law of LAWS) {
    const blended = applyEdits(doc, [
      { type: "set-blend", clipId: "right", length: 30 * RATE, law, place: "centred", shape: law === "gain" ? "straight" : "power" },
    ]).doc;
    const left = new Float32Array(2 * side);
    new Renderer(blended, reader).render(0, 2 * side, left, new Float32Array(2 * side));
    const level = (from: number, n: number): number => {
      let sum = 0;
      for (let i = from; i < from + n; i++) sum += left[i] * left[i];
      return sum / n;
    };
    const usual = (level(0, RATE) + level(2 * side - RATE, RATE)) / 2;
    let most = 0;
    for (let k = 0; k < 30; k++) most = Math.max(most, Math.abs(10 * Math.log10(level(side - 15 * RATE + k * RATE, RATE) / usual)));
    out[law] = most;
  }
  return out;
}
