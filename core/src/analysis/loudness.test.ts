import { describe, expect, it } from "vitest";
import { integratedLoudness } from "./loudness";

const sine = (hz: number, db: number, seconds: number, rate: number): Float32Array =>
  Float32Array.from({ length: seconds * rate }, (_, i) => 10 ** (db / 20) * Math.sin((2 * Math.PI * hz * i) / rate));
function joined(...parts: Float32Array[]): Float32Array {
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

describe("loudness", () => {
  it.each([44_100, 48_000, 96_000])("is as the test signals of EBU Tech 3341 have it, at %i Hz", (rate) => {
    const stereo = (x: Float32Array) => [x, x];
    expect(integratedLoudness(stereo(sine(1000, -23, 20, rate)), rate)).toBeCloseTo(-23, 1);
    expect(integratedLoudness(stereo(sine(1000, -33, 20, rate)), rate)).toBeCloseTo(-33, 1);
    const third = joined(sine(1000, -36, 10, rate), sine(1000, -23, 60, rate), sine(1000, -36, 10, rate));
    expect(Math.abs((integratedLoudness(stereo(third), rate) ?? 0) + 23)).toBeLessThan(0.1);
    const fourth = joined(sine(1000, -72, 10, rate), third, sine(1000, -72, 10, rate));
    expect(Math.abs((integratedLoudness(stereo(fourth), rate) ?? 0) + 23)).toBeLessThan(0.1);
  });
  it("of one channel is 3 LU below two, of a short one is ungated, of silence is none", () => {
    const rate = 48_000;
    expect(integratedLoudness([sine(1000, -20, 5, rate)], rate)).toBeCloseTo(-23, 1);
    expect(integratedLoudness([sine(1000, -20, 1, rate).slice(0, 9600)], rate)).toBeCloseTo(-23, 0);
    expect(integratedLoudness([new Float32Array(rate)], rate)).toBeNull();
    expect(integratedLoudness([], rate)).toBeNull();
  });
});
