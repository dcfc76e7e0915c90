import { lasting } from "../dsp/maths";
import type { Biquad } from "../dsp/treat/biquad";
import { TruePeak } from "./true-peak";

/*
 * Loudness of a signal by ITU-R BS.1770-5 and EBU R 128: the K-weighting of its two stages, blocks of 400 ms that overlap by three quarters,
 * gated at −70 LUFS and 10 LU below what is left. Mono is one channel.
 */

/** The first stage, of a head: its analogue prototype, taken to any rate by the bilinear transform (as in EBU's libraries). */
function shelf(rate: number): Biquad {
  const [f0, gain, q] = [1681.974450955533, 3.999843853973347, 0.7071752369554196];
  const k = Math.tan((Math.PI * f0) / rate);
  const vh = 10 ** (gain / 20);
  const vb = vh ** 0.4996667741545416;
  const a0 = 1 + k / q + k * k;
  return {
    b0: (vh + (vb * k) / q + k * k) / a0,
    b1: (2 * (k * k - vh)) / a0,
    b2: (vh - (vb * k) / q + k * k) / a0,
    a1: (2 * (k * k - 1)) / a0,
    a2: (1 - k / q + k * k) / a0,
  };
}

/** The second stage, which takes the low end away. */
function highPass(rate: number): Biquad {
  const [f0, q] = [38.13547087602444, 0.5003270373238773];
  const k = Math.tan((Math.PI * f0) / rate);
  const a0 = 1 + k / q + k * k;
  return { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / q + k * k) / a0 };
}

const STEP_SECONDS = 0.1;
/** Steps in a momentary block, and in a short-term one. */
const MOMENTARY = 4;
const SHORT_TERM = 30;
const ABSOLUTE = -70;
const RELATIVE = -10;
/** For the range (EBU Tech 3342): its gate, and the parts of the values between which it lies. */
const RANGE_RELATIVE = -20;
const [LOW, HIGH] = [0.1, 0.95];
const lufs = (power: number): number => -0.691 + 10 * Math.log10(power);
const decibels = (value: number): number | null => (value > 0 ? 20 * Math.log10(value) : null);
const mean = (list: readonly number[]): number => list.reduce((a, b) => a + b, 0) / list.length;

/** How loud a sound is. Null where there is nothing above the gate, or nothing at all. */
export interface Loudness {
  /** LUFS, of all of it. */
  readonly integrated: number | null;
  /** LUFS, the highest over 400 ms and over 3 s. */
  readonly momentaryMax: number | null;
  readonly shortTermMax: number | null;
  /** LU. */
  readonly range: number | null;
  /** dBTP, between the samples too; and dBFS, of the samples. */
  readonly truePeak: number | null;
  readonly samplePeak: number | null;
  /** LUFS over time, each of what ends there; one value every 100 ms. */
  readonly overTime: { readonly step: number; readonly momentary: readonly (number | null)[]; readonly shortTerm: readonly (number | null)[] };
}

/** One channel's weighting: both stages one after the other, in double precision. */
class Weighting {
  private readonly s: Biquad;
  private readonly h: Biquad;
  private readonly state = new Float64Array(4);

  constructor(rate: number) {
    this.s = shelf(rate);
    this.h = highPass(rate);
  }

  /** The sum of squares of samples [from, to) once weighted. */
  power(x: Float32Array, from: number, to: number): number {
    const { s, h, state } = this;
    let [p, q, r, t] = state;
    let sum = 0;
    for (let i = from; i < to; i++) {
      const v = x[i];
      const y = s.b0 * v + p;
      p = s.b1 * v - s.a1 * y + q;
      q = s.b2 * v - s.a2 * y;
      const z = h.b0 * y + r;
      r = h.b1 * y - h.a1 * z + t;
      t = h.b2 * y - h.a2 * z;
      sum += z * z;
    }
    state[0] = lasting(p);
    state[1] = lasting(q);
    state[2] = lasting(r);
    state[3] = lasting(t);
    return sum;
  }
}

/** Measures a sound as it comes, in pieces of any size. */
export class LoudnessMeter {
  private readonly weights: Weighting[];
  private readonly truePeaks: TruePeak[];
  private readonly step: number;
  /** Powers of whole steps, and of the one that is under way. */
  private readonly powers: number[] = [];
  private now = 0;
  private inStep = 0;
  private total = 0;
  /** The highest so far, on the samples and between them. */
  private highest = 0;
  private between = 0;

