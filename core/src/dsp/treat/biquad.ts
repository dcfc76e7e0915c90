import type { Processor } from "../../model/recipe/treatment";
import { cos, exp, lasting, sin } from "../maths";
import type { Runners, Treated } from "./runner";

type Filter = Extract<Processor, { kind: "lowCut" | "highCut" | "lowShelf" | "highShelf" | "bell" | "notch" }>;

/** A second-order section, its a0 divided out. */
export interface Biquad {
  readonly b0: number;
  readonly b1: number;
  readonly b2: number;
  readonly a1: number;
  readonly a2: number;
}

/** Filters stay below this part of the rate. */
const MOST = 0.49;

/** Coefficients by R. Bristow-Johnson's Audio EQ Cookbook. */
export function biquadOf(p: Filter, rate: number): Biquad {
  const w = (2 * Math.PI * Math.min(p.hz, MOST * rate)) / rate;
  const [c, s] = [cos(w), sin(w)];
  const make = (b0: number, b1: number, b2: number, a0: number, a1: number, a2: number): Biquad => ({
    b0: b0 / a0,
    b1: b1 / a0,
    b2: b2 / a0,
    a1: a1 / a0,
    a2: a2 / a0,
  });
  switch (p.kind) {
    case "lowCut": {
      const alpha = s / (2 * p.q);
      return make((1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha);
    }
    case "highCut": {
      const alpha = s / (2 * p.q);
      return make((1 - c) / 2, 1 - c, (1 - c) / 2, 1 + alpha, -2 * c, 1 - alpha);
    }
    case "notch": {
      const alpha = s / (2 * p.q);
      return make(1, -2 * c, 1, 1 + alpha, -2 * c, 1 - alpha);
    }
    case "bell": {
      const a = exp((p.db * Math.LN10) / 40);
      const alpha = s / (2 * p.q);
      return make(1 + alpha * a, -2 * c, 1 - alpha * a, 1 + alpha / a, -2 * c, 1 - alpha / a);
    }
    case "lowShelf":
    case "highShelf": {
      const a = exp((p.db * Math.LN10) / 40);
      const alpha = (s / 2) * Math.sqrt((a + 1 / a) * (1 / p.s - 1) + 2);
      const k = 2 * Math.sqrt(a) * alpha;
      // Low and high shelf differ in the sign of the cosine alone.
      const d = p.kind === "lowShelf" ? c : -c;
      const g = p.kind === "lowShelf" ? 1 : -1;
      return make(
        a * (a + 1 - (a - 1) * d + k),
        g * 2 * a * (a - 1 - (a + 1) * d),
        a * (a + 1 - (a - 1) * d - k),
        a + 1 + (a - 1) * d + k,
        g * -2 * (a - 1 + (a + 1) * d),
        a + 1 + (a - 1) * d - k,
      );
    }
  }
}

/** After so many samples it is looked whether a filter rests. */
const STRETCH = 256;

/** Filters samples in place: transposed direct form II, its state in doubles. */
export function filter(x: Float32Array, { b0, b1, b2, a1, a2 }: Biquad): void {
  let [u, v] = [0, 0];
  for (let at = 0; at < x.length; at += STRETCH) {
    const end = Math.min(x.length, at + STRETCH);
    for (let i = at; i < end; i++) {
      const from = x[i];
      const to = b0 * from + u;
      u = b1 * from - a1 * to + v;
      v = b2 * from - a2 * to;
      x[i] = to;
    }
    u = lasting(u);
    v = lasting(v);
  }
}

const filtered = (p: Filter, { channels, rate }: Treated): void => {
  for (const x of channels) filter(x, biquadOf(p, rate));
};
export const FILTERS: Runners<Filter["kind"]> = {
  lowCut: filtered,
  highCut: filtered,
  lowShelf: filtered,
  highShelf: filtered,
  bell: filtered,
  notch: filtered,
};

/** How much a section lets through at a frequency, in dB. */
export function responseDb({ b0, b1, b2, a1, a2 }: Biquad, hz: number, rate: number): number {
  const w = (2 * Math.PI * hz) / rate;
  const power = (x: number, y: number, z: number): number =>
    (x + y * Math.cos(w) + z * Math.cos(2 * w)) ** 2 + (y * Math.sin(w) + z * Math.sin(2 * w)) ** 2;
  return 10 * Math.log10(Math.max(1e-24, power(b0, b1, b2)) / Math.max(1e-24, power(1, a1, a2)));
}
