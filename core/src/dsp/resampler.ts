/** Zero crossings of the sinc on each side. */
const SIDE = 64;
/** Kaiser window parameter: about 145 dB of stop band with 64 crossings a side. */
const BETA = 14.5;
/** The pass band ends at this part of the lower Nyquist frequency. */
const ROLL_OFF = 0.95;

function gcd(a: number, b: number): number {
  while (b) [a, b] = [b, a % b];
  return a;
}

/** Modified Bessel function of the first kind, order 0, by its power series. */
function bessel0(x: number): number {
  let sum = 1;
  let term = 1;
  for (let k = 1; term > sum * 1e-17; k++) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/**
 * Changes the rate of one channel by an exact ratio, in pieces of any size: polyphase Kaiser-windowed sinc (Kaiser & Schafer 1980).
 * Sample 0 of the input is sample 0 of the output; `length` gives how many come out in all.
 */
export class Resampler {
  private readonly up: number;
  private readonly down: number;
  private readonly half: number;
  private readonly taps: Float64Array[] = [];
  private buffer: Float32Array;
  /** Input index of the buffer's first sample, and how many it holds. */
  private base: number;
  private held: number;
  private produced = 0;
  private taken = 0;

  constructor(from: number, to: number) {
    const g = gcd(from, to);
    this.up = to / g;
    this.down = from / g;
    const cutoff = Math.min(1, to / from) * ROLL_OFF;
    this.half = Math.ceil(SIDE / cutoff);
    const norm = bessel0(BETA);
    for (let phase = 0; phase < this.up; phase++) {
      const h = new Float64Array(2 * this.half);
      let sum = 0;
      for (let k = 0; k < h.length; k++) {
        const t = k - this.half + 1 - phase / this.up;
        const x = Math.PI * cutoff * t;
        const edge = t / this.half;
        const window = Math.abs(edge) >= 1 ? 0 : bessel0(BETA * Math.sqrt(1 - edge * edge)) / norm;
        h[k] = (x === 0 ? 1 : Math.sin(x) / x) * window;
        sum += h[k];
      }
      // Unity at zero frequency in every phase.
      for (let k = 0; k < h.length; k++) h[k] /= sum;
      this.taps.push(h);
    }
    this.buffer = new Float32Array(1 << 17);
    this.base = -this.half;
    this.held = this.half;
  }

  /** Samples that come out for `input` samples in all. */
  length(input: number): number {
    return Math.ceil((input * this.up) / this.down);
  }

  private append(samples: Float32Array): void {
    if (this.held + samples.length > this.buffer.length) {
      const bigger = new Float32Array(2 * (this.held + samples.length));
      bigger.set(this.buffer.subarray(0, this.held));
      this.buffer = bigger;
    }
    this.buffer.set(samples, this.held);
    this.held += samples.length;
  }

  private produce(limit: number): Float32Array {
    const out: number[] = [];
    const size = 2 * this.half;
    let first = 0;
    while (this.produced < limit) {
      const position = this.produced * this.down;
      const whole = Math.floor(position / this.up);
      first = whole - this.half + 1 - this.base;
      if (first + size > this.held) break;
      const h = this.taps[position - whole * this.up];
      let sum = 0;
      for (let k = 0; k < size; k++) sum += h[k] * this.buffer[first + k];
      out.push(sum);
      this.produced++;
    }
    if (first > 0) {
      const drop = Math.min(first, this.held);
      this.buffer.copyWithin(0, drop, this.held);
      this.base += drop;
      this.held -= drop;
    }
    return Float32Array.from(out);
  }

  /** Takes more input and gives what is ready. */
  push(samples: Float32Array): Float32Array {
    this.append(samples);
    this.taken += samples.length;
    return this.produce(Number.POSITIVE_INFINITY);
  }

  /** Gives the rest, up to the exact length. */
  finish(): Float32Array {
    this.append(new Float32Array(2 * this.half));
    return this.produce(this.length(this.taken));
  }
}
