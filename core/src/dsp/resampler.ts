import { type Kernels, newKernels } from "../kernels/kernels";
import { commonDivisor } from "../time/rational";
import { ROLL_OFF, SIDE, windowedSinc } from "./sinc";

/** Input samples that can wait, and outputs made in one go. */
const WAITING = 1 << 16;
const OUT = 1 << 14;

/**
 * Changes the rate of one channel by an exact ratio, in pieces of any size: polyphase Kaiser-windowed sinc (Kaiser & Schafer 1980).
 * Sample 0 of the input is sample 0 of the output; `length` gives how many come out in all.
 */
export class Resampler {
  private readonly up: number;
  private readonly down: number;
  private readonly half: number;
  private readonly size: number;
  private readonly kernels: Kernels;
  /** Where the input waits in the kernels' memory, and where outputs are put; the taps lie before. */
  private readonly input: number;
  private readonly output: number;
  /** Input index of the first sample that waits, and how many do. */
  private base: number;
  private held: number;
  private produced = 0;
  private taken = 0;

  constructor(from: number, to: number) {
    const g = commonDivisor(from, to);
    this.up = to / g;
    this.down = from / g;
    const cutoff = Math.min(1, to / from) * ROLL_OFF;
    this.half = Math.ceil(SIDE / cutoff);
    // The kernel takes four taps at a time; those beyond the window are zero.
    this.size = Math.ceil((2 * this.half) / 4) * 4;
    this.input = 2 * this.up * this.size;
    this.output = this.input + WAITING + this.size;
    this.kernels = newKernels(this.output + OUT);
    for (let phase = 0; phase < this.up; phase++) {
      const h = this.kernels.doubles.subarray(phase * this.size, phase * this.size + 2 * this.half);
      let sum = 0;
      for (let k = 0; k < h.length; k++) {
        h[k] = windowedSinc(k - this.half + 1 - phase / this.up, cutoff, this.half);
        sum += h[k];
      }
      // Unity at zero frequency in every phase.
      for (let k = 0; k < h.length; k++) h[k] /= sum;
    }
    this.base = -this.half;
    this.held = this.half;
  }

  /** Samples that come out for `input` samples in all. */
  length(input: number): number {
    return Math.ceil((input * this.up) / this.down);
  }

  /** Makes what the samples that wait are enough for, up to output `limit`. */
  private produce(limit: number, out: Float32Array[]): void {
    const { kernels, size, half, up, down } = this;
    for (;;) {
      // Output k needs the inputs up to k · down / up + half.
      const enough = Math.floor(((this.base + this.held - half) * up - 1) / down) + 1;
      const count = Math.min(OUT, Math.min(limit, enough) - this.produced);
      if (count <= 0) break;
      kernels.resample(0, size, up, down, half, this.input, this.base, this.produced, count, this.output);
      out.push(kernels.floats.slice(this.output, this.output + count));
      this.produced += count;
    }
    const first = Math.floor((this.produced * down) / up) - half + 1;
    const drop = Math.min(this.held, Math.max(0, first - this.base));
    kernels.floats.copyWithin(this.input, this.input + drop, this.input + this.held);
    this.base += drop;
    this.held -= drop;
  }

  private run(samples: Float32Array, limit: number): Float32Array {
    const out: Float32Array[] = [];
    for (let at = 0; at < samples.length; ) {
      const n = Math.min(samples.length - at, WAITING - this.held);
      this.kernels.floats.set(samples.subarray(at, at + n), this.input + this.held);
      this.held += n;
      at += n;
      this.produce(limit, out);
    }
    if (out.length === 1) return out[0];
    const all = new Float32Array(out.reduce((sum, part) => sum + part.length, 0));
    let to = 0;
    for (const part of out) {
      all.set(part, to);
      to += part.length;
    }
    return all;
  }

  /** Takes more input and gives what is ready. */
  push(samples: Float32Array): Float32Array {
    this.taken += samples.length;
    return this.run(samples, Number.POSITIVE_INFINITY);
  }

  /** Gives the rest, up to the exact length. */
  finish(): Float32Array {
    return this.run(new Float32Array(2 * this.half), this.length(this.taken));
  }
}
