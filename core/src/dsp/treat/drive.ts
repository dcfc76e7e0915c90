import type { Processor } from "../../model/treatment";
import { factorOf, tanh } from "../maths";
import { windowedSinc } from "../sinc";

/** So many samples for one while the curve is at work: what it makes above the band is taken out again. */
const OVER = 4;
/** Samples of the lower rate on each side that the filters reach. */
const REACH = 16;

let taps: Float64Array[] | undefined;
/** The filter of one phase: for sample OVER · i + phase of the higher rate, weights of samples i − REACH + 1 … i + REACH. */
function phases(): Float64Array[] {
  taps ??= Array.from({ length: OVER }, (_, phase) => {
    const row = Float64Array.from({ length: 2 * REACH }, (_, k) => windowedSinc(k - REACH + 1 - phase / OVER, 0.92, REACH));
    const sum = row.reduce((a, b) => a + b, 0);
    return row.map((v) => v / sum);
  });
  return taps;
}

/** Drives samples into a hyperbolic tangent, four of them for one; no sample comes later than it did. */
export function drive(x: Float32Array, p: Extract<Processor, { kind: "drive" }>): void {
  const rows = phases();
  const gain = factorOf(p.db);
  const n = x.length;
  // Silence on both sides, so that no loop has to look where it is.
  const wide = new Float64Array(n + 2 * REACH);
  wide.set(x, REACH);
  const fine = new Float64Array(OVER * (n + 2 * REACH));
  for (let phase = 0; phase < OVER; phase++) {
    const row = rows[phase];
    for (let i = 0; i < n; i++) {
      let value = 0;
      for (let k = 0; k < 2 * REACH; k++) value += row[k] * wide[i + 1 + k];
      fine[OVER * (i + REACH) + phase] = tanh(gain * value);
    }
  }
  for (let i = 0; i < n; i++) {
    let value = 0;
    // The same filter back: what lies at OVER · i − d weighs as what lies at + d.
    for (let phase = 0; phase < OVER; phase++) {
      const row = rows[phase];
      let at = OVER * (i + 2 * REACH - 1) + phase;
      for (let k = 0; k < 2 * REACH; k++, at -= OVER) value += row[k] * fine[at];
    }
    x[i] = x[i] * (1 - p.mix) + (value / OVER) * p.mix;
  }
}
