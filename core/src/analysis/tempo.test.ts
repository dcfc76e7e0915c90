import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { FEWEST_HITS, tempoOfHits, tempoOfTaps } from "./tempo";

const RATE = 48_000;
/** Patterns in beats, each within a beat or within a bar of four. */
const PATTERNS: readonly (readonly number[])[] = [
  [0],
  [0, 0.5],
  [0, 0.25, 0.5, 0.75],
  [0, 0.5, 0.75],
  [0, 2 / 3],
  [0, 1 / 3, 2 / 3],
  [0, 1.5, 2, 3],
  [0, 0.75, 1.5, 2, 3, 3.5],
];
const FIRST = 1.234;

/** `seconds` of a pattern at a tempo, each hit off by at most `loose` seconds, evenly spread by a small generator. */
function rhythm(bpm: number, pattern: readonly number[], seconds: number, loose: number, seed = 1): number[] {
  let state = seed * 48_271;
  const random = (): number => {
    state = (state * 16_807) % 2_147_483_647;
    return state / 2_147_483_647;
  };
  const every = pattern.some((p) => p >= 1) ? 4 : 1;
  const hits: number[] = [];
  for (let beat = 0; beat < (seconds / 60) * bpm; beat += every)
    for (const p of pattern) hits.push(Math.round(RATE * (FIRST + ((beat + p) * 60) / bpm + loose * (2 * random() - 1))));
  return hits.sort((a, b) => a - b);
}

const nearest = (hits: readonly number[], bpm: number): number =>
  tempoOfHits(hits, RATE).readings.reduce((least, r) => Math.min(least, Math.abs(r.bpm - bpm)), Number.POSITIVE_INFINITY);

describe("the tempo of hits", () => {
  it("is among the readings within 0.05 BPM, from 60 to 200, whatever divides the beat, even or loose by 15 ms", () => {
    const off: string[] = [];
    for (let bpm = 60; bpm <= 200; bpm += 9.7)
      for (const [n, pattern] of PATTERNS.entries())
        for (const loose of [0, 0.015]) {
          const far = nearest(rhythm(bpm, pattern, 32, loose, n + 1), bpm);
          if (far > 0.05) off.push(`${bpm.toFixed(1)} pattern ${n} loose ${loose}: ${far.toFixed(2)}`);
        }
    expect(off).toEqual([]);
  });

  it("names half and double, says how even the pulse is, and where a beat lies", () => {
    const hits = rhythm(100, [0, 0.5], 40, 0);
    const { readings, sure } = tempoOfHits(hits, RATE);
    const tempi = readings.map((r) => Math.round(r.bpm));
    expect(tempi[0]).toBe(100);
    expect(tempi).toEqual(expect.arrayContaining([50, 200]));
    expect(sure).toBeGreaterThan(0.99);
    const beats = ((readings[0].beat / RATE - FIRST) * 100) / 60;
    expect(Math.abs(beats * 2 - Math.round(beats * 2))).toBeLessThan(0.01);
    expect(tempoOfHits(rhythm(100, [0, 0.5], 40, 0.1), RATE).sure).toBeLessThan(0.8);
  });

  it("says nothing of too few hits, of none and of hits at one place", () => {
    for (const hits of [[], [5], Array.from({ length: FEWEST_HITS - 1 }, (_, i) => i * RATE), Array.from({ length: 9 }, () => 7)])
      expect(tempoOfHits(hits, RATE)).toEqual({ readings: [], sure: 0 });
  });

  it("never throws or gives a tempo out of bounds, whatever the hits", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 40 * RATE }), { maxLength: 120 }), (list) => {
        const { readings, sure } = tempoOfHits(
          [...new Set(list)].sort((a, b) => a - b),
          RATE,
        );
        expect(sure >= 0 && sure <= 1 + 1e-9).toBe(true);
        for (const r of readings) expect(r.bpm >= 40 && r.bpm <= 240 && r.covered >= 0 && r.covered <= 1).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
});

describe("the tempo of taps", () => {
  it("is that of the line nearest to them; two are too few, and taps at one time are none", () => {
    expect(tempoOfTaps([0, 0.5])).toBeNull();
    expect(tempoOfTaps([1, 1, 1])).toBeNull();
    expect(tempoOfTaps([0, 0.5, 1, 1.5])).toBeCloseTo(120, 9);
    expect(tempoOfTaps([0.02, 0.48, 0.98, 1.52])).toBeCloseTo(120, 9);
  });
});

describe("the first beat", () => {
  it("of exact hits is the first of them, not half a beat later", () => {
    const hits = Array.from({ length: 40 }, (_, i) => 20_000 + i * 12_000);
    for (const { bpm, beat } of tempoOfHits(hits, RATE).readings) expect([bpm, Math.round(beat)]).toEqual([bpm, 20_000]);
  });
  it("is where the accents lie", () => {
    for (const from of [0, 1]) {
      const hits = Array.from({ length: 60 }, (_, i) => 20_000 + i * 12_000);
      const strengths = hits.map((_, i) => (i % 2 === from ? 0.9 : 0.6));
      const reading = tempoOfHits(hits, RATE, strengths).readings.find((r) => Math.abs(r.bpm - 120) < 0.01);
      expect(Math.abs(Math.round(((reading?.beat ?? 0) - 20_000) / 12_000) % 2)).toBe(from);
    }
  });
});
