import type { Processor } from "../../model/recipe/treatment";
import { exp, factorOf, lasting } from "../maths";
import type { Runners } from "./runner";

/** How much of a way is left after one sample, where nine tenths of it are gone after a time in ms. */
const leaves = (ms: number, rate: number): number => exp((-Math.LN10 * 1000) / (ms * rate));

/** The greatest magnitude over all channels, at each sample. */
function levels(channels: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(channels[0].length);
  for (const x of channels) for (let i = 0; i < x.length; i++) out[i] = Math.max(out[i], Math.abs(x[i]));
  return out;
}

/** Each value the greatest of itself and the `ahead` ones after it: by a queue of falling values (Lemire 2006). */
function greatestAhead(x: Float32Array, ahead: number): Float32Array {
  if (ahead === 0) return x;
  const out = new Float32Array(x.length);
  const queue = new Int32Array(x.length);
  let [first, end] = [0, 0];
  for (let i = x.length - 1; i >= 0; i--) {
    while (end > first && x[queue[end - 1]] <= x[i]) end--;
    queue[end++] = i;
    while (queue[first] > i + ahead) first++;
    out[i] = x[queue[first]];
  }
  return out;
}

/** Each value the greatest of itself and the `back` ones before it. */
function greatestBehind(x: Float32Array, back: number): Float32Array {
  return greatestAhead(x.slice().reverse(), back).reverse();
}

/**
 * Lets through what is above the threshold; what is below goes down to the floor, evenly in dB: from the one end to the other in the times that are
 * given. The channels open and close together.
 */
export function gate(channels: readonly Float32Array[], p: Extract<Processor, { kind: "gate" }>, rate: number): void {
  const level = greatestAhead(levels(channels), Math.round((p.ahead * rate) / 1000));
  const threshold = factorOf(p.threshold);
  const hold = Math.round((p.hold * rate) / 1000);
  const [opens, closes] = [p.attack, p.release].map((ms) => (-p.floor * 1000) / (ms * rate));
  let [db, gain] = [p.floor, factorOf(p.floor)];
  let held = 0;
  for (let i = 0; i < level.length; i++) {
    if (level[i] >= threshold) held = hold + 1;
    const next = held > 0 ? Math.min(0, db + opens) : Math.max(p.floor, db - closes);
    if (held > 0) held--;
    if (next !== db) [db, gain] = [next, factorOf(next)];
    for (const x of channels) x[i] *= gain;
  }
}

/** What a compressor takes away at a level, in dB: nothing below its knee, all of its ratio above, on a parabola in between. */
export function reductionDb(level: number, { threshold, ratio, knee }: { threshold: number; ratio: number; knee: number }): number {
  const over = level - threshold;
  const slope = 1 - 1 / ratio;
  if (2 * over <= -knee) return 0;
  if (2 * over >= knee) return slope * over;
  return (slope * (over + knee / 2) ** 2) / (2 * knee);
}

/** A level is the highest peak of the last so many ms, half a period of 50 Hz: a steady tone has one level, not one that falls between its peaks. */
const PEAK_MS = 10;

/**
 * Takes levels above the threshold down by the ratio; the channels go together. What is taken goes nine tenths of its way in the times that are
 * given, in dB; in its release lies the time for which a peak counts.
 */
export function compressor(channels: readonly Float32Array[], p: Extract<Processor, { kind: "compressor" }>, rate: number): void {
  const counts = Math.min(PEAK_MS, p.release / 2);
  const level = greatestBehind(levels(channels), Math.round((counts * rate) / 1000));
  const [falls, rises] = [leaves(p.attack, rate), leaves(p.release - counts, rate)];
  let [taken, gain] = [0, factorOf(p.makeUp)];
  let [at, goal] = [0, 0];
  for (let i = 0; i < level.length; i++) {
    if (level[i] !== at) {
      at = level[i];
      goal = at > 1e-6 ? reductionDb(20 * Math.log10(at), p) : 0;
    }
    const next = lasting(goal + (taken - goal) * (goal > taken ? falls : rises));
    if (next !== taken) [taken, gain] = [next, factorOf(p.makeUp - next)];
    for (const x of channels) x[i] *= gain;
  }
}

export const DYNAMICS: Runners<"gate" | "compressor"> = {
  gate: (p, { channels, rate }) => gate(channels, p, rate),
  compressor: (p, { channels, rate }) => compressor(channels, p, rate),
};
