import type { Processor } from "../../model/treatment";
import { exp, factorOf, lasting } from "../maths";

/** How much of a value stays after one sample, for a time constant in ms. */
const stays = (ms: number, rate: number): number => exp(-1000 / (ms * rate));

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

/** Lets through what is above the threshold; what is below goes down to the floor. The channels open and close together. */
export function gate(channels: readonly Float32Array[], p: Extract<Processor, { kind: "gate" }>, rate: number): void {
  const level = greatestAhead(levels(channels), Math.round((p.ahead * rate) / 1000));
  const threshold = factorOf(p.threshold);
  const [floor, hold] = [factorOf(p.floor), Math.round((p.hold * rate) / 1000)];
  const [opens, closes] = [stays(p.attack, rate), stays(p.release, rate)];
  let gain = floor;
  let held = 0;
  for (let i = 0; i < level.length; i++) {
    if (level[i] >= threshold) held = hold + 1;
    const goal = held > 0 ? 1 : floor;
    if (held > 0) held--;
    gain = lasting(goal + (gain - goal) * (goal > gain ? opens : closes));
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

/** Takes levels above the threshold down by the ratio; the channels go together. */
export function compressor(channels: readonly Float32Array[], p: Extract<Processor, { kind: "compressor" }>, rate: number): void {
  const level = levels(channels);
  const [falls, rises] = [stays(p.attack, rate), stays(p.release, rate)];
  let taken = 0;
  for (let i = 0; i < level.length; i++) {
    const goal = level[i] > 1e-6 ? reductionDb(20 * Math.log10(level[i]), p) : 0;
    taken = lasting(goal + (taken - goal) * (goal > taken ? falls : rises));
    const gain = factorOf(p.makeUp - taken);
    for (const x of channels) x[i] *= gain;
  }
}
