import { windowedSinc } from "../dsp/sinc";
import { type Kernels, newKernels } from "../kernels/kernels";

/** Taps on each side of the filters that look between the samples. */
const HALF = 32;
/** Their window: some 60 dB, so that they stay true close to half the rate. */
const BETA = 6;
const TAPS = 2 * HALF;
const COARSE = 4;
const FINE = 16;
/**
 * Between the points of the coarse grid a signal without anything above half its rate is higher than on them by at most 1 / cos(π / 8): its
 * highest tone turns by so much from a point to half way to the next.
 */
const HIDDEN = 1 / Math.cos(Math.PI / (2 * COARSE));
/** Samples looked at more closely together. */
const GROUP = 64;
/** Samples that are taken at a time: whole groups, and what lies around them. */
const ROOM = 1 << 14;

/** The filters of all places of a grid but the samples' own, one after the other. */
function filters(up: number): Float64Array[] {
  return Array.from({ length: up - 1 }, (_, p) => {
    const taps = Float64Array.from({ length: TAPS }, (_, k) => windowedSinc(k - HALF + 1 - (p + 1) / up, 1, HALF, BETA));
    const sum = taps.reduce((a, b) => a + b, 0);
    return taps.map((h) => h / sum);
  });
}

/** Filters in sets of three: the first is the coarse grid, the others are the fine one. */
const SETS = 1 + (FINE - 1) / 3;
let sets: Float64Array[] | null = null;
/** Between samples the sound is at most so many times as high as the highest that the filters see: were each sign the worst. */
let most = 1;

/**
 * The true peak of one channel (ITU-R BS.1770-5, annex 2): the highest value that the sound has between its samples too, looked for at four
 * times its rate, and at sixteen times wherever that could find a higher one. Silence is taken to lie before and after it.
 */
export class TruePeak {
  private readonly kernels: Kernels;
  private readonly input = SETS * 4 * TAPS;
  private readonly output = this.input + ROOM + TAPS;
  /** Samples that wait, the first `HALF` of them for what they are to those that follow. */
  private held = HALF;
  private highest = 0;

  constructor() {
    if (!sets) {
      sets = [...filters(COARSE), ...filters(FINE)];
      // A hair more, for what singles are rounded by.
      most = 1.0001 * Math.max(...sets.map((taps) => taps.reduce((sum, h) => sum + Math.abs(h), 0)));
    }
    this.kernels = newKernels(this.output + 1);
    for (const [p, taps] of sets.entries())
      for (let k = 0; k < TAPS; k++) this.kernels.floats[Math.floor(p / 3) * 4 * TAPS + 4 * k + (p % 3)] = taps[k];
    this.kernels.floats.fill(0, this.input, this.input + HALF);
  }

  /** Takes more of the sound. Returns the highest so far; `known`: what is known to be reached, by another channel say, below which it need not look. */
  push(samples: Float32Array, known = 0): number {
    const { floats } = this.kernels;
    this.highest = Math.max(this.highest, known);
    for (let at = 0; at < samples.length; ) {
      const n = Math.min(ROOM - this.held, samples.length - at);
      floats.set(samples.subarray(at, at + n), this.input + this.held);
      this.held += n;
      at += n;
      this.look();
    }
    return this.highest;
  }

  /** Looks at the groups that have enough on both sides, and lets go of them. */
  private look(): void {
    const { kernels, input, output } = this;
    const { floats } = kernels;
    const groups = Math.floor((this.held - TAPS + 1) / GROUP);
    if (groups <= 0) return;
    let after = kernels.loudest(input, GROUP);
    for (let g = 0; g < groups; g++) {
      const own = after;
      after = kernels.loudest(input + (g + 1) * GROUP, GROUP);
      // The filters of a group see no more than itself and as many samples after it.
      if (Math.max(own, after) * most <= this.highest) continue;
      kernels.between64(0, TAPS, input + g * GROUP, 1, output);
      const found = floats[output];
      if (found > this.highest) this.highest = found;
      if (found * HIDDEN > this.highest) this.lookClosely(g * GROUP);
    }
    floats.copyWithin(input, input + groups * GROUP, input + this.held);
    this.held -= groups * GROUP;
  }

  private lookClosely(from: number): void {
    const { kernels, input, output } = this;
    // Three places of the grid at a time, as the coarse one has them.
    for (let set = 1; set < SETS; set++) {
      kernels.between64(set * 4 * TAPS, TAPS, input + from, 1, output);
      this.highest = Math.max(this.highest, kernels.floats[output]);
    }
  }

  /** The highest value, once all of the sound has come; 1 is full scale. */
  finish(known = 0): number {
    return this.push(new Float32Array(TAPS + GROUP), known);
  }
}
