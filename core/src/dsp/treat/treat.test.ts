import { describe, expect, it } from "vitest";
import { Chain, type Processor, runInOf, tailOf } from "../../model/recipe/treatment";
import { noise } from "../../testing/arbitraries";
import { cos, exp, sin, tanh } from "../maths";
import { biquadOf, responseDb } from "./biquad";
import { reductionDb } from "./dynamics";
import { treat } from "./treat";

const RATE = 48_000;
const chainOf = (...list: object[]): Processor[] => Chain.parse(list);
const run = (x: Float32Array, ...list: object[]): Float32Array => {
  const y = x.slice();
  treat([y], chainOf(...list), RATE, 0);
  return y;
};
const sine = (hz: number, amplitude: number, n: number): Float32Array =>
  Float32Array.from({ length: n }, (_, i) => amplitude * Math.sin((2 * Math.PI * hz * i) / RATE));
const rms = (x: Float32Array, from = 0, to = x.length): number => Math.sqrt(x.subarray(from, to).reduce((s, v) => s + v * v, 0) / (to - from));
const dB = (x: number): number => 20 * Math.log10(x);

describe("our own sines and exponentials", () => {
  it("are as exact as doubles are", () => {
    for (let x = -30; x < 30; x += 0.0371) {
      expect(Math.abs(exp(x) / Math.exp(x) - 1)).toBeLessThan(1e-14);
      expect(Math.abs(sin(x) - Math.sin(x))).toBeLessThan(1e-14);
      expect(Math.abs(cos(x) - Math.cos(x))).toBeLessThan(1e-14);
      expect(Math.abs(tanh(x) - Math.tanh(x))).toBeLessThan(1e-14);
    }
  });
});

