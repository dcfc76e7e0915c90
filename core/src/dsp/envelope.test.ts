import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { newKernels } from "../kernels/kernels";
import type { EnvelopePoint } from "../model/schema";
import { sameSamples } from "../testing/arbitraries";
import { envelopeFactor, envelopeValue, scaleByEnvelope } from "./envelope";

const lines: fc.Arbitrary<EnvelopePoint[]> = fc
  .uniqueArray(fc.integer({ min: 0, max: 900 }), { minLength: 1, maxLength: 6 })
  .chain((ats) =>
    fc.tuple(
      ...ats
        .sort((a, b) => a - b)
        .map((at) =>
          fc
            .record({ value: fc.constantFrom(-144, -60, -12.5, 0, 6, 24), hold: fc.boolean() })
            .map(({ value, hold }): EnvelopePoint => ({ at, value, ...(hold && { hold: true }) })),
        ),
    ),
  );

/** The line as the page says it, with nothing of ours in it. */
function expected(points: readonly EnvelopePoint[], x: number): number {
  const factor = (db: number): number => (db <= -144 ? 0 : 10 ** (db / 20));
  const after = points.findIndex((p) => p.at > x);
  if (after === 0) return factor(points[0].value);
  const a = points[(after < 0 ? points.length : after) - 1];
  const b = after < 0 ? undefined : points[after];
  if (!b || a.hold) return factor(a.value);
  const t = (x - a.at) / (b.at - a.at);
  if (a.value <= -144 || b.value <= -144) return factor(a.value) + t * (factor(b.value) - factor(a.value));
  return factor(a.value + t * (b.value - a.value));
}

describe("a gain envelope", () => {
  it("is straight in dB, in amplitude where it touches silence, and holds where it is told to", () => {
    fc.assert(
      fc.property(lines, fc.integer({ min: 0, max: 1000 }), (points, x) => {
        expect(Math.abs(envelopeFactor(points, x) - expected(points, x))).toBeLessThan(1e-9 * Math.max(1, expected(points, x)));
      }),
    );
  });
  it("scales samples by its factors, the same bits wherever a block begins", () => {
    const long = lines.map((points) => points.map((p) => ({ ...p, at: p.at * 9 })));
    fc.assert(
      fc.property(fc.oneof(lines, long), fc.integer({ min: 0, max: 8000 }), fc.integer({ min: 1, max: 2300 }), (points, from, cut) => {
        const [whole, parts] = [newKernels(3000), newKernels(3000)];
        for (const k of [whole, parts]) k.floats.fill(1);
        scaleByEnvelope(whole, points, from, 3000, 0);
        scaleByEnvelope(parts, points, from, cut, 0);
        scaleByEnvelope(parts, points, from + cut, 3000 - cut, cut);
        expect(sameSamples(parts.floats, whole.floats)).toBe(true);
        for (let i = 0; i < 3000; i += 41)
          expect(Math.abs(whole.floats[i] - expected(points, from + i))).toBeLessThan(3e-7 * Math.max(1, whole.floats[i]));
      }),
    );
  });
  it("has the value of its line at each place", () => {
    fc.assert(
      fc.property(lines, fc.integer({ min: 0, max: 1000 }), (points, x) => {
        const value = envelopeValue(points, x);
        if (points.every((p) => p.value > -144)) expect(10 ** (value / 20)).toBeCloseTo(envelopeFactor(points, x), 9);
      }),
    );
  });
});