  /** `peaks`: whether true peaks are looked for as well, which takes most of the time. */
  constructor(
    private readonly channels: number,
    rate: number,
    peaks = true,
  ) {
    this.weights = Array.from({ length: channels }, () => new Weighting(rate));
    this.truePeaks = peaks ? this.weights.map(() => new TruePeak()) : [];
    this.step = Math.round(STEP_SECONDS * rate);
  }

  /** Takes the first `count` samples of each channel. */
  push(planes: readonly Float32Array[], count: number): void {
    for (let at = 0; at < count; ) {
      const n = Math.min(this.step - this.inStep, count - at);
      for (let c = 0; c < this.channels; c++) {
        const power = this.weights[c].power(planes[c], at, at + n);
        this.now += power;
        this.total += power;
      }
      this.inStep += n;
      at += n;
      if (this.inStep === this.step) {
        this.powers.push(this.now / this.step);
        this.now = 0;
        this.inStep = 0;
      }
    }
    for (let c = 0; c < this.channels; c++) {
      const x = planes[c];
      for (let i = 0; i < count; i++) {
        const v = x[i] < 0 ? -x[i] : x[i];
        if (v > this.highest) this.highest = v;
      }
    }
    for (const [c, peaks] of this.truePeaks.entries()) {
      const x = planes[c];
      // Only the highest of all channels counts.
      this.between = peaks.push(count === x.length ? x : x.subarray(0, count), Math.max(this.highest, this.between));
    }
  }

  /** Means of so many steps, each of those that end with a step; null before there are as many. */
  private over(steps: number): (number | null)[] {
    let sum = 0;
    return this.powers.map((p, i) => {
      sum += p - (i >= steps ? this.powers[i - steps] : 0);
      return i < steps - 1 ? null : sum / steps;
    });
  }

  finish(): Loudness {
    const measured = this.powers.length * this.step + this.inStep;
    const [momentary, shortTerm] = [this.over(MOMENTARY), this.over(SHORT_TERM)];
    const loud = (p: number | null): number | null => (p !== null && p > 0 && lufs(p) > ABSOLUTE ? lufs(p) : null);
    const highest = (list: readonly (number | null)[]): number | null => list.reduce<number | null>((m, p) => Math.max(m ?? 0, p ?? 0) || null, null);
    const peak = Math.max(this.highest, ...this.truePeaks.map((t) => t.finish(Math.max(this.highest, this.between))));
    return {
      // What is shorter than a block is measured whole, ungated.
      integrated: measured === 0 ? null : this.powers.length < MOMENTARY ? loud(this.total / measured) : integrated(momentary),
      momentaryMax: loud(highest(momentary)),
      shortTermMax: loud(highest(shortTerm)),
      range: rangeOf(shortTerm),
      truePeak: this.truePeaks.length > 0 ? decibels(peak) : null,
      samplePeak: decibels(this.highest),
      overTime: { step: STEP_SECONDS, momentary: momentary.map(loud), shortTerm: shortTerm.map(loud) },
    };
  }
}

const above = (list: readonly (number | null)[], gate: number): number[] => list.filter((p): p is number => p !== null && p > 0 && lufs(p) > gate);

function integrated(blocks: readonly (number | null)[]): number | null {
  const loud = above(blocks, ABSOLUTE);
  return loud.length === 0 ? null : lufs(mean(above(loud, lufs(mean(loud)) + RELATIVE)));
}

function rangeOf(blocks: readonly (number | null)[]): number | null {
  const loud = above(blocks, ABSOLUTE);
  if (loud.length === 0) return null;
  const kept = above(loud, lufs(mean(loud)) + RANGE_RELATIVE).sort((a, b) => a - b);
  const at = (part: number): number => lufs(kept[Math.round((kept.length - 1) * part)]);
  return at(HIGH) - at(LOW);
}

/** Integrated loudness of some channels in LUFS. Null where nothing is above the gate. */
export function integratedLoudness(channels: readonly Float32Array[], rate: number): number | null {
  const meter = new LoudnessMeter(channels.length, rate, false);
  meter.push(channels, channels[0]?.length ?? 0);
  return meter.finish().integrated;
}
