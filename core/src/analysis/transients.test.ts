import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { OnsetFinder } from "./transients";

function find(samples: Float32Array, cuts: readonly number[] = [1000]): number[] {
  const finder = new OnsetFinder(48_000);
  const borders = [0, ...[...cuts].sort((a, b) => a - b), samples.length];
  for (let k = 0; k + 1 < borders.length; k++) finder.push(samples.subarray(borders[k], borders[k + 1]));
  return finder.finish();
}

describe("transients", () => {
  it("finds each planted hit to the sample, and nothing else, in a quiet bed", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 4000, max: 12_000 }), fc.double({ min: 0.15, max: 0.9, noNaN: true })), { minLength: 1, maxLength: 8 }),
        fc.array(fc.integer({ min: 0, max: 110_000 }), { maxLength: 5 }),
        (gaps, cuts) => {
          const bed = noise(110_000, 4).map((v) => v * 0.001);
          let at = 0;
          const hits = gaps.map(([gap, level]) => {
            at += gap;
            const burst = noise(3000, at);
            for (let i = 0; i < burst.length; i++) bed[at + i] += (i === 0 ? level : burst[i] * level) * Math.exp(-i / 600);
            return at;
          });
          expect(find(bed, cuts)).toEqual(hits);
        },
      ),
      { numRuns: 60 },
    );
  });
  it("finds nothing in silence or steady noise", () => {
    expect(find(new Float32Array(50_000))).toEqual([]);
    expect(find(noise(50_000, 3)).length).toBeLessThanOrEqual(1);
  });
});
