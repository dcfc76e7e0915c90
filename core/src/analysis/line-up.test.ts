import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { isSure, lineUp } from "./line-up";

const RATE = 48_000;
/** Sound that no codec would mistake: noise without its highest part. */
const sound = (n: number, seed: number): Float32Array => {
  const x = noise(n + 64, seed);
  return Float32Array.from({ length: n }, (_, i) => x.subarray(i, i + 64).reduce((a, b) => a + b, 0) / 16);
};
const mixed = (x: Float32Array, gain: number, y: Float32Array): Float32Array => x.map((v, i) => gain * v + y[i]);

describe("lining up", () => {
  it("finds by how much one take is later than another, under noise, at another level, turned over, on any channel", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -3000, max: 3000 }),
        fc.integer({ min: 1, max: 99 }),
        fc.constantFrom(0.4, -0.4),
        fc.boolean(),
        (by, seed, gain, stereo) => {
          const [whole, hiss] = [sound(20_000, seed), sound(14_000, seed + 1).map((v) => 0.05 * v)];
          const a = whole.slice(3000, 17_000);
          const b = mixed(whole.slice(3000 + by, 17_000 + by), gain, hiss);
          // The first channel of both may hold nothing.
          const none = new Float32Array(14_000);
          const found = lineUp(stereo ? [none, a] : [a], stereo ? [none, b] : [b], 4000, RATE);
          expect(found.by).toBe(by);
          expect(found.likeness * Math.sign(gain)).toBeGreaterThan(0.8);
          expect(isSure(found)).toBe(true);
        },
      ),
      { numRuns: 12 },
    );
  });
  it("is not sure of what is like it nowhere, nor of what is alike everywhere", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 999 }), fc.integer({ min: 20_000, max: 100_000 }), (seed, length) => {
        expect(isSure(lineUp([sound(length, seed)], [sound(length, seed + 1)], 24_000, RATE))).toBe(false);
      }),
      { numRuns: 20 },
    );
    const tone = (from: number) => Float32Array.from({ length: 60_000 }, (_, i) => Math.sin((from + i) / 20));
    expect(isSure(lineUp([tone(0)], [tone(17)], 8000, RATE))).toBe(false);
  });
  it("leaves what is silent, or too short, where it is", () => {
    const nowhere = { by: 0, likeness: 0, sureness: 0 };
    expect(lineUp([new Float32Array(5000)], [noise(5000, 1)], 500, RATE)).toEqual(nowhere);
    expect(lineUp([noise(10, 1)], [noise(10, 1)], 5, RATE)).toEqual(nowhere);
  });
});
