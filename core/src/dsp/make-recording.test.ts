import { beforeAll, describe, expect, it } from "vitest";
import type { Making } from "../model/recipe/played-recording";
import { mapOf } from "../model/recipe/played-recording";
import type { StretchKind } from "../model/schema";
import { sameSamples } from "../testing/arbitraries";
import { madeAt } from "../time/time-map";
import { heardFor, type Material, makePiece, makeWhole } from "./make-recording";
import { loadStretcher } from "./stretcher";

const RATE = 48_000;
beforeAll(loadStretcher);

const material = (samples: Float32Array, hits: readonly number[] = []): Material => ({ length: samples.length, channels: 1, sampleRate: RATE, hits });
const tone = (hz: number, seconds: number): Float32Array =>
  Float32Array.from({ length: Math.round(seconds * RATE) }, (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE));
const stretch = (kind: StretchKind, from: number, to: number, pitch?: number): Making => ({ stretch: { kind, from, to }, ...(pitch && { pitch }) });
const make = async (samples: Float32Array, making: Making, hits: readonly number[] = []): Promise<Float32Array> =>
  (await makeWhole(material(samples, hits), making, [samples]))[0];

/** Frequency and level of a steady tone in [from, to): the phase of a windowed heterodyne at two places. */
function measured(y: Float32Array, near: number, from: number, to: number): { cents: number; db: number } {
  const n = Math.min(9600, Math.floor((to - from) / 2));
  const phase = (at: number): number => {
    let [x, q] = [0, 0];
    for (let i = at; i < at + n; i++) {
      const w = (0.5 - 0.5 * Math.cos((2 * Math.PI * (i - at)) / n)) * y[i];
      x += w * Math.cos((2 * Math.PI * near * i) / RATE);
      q -= w * Math.sin((2 * Math.PI * near * i) / RATE);
    }
    return Math.atan2(q, x);
  };
  const apart = Math.floor((to - from - n) / 1);
  // In steps, so that the phase is never lost.
  const step = Math.max(1, Math.floor(apart / 8));
  let turned = 0;
  for (let k = 0; k < 8; k++) {
    let d = phase(from + (k + 1) * step) - phase(from + k * step);
    d -= 2 * Math.PI * Math.round(d / (2 * Math.PI));
    turned += d;
  }
  const hz = near + (turned / (2 * Math.PI) / (8 * step)) * RATE;
  let power = 0;
  for (let i = from; i < to; i++) power += y[i] * y[i];
  return { cents: 1200 * Math.log2(hz / near), db: 10 * Math.log10(power / (to - from) / 0.125) };
}

