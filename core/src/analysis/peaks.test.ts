import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { CHUNK, chunkPeaks, levelFor, PEAK_LEVELS, PEAK_OFFSETS } from "./peaks";

describe("the peak pyramid", () => {
  it("holds the least, the greatest and the RMS of just its samples, at every level and length", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: CHUNK }), fc.integer(), (length, seed) => {
        const samples = noise(length, seed);
        const peaks = chunkPeaks(samples);
        PEAK_LEVELS.forEach((size, level) => {
          const k = Math.floor((length - 1) / size);
          const part = samples.subarray(k * size, (k + 1) * size);
          const e = PEAK_OFFSETS[level] + k * 3;
          expect(peaks[e]).toBe(Math.min(...part.slice(0, 60_000), ...part.slice(60_000)));
          expect(peaks[e + 1]).toBe(part.reduce((a, b) => Math.max(a, b)));
          expect(peaks[e + 2]).toBeCloseTo(Math.sqrt(part.reduce((s, v) => s + v * v, 0) / part.length), 5);
        });
      }),
      {
        numRuns: 30,
        examples: [
          [CHUNK, 7],
          [CHUNK - 1, 8],
          [64, 9],
        ],
      },
    );
  });
  it("is asked for the coarsest level that has an entry a pixel", () => {
    expect([levelFor(10), levelFor(64), levelFor(300), levelFor(1e6)]).toEqual([-1, 0, 1, 5]);
  });
});
