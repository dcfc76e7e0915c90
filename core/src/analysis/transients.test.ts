import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { SURE } from "../model/clip/hits";
import { noise } from "../testing/arbitraries";
import { accuracy, generatedHits, MATERIALS } from "../testing/generated-hits";
import { hitsOfChannels, OnsetFinder } from "./transients";

function found(samples: Float32Array, { cuts = [1000], rate = 48_000 }: { cuts?: readonly number[]; rate?: number } = {}) {
  const finder = new OnsetFinder(rate);
  const borders = [0, ...[...cuts].sort((a, b) => a - b), samples.length];
  for (let k = 0; k + 1 < borders.length; k++) finder.push(samples.subarray(borders[k], borders[k + 1]));
  return hitsOfChannels([finder.finish()], rate);
}
const sure = (samples: Float32Array, how: Parameters<typeof found>[1] = {}): number[] =>
  found(samples, how)
    .filter((h) => h.strength >= SURE)
    .map((h) => h.at);

describe("transients", () => {
  it("finds each planted hit to the sample, and nothing else, in a quiet bed, in whatever pieces it comes", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 6000, max: 12_000 }), fc.double({ min: 0.15, max: 0.9, noNaN: true })), { minLength: 1, maxLength: 8 }),
        fc.array(fc.integer({ min: 0, max: 110_000 }), { maxLength: 5 }),
        (gaps, cuts) => {
          const bed = noise(120_000, 4).map((v) => v * 0.001);
          let at = 0;
          const hits = gaps.map(([gap, level]) => {
            at += gap;
            const burst = noise(6000, at);
            for (let i = 0; i < burst.length; i++) bed[at + i] += (i === 0 ? level : burst[i] * level) * Math.exp(-i / 600);
            return at;
          });
          expect(sure(bed, { cuts })).toEqual(hits);
        },
      ),
      { numRuns: 20 },
    );
  });
  it("finds nothing in silence, a constant, steady noise or a steady tone", () => {
    expect(found(new Float32Array(50_000))).toEqual([]);
    expect(found(new Float32Array(0))).toEqual([]);
    expect(sure(new Float32Array(50_000).fill(0.2)).filter((at) => at > 2000)).toEqual([]);
    expect(sure(noise(200_000, 3)).filter((at) => at > 2000)).toEqual([]);
    expect(sure(Float32Array.from({ length: 100_000 }, (_, i) => 0.5 * Math.sin(i * 0.03))).filter((at) => at > 2000)).toEqual([]);
  });
  for (const material of MATERIALS)
    it(`is as right as it has to be on generated ${material}`, () => {
      for (const rate of material === "drums" ? [44_100, 48_000] : [48_000]) {
        const { samples, hits } = generatedHits(material, 60, 5, rate);
        const { recall, precision, errors } = accuracy(hits, sure(samples, { rate }), rate);
        expect(recall).toBeGreaterThanOrEqual(0.97);
        expect(precision).toBeGreaterThanOrEqual(0.97);
        const part = (of: typeof errors, ms: number): number =>
          of.filter((e) => Math.abs(e.off) <= (ms * rate) / 1000).length / Math.max(1, of.length);
        const [sharp, soft] = [errors.filter((e) => e.sharp), errors.filter((e) => !e.sharp)];
        expect(part(sharp, 2)).toBeGreaterThanOrEqual(0.95);
        if (soft.length) expect(part(soft, 10)).toBeGreaterThanOrEqual(0.965);
      }
    });
  it("gives softer hits less strength", () => {
    const samples = noise(150_000, 4).map((v) => v * 0.0005);
    [0.9, 0.3, 0.1, 0.03].forEach((level, n) => {
      const burst = noise(8000, n + 1);
      for (let i = 0; i < burst.length; i++) samples[20_000 + 30_000 * n + i] += burst[i] * level * Math.exp(-i / 900);
    });
    const strengths = found(samples).map((h) => h.strength);
    expect(strengths.length).toBe(4);
    expect([...strengths].sort((a, b) => b - a)).toEqual(strengths);
    expect(strengths[0]).toBeGreaterThan(strengths[3] + 0.2);
  });
  it("counts a hit that several channels have once, where the first of them begins", () => {
    const onset = (at: number, level = 1) => ({ at, sure: 2, level });
    expect(hitsOfChannels([[onset(100)], [onset(900), onset(5000, 0.1)]], 48_000)).toEqual([
      { at: 100, strength: 1 },
      { at: 5000, strength: 0.75 },
    ]);
  });
});