describe("what is made of a recording", () => {
  it.each([
    [1, 8],
    [1, 2],
    [2, 3],
    [999, 1000],
    [5, 4],
    [2, 1],
    [7, 2],
    [8, 1],
  ])("keeps the pitch and level of a tone at %i → %i, and its length is exact", { timeout: 120_000 }, async (from, to) => {
    for (const hz of [55, 440, 3000, 10_000]) {
      const x = tone(hz, from >= 5 * to ? 4 : 1.2);
      for (const kind of ["smooth", "hits"] as const) {
        const y = await make(x, stretch(kind, from, to), kind === "hits" ? [0] : []);
        expect(y.length).toBe(Math.floor((x.length * to) / from + 0.5));
        const found = measured(y, hz, Math.round(0.2 * RATE * Math.max(1, to / from)), y.length - Math.round(0.1 * RATE * Math.min(1, to / from)));
        expect(Math.abs(found.cents), `${kind} ${hz} Hz`).toBeLessThan(3);
        expect(Math.abs(found.db), `${kind} ${hz} Hz`).toBeLessThan(0.5);
      }
    }
  });

  it("shifts pitch by cents and keeps the length", async () => {
    for (const cents of [-2400, -700, 31, 1200, 2400]) {
      const x = tone(440, 1.5);
      const y = await make(x, { pitch: cents });
      expect(y.length).toBe(x.length);
      const found = measured(y, 440 * 2 ** (cents / 1200), 12_000, y.length - 6000);
      expect(Math.abs(found.cents), `${cents}`).toBeLessThan(3);
      expect(Math.abs(found.db), `${cents}`).toBeLessThan(0.5);
    }
  });

  it("plays as tape does: speed and pitch together, to −120 dB", async () => {
    for (const [from, to] of [
      [3, 2],
      [2, 3],
      [1, 8],
      [8, 1],
    ]) {
      const hz = 0.2 * RATE * Math.min(1, from / to, to / from);
      const x = tone(hz, 1);
      const y = await make(x, stretch("tape", from, to));
      expect(y.length).toBe(Math.floor((x.length * to) / from + 0.5));
      let wrong = 0;
      const [a, b] = [Math.round(y.length * 0.2), Math.round(y.length * 0.8)];
      for (let j = a; j < b; j++) wrong += (y[j] - 0.5 * Math.sin((2 * Math.PI * hz * j * from) / to / RATE)) ** 2;
      expect(10 * Math.log10(wrong / (b - a) / 0.125), `${from}:${to}`).toBeLessThan(-120);
    }
  });

  /** Hits with a sharp attack that ring on, in some hum. */
  function struck(places: readonly number[], length: number): Float32Array {
    const out = Float32Array.from({ length }, (_, i) => 0.01 * Math.sin(i * 0.02));
    for (const at of places)
      for (let i = 0; i < 24_000 && at + i < length; i++) out[at + i] += 0.6 * Math.exp(-i / 4000) * Math.cos(i * (0.1 + (at % 7) * 0.03));
    return out;
  }

  it.each([
    [2, 3],
    [3, 2],
    [1, 3],
    [4, 1],
  ])("kind hits copies attacks to the bit, at their places, at %i → %i", async (from, to) => {
    const hits = [6000, 20_000, 20_300, 44_000, 70_000];
    const x = struck(hits, 96_000);
    const making = stretch("hits", from, to);
    const y = await make(x, making, hits);
    const map = mapOf(making);
    hits.forEach((h, i) => {
      const at = madeAt(map, h);
      const n = Math.min(576, ...(i + 1 < hits.length ? [hits[i + 1] - h, madeAt(map, hits[i + 1]) - at] : []));
      // The next attack is led into over its last 3 ms.
      const sure = i + 1 < hits.length && madeAt(map, hits[i + 1]) - at - 144 < n ? Math.max(0, madeAt(map, hits[i + 1]) - at - 144) : n;
      expect(y.slice(at, at + sure)).toEqual(x.slice(h, h + sure));
    });
    expect(y.every(Number.isFinite)).toBe(true);
  });

  it("follows warp points: moments come out where they are tied", async () => {
    const hits = [24_000, 48_000, 72_000];
    const x = struck(hits, 96_000);
    const making: Making = {
      warp: {
        kind: "hits",
        points: [
          { from: 24_000, to: 24_000 },
          { from: 48_000, to: 60_000 },
          { from: 72_000, to: 70_000 },
        ],
      },
    };
    const y = await make(x, making, hits);
    expect(y.length).toBe(94_000);
    [24_000, 60_000, 70_000].forEach((at, i) => {
      expect(y.slice(at, at + 400)).toEqual(x.slice(hits[i], hits[i] + 400));
    });
  });

  it("is the same whichever stretch of it is asked for, and the same each time", async () => {
    const x = struck([30_000, 200_000, 570_000, 1_150_000], 1_400_000);
    const a = await make(x, stretch("smooth", 3, 4, 150), [30_000, 200_000, 570_000, 1_150_000]);
    const b = await make(x, stretch("smooth", 3, 4, 150), [30_000, 200_000, 570_000, 1_150_000]);
    expect(sameSamples(b, a)).toBe(true);
  });

  it("makes a part of a piece as it makes all of it", () => {
    const hits = [30_000, 90_000, 140_000, 260_000];
    const x = struck(hits, 300_000);
    const [piece, bends] = [{ from: 29_600, to: 200_000 }, [0, 60_000, 150_000].map((at, i) => ({ at, value: [0, 900, -500][i] }))];
    const { from, to } = heardFor(material(x), piece);
    const makings: Making[] = [
      ...(["smooth", "hits", "tape"] as const).flatMap((kind) => [stretch(kind, 4, 5), stretch(kind, 5, 2, -300)]),
      stretch("hits", 1, 4),
      { pitch: 700 },
      { pitchLine: bends },
      { warp: { kind: "smooth", points: [0, 80_000, 150_000].map((at, i) => ({ from: at, to: [0, 100_000, 140_000][i] })) } },
    ];
    for (const making of makings) {
      const whole = makePiece(material(x, hits), making, piece, [x.subarray(from, to)], from);
      const length = whole.samples[0].length;
      for (const [a, b] of [
        [0, 0.001],
        [0, 0.77],
        [0.1, 0.3],
        [0.5, 1],
      ]) {
        const needed = { from: whole.at + Math.floor(a * length), to: whole.at + Math.ceil(b * length) };
        const part = makePiece(material(x, hits), making, piece, [x.subarray(from, to)], from, needed);
        expect(part.at).toBeLessThanOrEqual(needed.from);
        expect(part.at + part.samples[0].length).toBe(needed.to);
        expect([part.before, part.after]).toEqual([part.at === whole.at ? whole.before : 0, b === 1 ? whole.after : 0]);
        expect(sameSamples(part.samples[0], whole.samples[0].slice(part.at - whole.at, needed.to - whole.at)), JSON.stringify(making)).toBe(true);
      }
    }
    // Where hits are kept nothing is made that lies before the hit before.
    const late = makePiece(material(x, hits), stretch("hits", 4, 5), piece, [x.subarray(from, to)], from, { from: 176_000, to: 180_000 });
    expect(late.at).toBe(175_000);
  });

  it("joins pieces so that no jump is left at a border", async () => {
    // Noise that never pauses, with hits that tell where borders may lie.
    const hits = Array.from({ length: 60 }, (_, i) => 24_000 * (i + 1));
    let seed = 7;
    const noise = (): number => {
      seed = (Math.imul(seed, 1103515245) + 12345) >>> 0;
      return seed / 2 ** 31 - 1;
    };
    let low = 0;
    const x = struck(hits, 1_500_000).map((v) => {
      low += (noise() - low) * 0.05;
      return v + low * 0.3;
    });
    const y = await make(x, stretch("smooth", 4, 5), hits);
    const jump = (z: Float32Array): number => z.reduce((m, v, i) => (i > 0 ? Math.max(m, Math.abs(v - z[i - 1])) : 0), 0);
    expect(jump(y)).toBeLessThan(1.2 * jump(x));
  });
});