describe("processors", () => {
  it("gain, invert and normalise scale each sample", () => {
    const x = noise(1000, 3);
    expect(run(x, { kind: "invert" })).toEqual(x.map((v) => -v));
    const louder = run(x, { kind: "gain", db: 6 });
    x.forEach((v, i) => expect(louder[i]).toBeCloseTo(v * 10 ** 0.3, 6));
    expect(run(x, { kind: "normalise", gain: -6 })[10]).toBeCloseTo(x[10] * 10 ** -0.3, 6);
    expect(run(x, { kind: "gain", db: 6, on: false })).toEqual(x);
  });

  it.each([
    { kind: "lowCut", hz: 30 },
    { kind: "notch", hz: 100, q: 1 },
    { kind: "echo", time: 5, feedback: 0.3, tone: 1000 },
    { kind: "room", size: 0.1, decay: 0.1, tone: 2000 },
    { kind: "phaser", feedback: 0.3 },
  ])("what %o leaves in silence ends in nothing, not for long in the numbers next to zero, which are slow", (spec) => {
    const x = new Float32Array(3 * RATE);
    x.set(noise(2000, 5));
    const slow = run(x, spec).filter((v) => v !== 0 && Math.abs(v) < 2 ** -126);
    expect(slow.length).toBeLessThan(100);
  });

  it.each([
    [{ kind: "lowCut", hz: 200 }, 200, -3.01],
    [{ kind: "lowCut", hz: 200 }, 50, -24.1],
    [{ kind: "highCut", hz: 5000 }, 5000, -3.01],
    [{ kind: "bell", hz: 3000, db: 9, q: 2 }, 3000, 9],
    [{ kind: "bell", hz: 3000, db: 9, q: 2 }, 100, 0],
    [{ kind: "lowShelf", hz: 300, db: -6 }, 30, -6],
    [{ kind: "lowShelf", hz: 300, db: -6 }, 6000, 0],
    [{ kind: "highShelf", hz: 4000, db: 8 }, 16_000, 8],
    [{ kind: "highShelf", hz: 4000, db: 8 }, 100, 0],
    [{ kind: "notch", hz: 1000, q: 4 }, 4000, -0.1],
  ])("filter %o lets %i Hz through at %f dB, as its drawn curve says", (spec, hz, expected) => {
    const [p] = chainOf(spec) as [Parameters<typeof biquadOf>[0]];
    const drawn = responseDb(biquadOf(p, RATE), hz, RATE);
    expect(Math.abs(drawn - expected)).toBeLessThan(0.35);
    const y = run(sine(hz, 0.25, RATE), spec);
    expect(Math.abs(dB(rms(y, RATE / 2) / rms(sine(hz, 0.25, RATE), RATE / 2)) - drawn)).toBeLessThan(0.01);
  });

  it("a notch takes its frequency away", () => {
    expect(rms(run(sine(1000, 0.5, RATE), { kind: "notch", hz: 1000, q: 4 }), RATE / 2)).toBeLessThan(1e-4);
  });

  it("a gate closes on what is soft, opens ahead of what is loud, and holds", () => {
    const x = noise(RATE, 5).map((v, i) => v * (i > 20_000 && i < 24_000 ? 1 : 0.001));
    const y = run(x, { kind: "gate", threshold: -30, floor: -60, attack: 0.2, release: 5, hold: 20, ahead: 5 });
    expect(rms(y, 0, 19_000) / rms(x, 0, 19_000)).toBeLessThan(0.0012);
    // Open before the sound comes, so that nothing of its attack is lost.
    expect(Math.abs(rms(y, 20_002, 20_200) / rms(x, 20_002, 20_200) - 1)).toBeLessThan(0.01);
    expect(Math.abs(y[24_500] / x[24_500] - 1)).toBeLessThan(0.01);
    expect(rms(y, 40_000, 48_000) / rms(x, 40_000, 48_000)).toBeLessThan(0.0012);
  });

  it("a compressor takes what lies above its threshold down by its ratio", () => {
    expect(reductionDb(-30, { threshold: -20, ratio: 4, knee: 0 })).toBe(0);
    expect(reductionDb(-8, { threshold: -20, ratio: 4, knee: 6 })).toBeCloseTo(9, 6);
    expect(reductionDb(-20, { threshold: -20, ratio: 4, knee: 8 })).toBeCloseTo(0.75, 6);
    const loud = Float32Array.from({ length: RATE }, (_, i) => (i & 1 ? 0.5 : -0.5));
    const y = run(loud, { kind: "compressor", threshold: -20, ratio: 4, knee: 0, attack: 5, release: 50, makeUp: 3 });
    expect(dB(Math.abs(y[RATE - 1]))).toBeCloseTo(dB(0.5) - 0.75 * (dB(0.5) + 20) + 3, 2);
  });

  it("a compressor brings a steady tone to its static curve, whatever its pitch, in the times that it is given", () => {
    for (const hz of [60, 200, 1000, 5000])
      for (const release of [30, 120, 400]) {
        const p = { kind: "compressor", threshold: -20, ratio: 3, knee: 0, attack: 10, release, makeUp: 0 } as const;
        const peak = 10 ** (-14 / 20);
        const y = run(sine(hz, peak, RATE), p);
        const loudest = y.subarray(RATE / 2).reduce((m, v) => Math.max(m, Math.abs(v)), 0);
        expect(Math.abs(dB(loudest) - (-14 - 4)), `${hz} ${release}`).toBeLessThan(0.1);
      }
    // A step down by 12 dB: nine tenths of what was taken have come back after the release, not before its half.
    const square = (i: number): number => (i & 1 ? 1 : -1) * (i < RATE / 2 ? 0.4 : 0.1);
    const x = Float32Array.from({ length: RATE }, (_, i) => square(i));
    const y = run(x, { kind: "compressor", threshold: -14, ratio: 4, knee: 0, attack: 5, release: 100, makeUp: 0 });
    const taken = (ms: number): number => -dB(Math.abs(y[RATE / 2 + Math.round((ms * RATE) / 1000)]) / 0.1);
    const whole = reductionDb(dB(0.4), { threshold: -14, ratio: 4, knee: 0 });
    expect(taken(100)).toBeCloseTo(whole / 10, 1);
    expect(taken(50)).toBeGreaterThan(whole / 4);
    const rises = run(
      Float32Array.from({ length: RATE }, (_, i) => (i & 1 ? 0.4 : -0.4)),
      {
        kind: "compressor",
        ...{ threshold: -14, ratio: 4, knee: 0, attack: 20, release: 100, makeUp: 0 },
      },
    );
    expect(-dB(Math.abs(rises[Math.round(0.02 * RATE)]) / 0.4)).toBeCloseTo(0.9 * whole, 1);
  });

  it("a gate is at its floor after its release, and open after its attack", () => {
    const x = Float32Array.from({ length: RATE }, (_, i) => (i & 1 ? 1 : -1) * (i < RATE / 2 ? 0.5 : 0.001));
    const y = run(x, { kind: "gate", threshold: -30, floor: -60, attack: 4, release: 50, hold: 0, ahead: 0 });
    const gain = (at: number): number => dB(Math.abs(y[at] / x[at]));
    expect(gain(RATE / 2 + 1200)).toBeCloseTo(-30, 0);
    expect([gain(RATE / 2 + 2400), gain(RATE - 1)].map(Math.round)).toEqual([-60, -60]);
    expect([Math.round(gain(95)), gain(192), gain(4000)]).toEqual([-30, 0, 0]);
  });

  it("drive bends by a hyperbolic tangent without delay, and folds nothing back into the band", () => {
    const soft = sine(500, 0.01, 4800);
    const y = run(soft, { kind: "drive", db: 0 });
    for (let i = 200; i < 4600; i++) expect(Math.abs(y[i] - soft[i])).toBeLessThan(2e-5);
    // The third harmonic of 11 kHz would fold to 15 kHz.
    const hard = run(sine(11_000, 0.9, 9600), { kind: "drive", db: 12 });
    let [re, im] = [0, 0];
    for (let i = 0; i < 9600; i++) {
      const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / 9600);
      re += w * hard[i] * Math.cos((2 * Math.PI * 15_000 * i) / RATE);
      im += w * hard[i] * Math.sin((2 * Math.PI * 15_000 * i) / RATE);
    }
    expect(dB((2 * Math.hypot(re, im)) / 4800)).toBeLessThan(-70);
  });

  it("an echo comes back after its time, softer each time, and rings out within its tail", () => {
    const x = new Float32Array(RATE * 3);
    x[0] = 1;
    const chain = chainOf({ kind: "echo", time: 100, feedback: 0.5, tone: 20_000, mix: 0.5 });
    const y = x.slice();
    treat([y], chain, RATE, 0);
    expect(y[0]).toBeCloseTo(0.5, 6);
    const peak = (at: number) => Math.max(...y.subarray(at, at + 20));
    expect(peak(4800)).toBeGreaterThan(0.3);
    expect(peak(9600) / peak(4800)).toBeGreaterThan(0.3);
    expect(peak(9600) / peak(4800)).toBeLessThan(0.51);
    const end = Math.round(tailOf(chain) * RATE);
    expect(rms(y, end)).toBeLessThan(1e-6);
  });

  it("a room decays by 60 dB in its time, and by 120 within its run-in", () => {
    const n = RATE * 4;
    const x = [new Float32Array(n), new Float32Array(n)];
    x[0][0] = x[1][0] = 1;
    const chain = chainOf({ kind: "room", decay: 1, tone: 20_000, preDelay: 0, mix: 1, size: 0.6 });
    treat(x, chain, RATE, 0);
    const level = (seconds: number): number => dB(rms(x[0], Math.round(seconds * RATE), Math.round((seconds + 0.1) * RATE)));
    expect(Math.abs(level(1.2) - level(0.2) + 60)).toBeLessThan(8);
    expect(level(runInOf(chain)) - level(0.02)).toBeLessThan(-110);
    expect(rms(x[0].map((v, i) => v - x[1][i]))).toBeGreaterThan(1e-4);
  });

  it("chorus and phaser move with the place of the sound, not with where they begin", () => {
    const x = noise(RATE, 9);
    for (const p of [
      { kind: "chorus", rate: 1.3, depth: 4 },
      { kind: "phaser", rate: 0.7, feedback: 0.5 },
    ]) {
      const chain = chainOf(p);
      const whole = x.slice();
      treat([whole], chain, RATE, 0);
      const late = x.slice(24_000 - Math.round(runInOf(chain) * RATE));
      treat([late], chain, RATE, RATE - late.length);
      const from = RATE - 24_000;
      for (let i = 0; i < 24_000; i += 7) expect(Math.abs(whole[from + i] - late[late.length - 24_000 + i])).toBeLessThan(2e-6);
    }
  });

  it.each([
    [
      [
        { kind: "lowCut", hz: 60, q: 0.3 },
        { kind: "bell", hz: 90, q: 12, db: 12 },
        { kind: "lowShelf", hz: 40, db: 12 },
      ],
    ],
    [
      [
        { kind: "gate", release: 80, threshold: -20 },
        { kind: "compressor", threshold: -30 },
      ],
    ],
    [
      [
        { kind: "echo", time: 90, feedback: 0.6 },
        { kind: "drive", db: 9 },
      ],
    ],
  ])("of %o nothing is left after the run-in of what came before", (list) => {
    const chain = chainOf(...list);
    const n = Math.round(runInOf(chain) * RATE);
    const x = noise(2 * n + 9600, 11);
    const whole = x.slice();
    treat([whole], chain, RATE, 0);
    const late = x.slice(n);
    treat([late], chain, RATE, n);
    for (let i = 2 * n; i < x.length; i += 3) expect(Math.abs(whole[i] - late[i - n])).toBeLessThan(3e-6);
  });
});
