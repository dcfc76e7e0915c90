import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MeterMap } from "../time/meter";
import { TempoMap } from "../time/tempo";
import { FRAME_RATES } from "../time/timecode";
import { STAND_INS, StandIn } from "./stand-in";

const timebaseAt = (sampleRate: number) => ({
  sampleRate,
  tempo: new TempoMap([{ tick: 0, bpm: 120 }], sampleRate),
  meter: new MeterMap([{ tick: 0, numerator: 3, denominator: 4 }]),
  frameRate: Object.values(FRAME_RATES)[0],
});

describe("the stand-in for a sound device", () => {
  it.each([44_100, 48_000, 96_000])("clicks with its loudest sample on each beat, at %i Hz", (rate) => {
    const n = 3 * rate;
    const out = new Float32Array(n);
    new StandIn("click", timebaseAt(rate)).render(0, n, out, 0, 0);
    for (let beat = 0; beat < 6; beat++) {
      const at = (beat * rate) / 2;
      const near = out.subarray(at, at + rate / 4).map(Math.abs);
      expect(near.indexOf(Math.max(...near))).toBe(0);
      expect(out[at]).toBeCloseTo(beat % 3 === 0 ? 0.8 : 0.6, 5);
      if (at > 0) expect(Math.abs(out[at - 1])).toBeLessThan(1e-3);
    }
  });

  it.each(STAND_INS)("%s is the same whatever the block borders, never too loud, and another one each round", (kind) => {
    const n = 48_000;
    const furthest = (a: Float32Array, b: Float32Array): number => a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);
    const standIn = new StandIn(kind, timebaseAt(48_000));
    const whole = new Float32Array(n);
    standIn.render(12_000, n, whole, 0, 1);
    expect(Math.max(...whole)).toBeGreaterThan(0.1);
    expect(Math.max(...whole.map(Math.abs))).toBeLessThanOrEqual(1);
    const other = new Float32Array(n);
    standIn.render(12_000, n, other, 0, 2);
    expect(furthest(other, whole)).toBeGreaterThan(0.05);
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: n - 1 }), { maxLength: 6 }), (cuts) => {
        const borders = [0, ...[...new Set(cuts)].sort((a, b) => a - b), n];
        const parts = new Float32Array(n);
        for (let k = 0; k + 1 < borders.length; k++) standIn.render(12_000 + borders[k], borders[k + 1] - borders[k], parts, borders[k], 1);
        expect(furthest(parts, whole)).toBe(0);
      }),
      { numRuns: 5 },
    );
  });
});
