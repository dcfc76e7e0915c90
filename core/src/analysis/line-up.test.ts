import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { lineUp } from "./line-up";

/** Sound that no codec would mistake: noise without its highest part. */
const sound = (n: number, seed: number): Float32Array => {
  const x = noise(n + 64, seed);
  return Float32Array.from({ length: n }, (_, i) => x.subarray(i, i + 64).reduce((a, b) => a + b, 0) / 16);
};

describe("lining up", () => {
  it("finds by how much one take is later than another, under noise and at another level", () => {
    fc.assert(
      fc.property(fc.integer({ min: -3000, max: 3000 }), fc.integer({ min: 1, max: 99 }), (by, seed) => {
        const [whole, hiss] = [sound(20_000, seed), sound(14_000, seed + 1)];
        const a = whole.slice(3000, 17_000);
        const b = whole.slice(3000 + by, 17_000 + by).map((v, i) => 0.4 * v + 0.05 * hiss[i]);
        const found = lineUp(a, b, 4000);
        expect(found.by).toBe(by);
        expect(found.likeness).toBeGreaterThan(0.8);
      }),
      { numRuns: 8 },
    );
  });
  it("leaves what is silent, or too short, where it is", () => {
    expect(lineUp(new Float32Array(5000), noise(5000, 1), 500)).toEqual({ by: 0, likeness: 0 });
    expect(lineUp(noise(10, 1), noise(10, 1), 5)).toEqual({ by: 0, likeness: 0 });
  });
});
