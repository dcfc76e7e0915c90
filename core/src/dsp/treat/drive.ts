import type { Processor } from "../../model/recipe/treatment";
import { factorOf, tanh } from "../maths";
import { windowedSinc } from "../sinc";
import type { Runners } from "./runner";

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

/** The sum of `row` over samples from `at` on, `step` apart: in four sums, which wait for one another less than one would. */
function weighed(row: Float64Array, x: Float64Array, at: number, step: number): number {
  let a = 0;
  let b = 0;
  let c = 0;
  let d = 0;
  for (let k = 0; k < 2 * REACH; k += 4, at += 4 * step) {
    a += row[k] * x[at];
    b += row[k + 1] * x[at + step];
    c += row[k + 2] * x[at + 2 * step];
    d += row[k + 3] * x[at + 3 * step];
  }
  return a + b + (c + d);
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
    for (let i = 0; i < n; i++) fine[OVER * (i + REACH) + phase] = tanh(gain * weighed(row, wide, i + 1, 1));
  }
  for (let i = 0; i < n; i++) {
    let value = 0;
    // The same filter back: what lies at OVER · i − d weighs as what lies at + d.
    for (let phase = 0; phase < OVER; phase++) value += weighed(rows[phase], fine, OVER * (i + 2 * REACH - 1) + phase, -OVER);
    x[i] = x[i] * (1 - p.mix) + (value / OVER) * p.mix;
  }
}

export const DRIVE: Runners<"drive"> = {
  drive: (p, { channels }) => {
    for (const x of channels) drive(x, p);
  },
};
