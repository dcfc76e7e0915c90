import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { FADE_SHAPES } from "../model/schema";
import { blendGains, curveGain, fadeGain, fadeLoudPart, fadeQuietPart } from "./fades";
import { Resampler } from "./resampler";

const shape = fc.constantFrom(...FADE_SHAPES);
const bend = fc.double({ min: -1, max: 1, noNaN: true });

describe("fade curves", () => {
  it("rise from 0 to 1 and never fall, whatever the bend", () => {
    fc.assert(
      fc.property(shape, bend, fc.double({ min: 0, max: 0.999, noNaN: true }), (s, b, u) => {
        expect(Math.abs(curveGain(s, b, 0))).toBeLessThan(1e-12);
        expect(Math.abs(curveGain(s, b, 1) - 1)).toBeLessThan(1e-12);
        expect(curveGain(s, b, u + 0.001)).toBeGreaterThanOrEqual(curveGain(s, b, u));
      }),
    );
  });
  it("have the values of their formulas", () => {
    const at = FADE_SHAPES.map((s) => curveGain(s, 0, 0.25));
    const expected = [0.25, 0.382683432, 0.146446609, 0.016893775, 0.718335308];
    at.forEach((g, i) => expect(g).toBeCloseTo(expected[i], 6));
    expect(curveGain("straight", 0.5, 0.5)).toBeCloseTo((Math.exp(1.5) - 1) / (Math.exp(3) - 1), 12);
  });
  it("run on unchanged over a cut through them", () => {
    fc.assert(
      fc.property(shape, bend, fc.integer({ min: 2, max: 500 }), fc.integer({ min: 1, max: 499 }), (s, b, length, cut) => {
        fc.pre(cut < length);
        const fade = { length, shape: s, bend: b };
        const quiet = fadeQuietPart(fade, cut);
        const loud = fadeLoudPart(fade, cut);
        for (let i = 0; i < length; i++) expect(i < cut ? fadeGain(quiet, i) : fadeGain(loud, i - cut)).toBe(fadeGain(fade, i));
      }),
    );
  });
  it("keep their law: gains add up to one, powers add up to one, Auto holds the expected level", () => {
    fc.assert(
      fc.property(
        shape,
        bend,
        fc.integer({ min: 1, max: 5000 }),
        fc.double({ min: -0.5, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 0.9999, noNaN: true }),
        (s, b, length, r, where) => {
          const i = Math.floor(where * length);
          const gain = blendGains("gain", { shape: s, bend: b }, i, length, r);
          expect(gain.gainIn + gain.gainOut).toBeCloseTo(1, 9);
          const power = blendGains("power", { shape: s, bend: b }, i, length, r);
          expect(power.gainIn ** 2 + power.gainOut ** 2).toBeCloseTo(1, 9);
          const { gainIn, gainOut } = blendGains("auto", { shape: s, bend: b }, i, length, r);
          expect(gainIn ** 2 + gainOut ** 2 + 2 * r * gainIn * gainOut).toBeCloseTo(1, 9);
        },
      ),
    );
  });
});

describe("the resampler", () => {
  const tone = (rate: number, hz: number, n: number) => Float32Array.from({ length: n }, (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / rate));
  it.each([
    [44_100, 48_000],
    [22_050, 48_000],
    [96_000, 48_000],
    [48_000, 44_100],
  ])("turns a tone at %i into the same tone at %i, below −100 dB", (from, to) => {
    const r = new Resampler(from, to);
    const input = tone(from, 997, from / 2);
    const out = [...r.push(input.subarray(0, 5000)), ...r.push(input.subarray(5000)), ...r.finish()];
    expect(out.length).toBe(Math.ceil((input.length * to) / from));
    const want = tone(to, 997, out.length);
    expect(out.slice(2000, -2000).reduce((most, v, i) => Math.max(most, Math.abs(v - want[i + 2000])), 0)).toBeLessThan(1e-5);
  });
  it("takes away what lies above the new band", () => {
    const r = new Resampler(96_000, 48_000);
    const out = [...r.push(tone(96_000, 30_000, 48_000)), ...r.finish()];
    expect(Math.max(...out.slice(3000, -3000).map(Math.abs))).toBeLessThan(1e-6);
  });
});
