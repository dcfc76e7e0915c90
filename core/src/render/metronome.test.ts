import fc from "fast-check";
import { expect, test } from "vitest";
import { MeterMap } from "../time/meter";
import { TempoMap } from "../time/tempo";
import { FRAME_RATES } from "../time/timecode";
import { Metronome } from "./metronome";

const RATE = 48_000;
const timebase = {
  sampleRate: RATE,
  tempo: new TempoMap([{ tick: 0, bpm: 120 }], RATE),
  meter: new MeterMap([
    { tick: 0, numerator: 4, denominator: 4 },
    { tick: 4 * 960, numerator: 6, denominator: 8 },
  ]),
  frameRate: Object.values(FRAME_RATES)[0],
};

const furthest = (a: Float32Array, b: Float32Array): number => a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);

/** Where a tick begins: sound after silence. */
function starts(x: Float32Array): number[] {
  const found: number[] = [];
  let quiet = RATE;
  x.forEach((v, i) => {
    if (v === 0) quiet++;
    else {
      if (quiet > 400) found.push(i);
      quiet = 0;
    }
  });
  return found;
}

test("a tick falls on every beat of the meter, the first of a bar higher", () => {
  const n = 4 * RATE;
  const [left, right] = [new Float32Array(n), new Float32Array(n)];
  new Metronome(timebase).add(0, n, left, right, 0, 1);
  // Four quarters of half a second, then eighths of a quarter second; the first sample of a tick is zero.
  expect(starts(left)).toEqual([0, 24_000, 48_000, 72_000, 96_000, 108_000, 120_000, 132_000, 144_000, 156_000, 168_000, 180_000].map((s) => s + 1));
  expect(furthest(right, left)).toBe(0);
  const crossings = (from: number): number => {
    let count = 0;
    for (let i = from; i < from + 480; i++) if (left[i] < 0 !== left[i + 1] < 0) count++;
    return count;
  };
  expect(crossings(1)).toBeGreaterThan(crossings(24_001) * 1.3);
  expect(crossings(96_001)).toBeGreaterThan(crossings(108_001) * 1.3);
});

test("block borders make no difference", () => {
  const n = 2 * RATE;
  const whole = new Float32Array(n);
  new Metronome(timebase).add(0, n, whole, new Float32Array(n), 0, 0.5);
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 1, max: n - 1 }), { minLength: 1, maxLength: 12 }), (cuts) => {
      const borders = [0, ...[...new Set(cuts)].sort((a, b) => a - b), n];
      const parts = new Float32Array(n);
      const metronome = new Metronome(timebase);
      for (let k = 0; k + 1 < borders.length; k++)
        metronome.add(borders[k], borders[k + 1] - borders[k], parts, new Float32Array(n), borders[k], 0.5);
      expect(furthest(parts, whole)).toBe(0);
    }),
    { numRuns: 20 },
  );
});
