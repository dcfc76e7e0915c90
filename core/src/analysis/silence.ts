/** What counts as silence and how much of it stays beside the sound. */
export interface SilenceRule {
  /** Magnitude, of full scale, from which on something is heard. */
  readonly threshold: number;
  /** Pauses shorter than this, in samples, are no silence. */
  readonly shortestSilence: number;
  /** Sounds shorter than this, in samples, are silence: a tick, a creak of the chair. */
  readonly shortestSound: number;
  /** Samples that stay before and after each sound. */
  readonly padBefore: number;
  readonly padAfter: number;
}

/** A stretch [from, to), in samples. */
export type Interval = readonly [from: number, to: number];

/**
 * The stretches of a recording that hold sound, in order and apart from each other. `levels` has the greatest magnitude of each `block`
 * samples (the last block may be short of `length`, the number of samples); borders lie on blocks but for the pads. Pauses are closed
 * before short sounds are left out, so that words of a few quiet syllables stay whole.
 */
export function soundStretches(levels: Float32Array, block: number, length: number, rule: SilenceRule): Interval[] {
  const closed: [number, number][] = [];
  for (let i = 0; i < levels.length; i++) {
    if (levels[i] < rule.threshold) continue;
    const [from, to] = [i * block, Math.min(length, (i + 1) * block)];
    const last = closed.at(-1);
    if (last && (from === last[1] || from - last[1] < rule.shortestSilence)) last[1] = to;
    else closed.push([from, to]);
  }
  const padded: [number, number][] = [];
  for (const [from, to] of closed) {
    if (to - from < rule.shortestSound) continue;
    const [a, b] = [Math.max(0, from - rule.padBefore), Math.min(length, to + rule.padAfter)];
    const last = padded.at(-1);
    if (last && a <= last[1]) last[1] = Math.max(last[1], b);
    else padded.push([a, b]);
  }
  return padded;
}

/** A level below this is digital silence and says nothing about the room's. */
const NOTHING = 1e-5;

/** Where this part of all blocks is digital silence the pauses are, and whatever is within so many dB of the sound belongs to it. */
const EMPTY = 0.03;
const REACH_DB = 50;

/**
 * A pause is one only where all of it is quiet, so the room is told by the peaks of stretches of this many blocks: it is what this part of
 * them stays below. The sound is the level that this part of all blocks stays below.
 */
const STRETCH = 32;
const ROOM = 0.05;
const SOUND = 0.95;

/** Above the room by this part of the way to the sound, in dB; at least 6 dB, at most 18. */
const PART = 0.3;

/** Room and sound that are nearer to each other can't be told apart by level. */
const LEAST_DB = 9;

const decibels = (magnitude: number): number => 20 * Math.log10(magnitude);

/** What a part of some values stays below. Changes their order. */
const below = (values: Float32Array, part: number): number => nthOf(values, Math.min(values.length - 1, Math.floor(part * values.length)));

/**
 * The value that would stand at a place if they were sorted, without sorting them: by parting them again and again (Hoare's selection), the pivot the
 * middle one of three. Changes their order.
 */
function nthOf(values: Float32Array, place: number): number {
  let [low, high] = [0, values.length - 1];
  while (low < high) {
    const [a, b, c] = [values[low], values[(low + high) >> 1], values[high]];
    const pivot = Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));
    let [i, j] = [low, high];
    while (i <= j) {
      while (values[i] < pivot) i++;
      while (values[j] > pivot) j--;
      if (i > j) break;
      const held = values[i];
      values[i++] = values[j];
      values[j--] = held;
    }
    if (place <= j) high = j;
    else if (place >= i) low = i;
    else return values[place];
  }
  return values[place];
}

/** How loud the quietest stretches of these levels get, in dB below full scale; null where all is digital silence. */
export function roomLevel(levels: Float32Array): number | null {
  const peaks = new Float32Array(Math.ceil(levels.length / STRETCH));
  let count = 0;
  for (let i = 0; i < levels.length; i += STRETCH) {
    let peak = 0;
    const end = Math.min(levels.length, i + STRETCH);
    for (let k = i; k < end; k++) if (levels[k] > peak) peak = levels[k];
    if (peak > NOTHING && (i + STRETCH <= levels.length || count === 0)) peaks[count++] = peak;
  }
  return count === 0 ? null : decibels(below(peaks.subarray(0, count), ROOM));
}

/**
 * A threshold that parts sound from the room in these levels, as a magnitude: a little above the room's own. null where there is nothing
 * to tell apart (all silence, or room and sound too near to each other).
 */
export function suggestThreshold(levels: Float32Array): number | null {
  const room = roomLevel(levels);
  // By hand: `filter` takes thirty times as long on the levels of hours.
  const kept = new Float32Array(levels.length);
  let count = 0;
  for (let i = 0; i < levels.length; i++) if (levels[i] > NOTHING) kept[count++] = levels[i];
  const heard = kept.subarray(0, count);
  if (heard.length === 0 || room === null) return null;
  const sound = decibels(below(heard, SOUND));
  if (levels.length - heard.length >= EMPTY * levels.length) return 10 ** ((sound - REACH_DB) / 20);
  if (sound - room < LEAST_DB) return null;
  return 10 ** ((room + Math.min(18, Math.max(6, PART * (sound - room)))) / 20);
}

/** Where nothing can be told apart, so many dB above the room's own level is sound; nothing below this is. */
const [ABOVE_ROOM, QUIETEST] = [3, -90];

/** A threshold for these levels, as a magnitude: the suggested one, else just above the room's own; null where all is digital silence. */
export function soundThreshold(levels: Float32Array): number | null {
  const suggested = suggestThreshold(levels);
  if (suggested !== null) return suggested;
  const room = roomLevel(levels);
  return room === null ? null : 10 ** (Math.max(QUIETEST, room + ABOVE_ROOM) / 20);
}

/** What of [from, to) none of the stretches covers; they are in order and apart. */
export function gapsBetween(stretches: readonly Interval[], from: number, to: number): Interval[] {
  const gaps: Interval[] = [];
  let at = from;
  for (const [a, b] of stretches) {
    if (at >= to) break;
    if (a > at) gaps.push([at, Math.min(a, to)]);
    at = Math.max(at, b);
  }
  if (at < to) gaps.push([at, to]);
  return gaps;
}

/** Stretches that any of some lists covers, in order and apart. */
export function unionOf(lists: readonly (readonly Interval[])[]): Interval[] {
  const out: [number, number][] = [];
  for (const [from, to] of lists.flat().sort((a, b) => a[0] - b[0])) {
    const last = out.at(-1);
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}
