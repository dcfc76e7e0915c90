import { lastAtOrBefore } from "../base/sorted";
import { type Fetch, stretch } from "./stretcher";

/*
 * Time stretching that keeps pitch, along a map that is straight between its ties. One pass of the vocoder is clean up to some ratio only;
 * beyond it, passes follow each other, each with its share of every piece's ratio.
 */

/** A map between two times that needs no whole numbers: both lists rise; outside them `outside` is what one sample becomes. */
export interface Line {
  readonly from: readonly number[];
  readonly to: readonly number[];
  readonly outside: number;
}

/** The vocoder loses level and place beyond this in one pass; either way. */
const MOST_A_PASS = 1.75;

/** The `from` of a line at some place of its `to`. */
function backAlong({ from, to, outside }: Line, at: number): number {
  const i = lastAtOrBefore(to, at);
  if (i < 0) return from[0] + (at - to[0]) / outside;
  if (i === to.length - 1) return from[i] + (at - to[i]) / outside;
  return from[i] + ((at - to[i]) * (from[i + 1] - from[i])) / (to[i + 1] - to[i]);
}

/** The `to` of a line at some place of its `from`. */
export function along({ from, to, outside }: Line, at: number): number {
  const i = lastAtOrBefore(from, at);
  if (i < 0) return to[0] + (at - from[0]) * outside;
  if (i === from.length - 1) return to[i] + (at - from[i]) * outside;
  return to[i] + ((at - from[i]) * (to[i + 1] - to[i])) / (from[i + 1] - from[i]);
}

const ratios = ({ from, to, outside }: Line): number[] => [outside, ...from.slice(1).map((f, i) => (to[i + 1] - to[i]) / (f - from[i]))];

/** Within this of not being stretched at all the vocoder's frames beat against each other: such a piece goes up, and then down. */
const NEAR_ONE = 0.006;
const DETOUR = 1.25;
/** What figures miss of one. */
const ONE = 1e-9;
const isNearOne = (ratio: number, passes: number): boolean => {
  const away = Math.abs(Math.log(ratio));
  return away > ONE && away / passes < NEAR_ONE;
};

/** What of a ratio is done after `done` of some passes: equal parts of it, as powers go. */
function after(ratio: number, done: number, passes: number): number {
  if (isNearOne(ratio, passes)) return done === 1 ? ratio * DETOUR : ratio;
  return ratio ** (done / passes);
}

function passesFor(line: Line): number {
  const all = ratios(line);
  const most = Math.max(...all.map((r) => Math.abs(Math.log(r))));
  const passes = Math.max(1, Math.ceil(most / Math.log(MOST_A_PASS)));
  return passes === 1 && all.some((r) => isNearOne(r, 1)) ? 2 : passes;
}

/** The line on which each piece is as far as it is after `done` of some passes. */
function lineAfterPass(line: Line, done: number, passes: number): Line {
  if (done === passes) return line;
  const outside = after(line.outside, done, passes);
  const to = [line.from[0] * outside];
  for (let i = 1; i < line.from.length; i++) {
    const step = line.from[i] - line.from[i - 1];
    to.push(to[i - 1] + step * after((line.to[i] - line.to[i - 1]) / step, done, passes));
  }
  return { from: line.from, to, outside };
}

/** Samples that were made, given to the next pass; what it asks for beyond them is silence. */
const given =
  (made: readonly Float32Array[], start: number): Fetch =>
  (from, count) =>
    made.map((samples) => {
      const out = new Float32Array(count);
      const [a, b] = [Math.max(from, start), Math.min(from + count, start + samples.length)];
      if (b > a) out.set(samples.subarray(a - start, b - start), a - from);
      return out;
    });

/** Samples that a pass looks at on each side of what it makes, in seconds of either time. */
const MARGIN_SECONDS = 0.4;

/** Samples [from, to) of a recording stretched along a line, its pitch kept; `atOnce` where a sound begins there. `loadStretcher` comes first. */
export function stretchSmooth(
  channels: number,
  sampleRate: number,
  fetch: Fetch,
  line: Line,
  from: number,
  to: number,
  atOnce = false,
): Float32Array[] {
  const passes = passesFor(line);
  const steps = Array.from({ length: passes }, (_, k) => lineAfterPass(line, k + 1, passes));
  // From the last back to the first: what each pass must make for the next one.
  const spans: [number, number][] = [[from, to]];
  const moments = steps.map((step, k) => (at: number) => {
    const own = backAlong(step, at);
    if (k === 0) return own;
    return along(steps[k - 1], own);
  });
  const margin = Math.ceil(MARGIN_SECONDS * sampleRate);
  for (let k = passes - 1; k > 0; k--) {
    const [a, b] = spans[0];
    spans.unshift([Math.floor(moments[k](a - 2 * margin)) - margin, Math.ceil(moments[k](b + margin)) + margin]);
  }
  let source = fetch;
  let made: Float32Array[] = [];
  for (let k = 0; k < passes; k++) {
    const [a, b] = spans[k];
    made = stretch(channels, sampleRate, source, moments[k], a, b, atOnce && k === passes - 1);
    source = given(made, a);
  }
  return made;
}
