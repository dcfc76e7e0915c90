import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { windowedSinc } from "../dsp/sinc";
import { noise } from "../testing/arbitraries";
import { integratedLoudness, LoudnessMeter } from "./loudness";
import { TruePeak } from "./true-peak";

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

const measured = (planes: Float32Array[], rate: number, piece = 1000) => {
  const meter = new LoudnessMeter(planes.length, rate);
  for (let at = 0; at < planes[0].length; at += piece) {
    const count = Math.min(piece, planes[0].length - at);
    meter.push(
      planes.map((p) => p.subarray(at, at + count)),
      count,
    );
  }
  return meter.finish();
};

describe("the loudness meter", () => {
  const rate = 48_000;
  it("tells the momentary and short-term maximum, and the range, of the signals of EBU Tech 3341 and 3342", () => {
    const stereo = (x: Float32Array) => [x, x.slice()];
    const bursts = joined(sine(1000, -50, 5, rate), sine(1000, -20, 3, rate), sine(1000, -50, 5, rate));
    const one = measured(stereo(bursts), rate, 777);
    expect(one.shortTermMax).toBeCloseTo(-20, 1);
    expect(one.momentaryMax).toBeCloseTo(-20, 1);
    const range = measured(stereo(joined(sine(1000, -20, 20, rate), sine(1000, -30, 20, rate))), rate);
    expect(Math.abs((range.range ?? 0) - 10)).toBeLessThan(1);
    expect(one.overTime.momentary.length).toBe(130);
    expect(one.overTime.momentary.slice(0, 3)).toEqual([null, null, null]);
    expect(one.overTime.shortTerm[79]).toBeCloseTo(-20, 1);
  });
  it("says the same whatever pieces the sound comes in, and of silence that there is nothing", () => {
    const planes = [noise(200_000, 1), noise(200_000, 2)];
    const [whole, pieces] = [measured(planes, rate, 200_000), measured(planes, rate, 333)];
    for (const key of ["integrated", "momentaryMax", "shortTermMax", "range", "truePeak", "samplePeak"] as const)
      expect(pieces[key] ?? Number.NaN).toBeCloseTo(whole[key] ?? 99, 9);
    expect(measured([new Float32Array(30_000)], rate)).toMatchObject({
      integrated: null,
      momentaryMax: null,
      range: null,
      truePeak: null,
      samplePeak: null,
    });
  });
  it.each([0, 45, 60, 67.5])("finds the true peak of a quarter-rate sine that starts at %f°, which no sample has", (degrees) => {
    const x = Float32Array.from({ length: 9600 }, (_, i) => 0.5 * Math.sin((Math.PI / 2) * i + (degrees * Math.PI) / 180));
    // Into it and out of it by a glide, as a cut would itself ring.
    for (let i = 0; i < 2000; i++) for (const at of [i, 9599 - i]) x[at] *= 0.5 - 0.5 * Math.cos((Math.PI * i) / 2000);
    const found = measured([x], rate).truePeak ?? 0;
    expect(found).toBeGreaterThan(-6.02 - 0.1);
    expect(found).toBeLessThan(-6.02 + 0.05);
  });
  it("finds what a long filter at sixteen times the rate finds", () => {
    const long = 200;
    const rows = Array.from({ length: 16 }, (_, p) =>
      Float64Array.from({ length: 2 * long + 1 }, (_, k) => windowedSinc(k - long - p / 16, 1, long)),
    );
    for (const seed of [3, 4, 5]) {
      // Tones up to nine tenths of half the rate, with an end and a beginning that ring.
      const places = noise(40, seed);
      const x = new Float32Array(3000);
      for (let i = 0; i < 3000; i++) for (const p of places) x[i] += 0.03 * Math.sin(Math.PI * 0.9 * Math.abs(p) * i + 20 * p);
      let highest = 0;
      for (let t = -20; t < 3020; t++)
        for (const row of rows) {
          let sum = 0;
          for (let i = Math.max(0, t - long); i <= Math.min(2999, t + long); i++) sum += x[i] * row[i - t + long];
          highest = Math.max(highest, Math.abs(sum));
        }
      const peak = new TruePeak();
      for (let at = 0; at < 3000; at += 700) peak.push(x.subarray(at, at + 700));
      expect(Math.abs(20 * Math.log10(peak.finish() / highest))).toBeLessThan(0.05);
    }
  });
  it("passes over only what can't be higher, whatever is known and in whatever pieces it comes", () => {
    const half = 32;
    const filters = Array.from({ length: 16 }, (_, p) => {
      const taps = Array.from({ length: 2 * half }, (_, k) => windowedSinc(k - half + 1 - p / 16, 1, half, 6));
      const sum = taps.reduce((a, b) => a + b, 0);
      return taps.map((h) => h / sum);
    });
    fc.assert(
      fc.property(
        fc.integer(),
        fc.array(fc.constantFrom(0, 0.001, 0.2, 0.35, 0.8, 1), { minLength: 4, maxLength: 16 }),
        fc.integer({ min: 1, max: 900 }),
        fc.double({ min: 0, max: 0.6, noNaN: true }),
        (seed, levels, piece, known) => {
          const x = noise(levels.length * 97, seed).map((v, i) => v * levels[Math.floor(i / 97)]);
          let highest = known;
          for (let i = -half; i < x.length + half; i++)
            for (const taps of filters) {
              let sum = 0;
              for (let k = 0; k < taps.length; k++) sum += taps[k] * (x[i - half + 1 + k] ?? 0);
              highest = Math.max(highest, Math.abs(sum));
            }
          const peak = new TruePeak();
          for (let at = 0; at < x.length; at += piece) peak.push(x.subarray(at, at + piece), at > 0 ? known : 0);
          const found = peak.finish(known);
          // Noise holds more near half its rate than sound does: what lies between the points of the coarse grid may be missed by a little.
          expect(found).toBeLessThanOrEqual(highest * 1.0001);
          expect(20 * Math.log10(highest / found)).toBeLessThan(0.1);
        },
      ),
      { numRuns: 30 },
    );
  });
});
