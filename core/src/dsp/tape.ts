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

/** Samples made in one go. */
const BLOCK = 8192;

/**
 * Plays a recording as tape does, pitch and speed together: sample j of [from, to) is the recording at the moment `moment(j)`, and `pace` says
 * how many of its samples pass in one. Band-limited at the lower of both rates.
 */
export function playTape(
  channels: number,
  fetch: Fetch,
  moment: (at: number) => number,
  pace: (at: number) => number,
  from: number,
  to: number,
): Float32Array[] {
  const sinc = sincTable();
  const out = Array.from({ length: channels }, () => new Float32Array(to - from));
  let weights = new Float64Array(2 * SIDE + 32);
  for (let at = from; at < to; at += BLOCK) {
    const end = Math.min(to, at + BLOCK);
    let widest = 1;
    for (let j = at; j < end; j++) widest = Math.max(widest, pace(j));
    const reach = Math.ceil((SIDE * widest) / ROLL_OFF) + 1;
    const first = Math.floor(moment(at)) - reach;
    const samples = fetch(first, Math.floor(moment(end - 1)) + reach + 1 - first);
    for (let j = at; j < end; j++) {
      const x = moment(j) - first;
      const cutoff = ROLL_OFF / Math.max(1, pace(j));
      const half = SIDE / cutoff;
      const [low, high] = [Math.ceil(x - half), Math.floor(x + half)];
      const step = cutoff * FINE;
      if (weights.length <= high - low) weights = new Float64Array(2 * (high - low + 1));
      let sum = 0;
      for (let k = low; k <= high; k++) {
        const place = Math.abs(k - x) * step;
        const i = place | 0;
        const h = sinc[i] + (sinc[i + 1] - sinc[i]) * (place - i);
        weights[k - low] = h;
        sum += h;
      }
      const n = high - low + 1;
      for (let c = 0; c < channels; c++) {
        const own = samples[c];
        let value = 0;
        for (let k = 0; k < n; k++) value += own[low + k] * weights[k];
        out[c][j - from] = value / sum;
      }
    }
  }
  return out;
}
