import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { findTestSound, testSound } from "./round-trip";

describe("the round trip", () => {
  it.each([44_100, 48_000, 96_000])("is found to the sample at %i Hz, soft, noisy or turned over", (rate) => {
    const sound = testSound(rate);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 6000 }), fc.constantFrom(1, 0.02, -0.5), fc.constantFrom(0, 0.002), (at, gain, noise) => {
        let seed = 7;
        const recorded = Float32Array.from({ length: sound.length + 6500 }, (_, i) => {
          seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0;
          return gain * (sound[i - at] ?? 0) + noise * Math.abs(gain) * (seed / 2 ** 31 - 1);
        });
        const found = findTestSound(recorded, rate);
        expect(found?.at).toBe(at);
        expect(found?.likeness).toBeGreaterThan(0.9);
      }),
      { numRuns: 12 },
    );
  });

  it("is not found in silence, noise, or another sound", () => {
    expect(findTestSound(new Float32Array(9000), 48_000)).toBeNull();
    let seed = 3;
    const noise = Float32Array.from({ length: 20_000 }, () => {
      seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0;
      return seed / 2 ** 31 - 1;
    });
    expect(findTestSound(noise, 48_000)).toBeNull();
    expect(
      findTestSound(
        Float32Array.from({ length: 20_000 }, (_, i) => Math.sin(i / 20)),
        48_000,
      ),
    ).toBeNull();
  });
});
