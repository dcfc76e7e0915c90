import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { nearestZeroCrossing } from "./zero-crossings";

describe("zero crossings", () => {
  it("are upward, within reach, and the nearest ones", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 0, max: 2000 }), fc.integer({ min: 1, max: 240 }), (seed, at, reach) => {
        const x = noise(2000, seed);
        const found = nearestZeroCrossing([x], at, reach);
        const all = Array.from({ length: 1999 }, (_, i) => i + 1).filter((i) => x[i - 1] < 0 && x[i] >= 0 && Math.abs(i - at) <= reach);
        expect(found === undefined ? all : [Math.abs(found - at)]).toEqual(
          found === undefined ? [] : [Math.min(...all.map((i) => Math.abs(i - at)))],
        );
      }),
    );
  });
  it("of the loudest channel count", () => {
    const quiet = Float32Array.of(-0.1, 0.1, 0.1, 0.1, 0.1);
    const loud = Float32Array.of(-0.9, -0.9, -0.9, 0.9, 0.9);
    expect(nearestZeroCrossing([quiet, loud], 1, 4)).toBe(3);
  });
  it("are not found where there are none", () => {
    expect(nearestZeroCrossing([new Float32Array(100).fill(0.2)], 50, 40)).toBeUndefined();
  });
});
