import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { type Kernels, newKernels } from "./kernels";
import { Twins } from "./twins";

const SIZE = 8192;
const bits = (k: Kernels): Uint32Array => new Uint32Array(k.floats.buffer, k.floats.byteOffset, SIZE);
const gain = fc.double({ min: -2, max: 2, noNaN: true });

/** Runs the same on both, on the same noise, and compares every bit of their memories. */
function alike(seed: number, run: (k: Kernels) => unknown): void {
  const [simd, twin] = [newKernels(SIZE), new Twins(SIZE)];
  expect(simd).not.toBeInstanceOf(Twins);
  for (const k of [simd, twin]) k.floats.set(noise(SIZE, seed));
  expect(run(simd)).toEqual(run(twin));
  const [a, b] = [bits(simd), bits(twin)];
  expect(a.findIndex((v, i) => v !== b[i])).toBe(-1);
}

describe("the kernels and their twins give the same bits", () => {
  it("mixing one signal to both sides, or to one, at any length", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 0, max: 1001 }), gain, gain, (seed, n, l, r) => {
        alike(seed, (k) => k.mixBoth(0, 2048, 4096, n, l, r));
        alike(seed, (k) => k.mixOne(3, 5001, n, r));
      }),
      { numRuns: 60 },
    );
  });
  it("four in one pass, which are as four one after the other", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 0, max: 250 }), fc.array(gain, { minLength: 8, maxLength: 8 }), (seed, quads, gains) => {
        alike(seed, (k) => {
          k.floats.set(gains, 8000);
          k.mixFour(0, 1000, 5000, 6000, quads * 4, 8000);
        });
        const [four, ones] = [newKernels(SIZE), newKernels(SIZE)];
        for (const k of [four, ones]) {
          k.floats.set(noise(SIZE, seed));
          k.floats.set(gains, 8000);
        }
        four.mixFour(0, 1000, 5000, 6000, quads * 4, 8000);
        for (let t = 0; t < 4; t++) ones.mixBoth(1000 * t, 5000, 6000, quads * 4, gains[2 * t], gains[2 * t + 1]);
        expect(bits(four)).toEqual(bits(ones));
      }),
      { numRuns: 40 },
    );
  });
  it("a swell, whose factors are powers of its step, wherever it is taken up", () => {
    const within = fc.record({
      n: fc.integer({ min: 0, max: 300 }),
      skip: fc.integer({ min: 0, max: 16_383 }),
      step: fc.double({ min: 0.9997, max: 1.0003, noNaN: true }),
    });
    fc.assert(
      fc.property(fc.integer(), within, gain, (seed, { n, skip, step }, factor) => {
        alike(seed, (k) => k.swell(5, n, skip, factor, step));
        const k = newKernels(SIZE);
        k.floats.fill(1);
        k.swell(0, n, skip, factor, step);
        const wanted = (i: number): number => factor * step ** (skip + i);
        for (let i = 0; i < n; i += 7) expect(Math.abs(k.floats[i] - wanted(i))).toBeLessThanOrEqual(3e-7 * Math.abs(wanted(i)) + 1e-37);
      }),
    );
  });
  it("means of pairs, in place too", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 0, max: 200 }), (seed, fours) => {
        alike(seed, (k) => {
          k.halve(8, fours * 4, 4000);
          k.halve(8, fours * 4, 8);
        });
      }),
      { numRuns: 40 },
    );
  });
  it("how much is new in the bands of frames, one after the other", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 1, max: 60 }), fc.integer({ min: 1, max: 5 }), (seed, bands, most) => {
        alike(seed, (k) => {
          const { floats } = k;
          const wide = (bands + 3) & ~3;
          const [edges, state, frames] = [2000, 3000, 4000];
          for (let b = 0; b <= bands; b++) floats[edges + b] = b * most;
          for (let i = 0; i < 400; i++) floats[i] = floats[i] ** 2;
          floats.fill(0, state, frames + 3 * (2 * wide + 8));
          for (let b = 0; b < bands; b++) floats[state + b] = 1 / most;
          const at = (n: number): number => frames + (n % 3) * (2 * wide + 8);
          return [0, 1, 2, 3, 4].map((n) => k.risen(n * 10, edges, bands, state, at(n + 1), at(n), 1.01, Number(n === 0)));
        });
      }),
      { numRuns: 60 },
    );
  });
  it("what lies between samples", () => {
    fc.assert(
      fc.property(fc.integer(), fc.constantFrom(4, 16, 64), fc.integer({ min: 0, max: 20 }), (seed, size, groups) => {
        alike(seed, (k) => k.between64(0, size, 1001, groups, 6000));
      }),
      { numRuns: 40 },
    );
  });
  it("the loudest sample, and peaks of 64", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 0, max: 4099 }), (seed, n) => {
        alike(seed, (k) => k.loudest(17, n));
        alike(seed, (k) => k.peaks64(0, Math.floor(n / 64), 5000));
        alike(seed, (k) => k.reflect(3, 2100, Math.min(2000, n - (n % 4)), 5000));
        alike(seed, (k) => k.lattice(3, 2100, Math.min(2000, n), (seed % 100) / 101));
        alike(seed, (k) => k.weigh(0, 3, Math.min(2000, n - (n % 4)), 5000));
        alike(seed, (k) => k.coarser(0, Math.floor(n / 12), 5000));
      }),
      { numRuns: 60 },
    );
  });
  it("a Fourier transform of any size", () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 4, max: 10 }), (seed, bits) => {
        const size = 2 ** bits;
        alike(seed, (k) => k.fourier(0, size, size, 2048, 4096));
        alike(seed, (k) => k.apart(0, size, 4096, 6000));
      }),
      { numRuns: 40 },
    );
  });
  it("samples from bytes and to bytes, of every width, dithered or not", () => {
    const width = fc.constantFrom(2, 3, 4);
    fc.assert(
      fc.property(
        fc.integer(),
        fc.integer({ min: 0, max: 300 }),
        fc.integer({ min: 1, max: 3 }),
        width,
        fc.nat(0xffffffff),
        (seed, n, channels, wide, state) => {
          // Whole steps are among them, and what lies beyond full scale.
          alike(seed, (k) => k.decode(0, channels, wide, n, 4096, 400));
          alike(seed, (k) => {
            for (let i = 0; i < 900; i += 7) k.floats[i] = i % 2 ? 1.5 : (i - 450) / 32_768;
            return k.encode(0, 300, channels, n, wide, state, 4096 * 4);
          });
        },
      ),
      { numRuns: 100 },
    );
    const odd = newKernels(64);
    odd.floats.set([0.5, Number.NaN, 0.25, Number.POSITIVE_INFINITY]);
    expect(odd.decode(0, 2, 4, 2, 16, 8)).toBe(1);
  });
  it("resampling, at positions beyond 32 bits too", () => {
    fc.assert(
      fc.property(
        fc.integer(),
        fc.integer({ min: 1, max: 9 }),
        fc.integer({ min: 1, max: 9 }),
        fc.integer({ min: 0, max: 2 ** 36 }),
        (seed, up, down, first) => {
          const [size, half, count] = [16, 8, 40];
          const base = Math.floor((first * down) / up) - half + 1;
          alike(seed, (k) => k.resample(0, size, up, down, half, 2048, base, first, count, 6000));
        },
      ),
      { numRuns: 60 },
    );
  });
  it("read between samples alike", () => {
    fc.assert(
      fc.property(
        fc.integer(),
        fc.double({ min: 0, max: 50, noNaN: true }),
        fc.double({ min: 0.05, max: 8, noNaN: true }),
        fc.integer({ min: 1, max: 30 }),
        (seed, begin, pace, places) => {
          alike(seed, (k) => k.glide(0, 16, places, 2048, begin, pace, 40, 6000));
          // On rows, and a hair beside them.
          alike(seed, (k) => k.glide(0, 16, places, 2048, 3 + 1 / places, 2 / places, 40, 6000));
          alike(seed, (k) => k.glide(0, 16, places, 2048, 3 + 1e-8, 3 / places, 40, 6000));
        },
      ),
      { numRuns: 60 },
    );
  });
});
