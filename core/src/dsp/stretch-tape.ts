import { type Kernels, newKernels } from "../kernels/kernels";
import type { Run } from "../time/time-map";
import { ROLL_OFF, SIDE, windowedSinc } from "./sinc";
import type { Fetch } from "./stretcher";

/** Values of the sinc kept for each of its zero crossings; in between it is straight: what that misses lies below −135 dB. */
const FINE = 2048;
let table: Float64Array | undefined;

/** The windowed sinc from its middle outwards, in steps of 1/FINE of a zero crossing. */
function sincTable(): Float64Array {
  if (!table) {
    table = new Float64Array(SIDE * FINE + 2);
    for (let i = 0; i < SIDE * FINE; i++) table[i] = windowedSinc(i / FINE, 1, SIDE);
  }
  return table;
}

/** Weights for moments between two samples: a row for each of some places between them, and one more for the next sample itself. */
interface Phases {
  readonly cutoff: number;
  readonly places: number;
  /** Weights in a row: of the samples from `before` before the one that the moment follows. */
  readonly size: number;
  readonly before: number;
  readonly kernels: Kernels;
  /** Where the recording's samples, and what is made of them, lie in the kernels' memory. */
  readonly input: number;
  readonly output: number;
}

/** Places between two samples for which weights are kept, at the recording's own pace. */
const PLACES = 2048;
const LEAST_PLACES = 256;
/** Samples made in one go. */
const BLOCK = 8192;
const kept = new Map<string, Phases>();
/** So many are kept: a pitch that moves goes to and fro between a few. */
const MOST_KEPT = 8;

/** Weights for a cutoff, as a part of the recording's Nyquist frequency; each row adds up to one. Where moments lie in `parts` of a sample only, those have a row each. */
function phasesFor(cutoff: number, parts = Number.POSITIVE_INFINITY): Phases {
  const between = Math.max(LEAST_PLACES, Math.ceil((PLACES * cutoff) / ROLL_OFF));
  const places = Math.min(parts, between);
  const key = `${cutoff} ${places}`;
  const found = kept.get(key);
  if (found) return found;
  const sinc = sincTable();
  const before = Math.ceil(SIDE / cutoff);
  // The kernel takes four at a time; those beyond the window are zero.
  const size = Math.ceil((2 * before + 1) / 4) * 4;
  const input = 2 * (places + 1) * size;
  const output = input + Math.ceil((BLOCK * ROLL_OFF) / cutoff) + 2 * size + 4;
  const kernels = newKernels(output + BLOCK);
  const rows = kernels.doubles;
  for (let p = 0; p <= places; p++) {
    let sum = 0;
    for (let k = 0; k < size; k++) {
      const place = Math.abs(k - before - p / places) * cutoff * FINE;
      const i = Math.trunc(place);
      const h = i >= SIDE * FINE ? 0 : sinc[i] + (sinc[i + 1] - sinc[i]) * (place - i);
      rows[p * size + k] = h;
      sum += h;
    }
    for (let k = 0; k < size; k++) rows[p * size + k] /= sum;
  }
  const made = { cutoff, places, size, before, kernels, input, output };
  const [oldest] = kept.keys();
  if (kept.size >= MOST_KEPT) kept.delete(oldest);
  kept.set(key, made);
  return made;
}

/**
 * Plays a recording as tape does, pitch and speed together: sample j of [from, to) is the recording at the moment that `run` tells. Band-limited
 * at the lower of both rates.
 */
export function playTape(channels: number, fetch: Fetch, run: (at: number) => Run, from: number, to: number): Float32Array[] {
  const out = Array.from({ length: channels }, () => new Float32Array(to - from));
  for (let at = from; at < to; ) {
    const { moment, pace, until, band = pace, parts } = run(at);
    const { size, before, places, kernels, input, output } = phasesFor(ROLL_OFF / Math.max(1, band), parts);
    const end = Math.min(to, at + BLOCK, Math.max(at + 1, Math.ceil(until)));
    const first = Math.floor(moment) - before;
    const samples = fetch(first, Math.floor(moment + (end - 1 - at) * pace) - before + size - first);
    for (let c = 0; c < channels; c++) {
      kernels.floats.set(samples[c], input);
      kernels.glide(0, size, places, input, moment - before - first, pace, end - at, output);
      out[c].set(kernels.floats.subarray(output, output + end - at), at - from);
    }
    at = end;
  }
  return out;
}
