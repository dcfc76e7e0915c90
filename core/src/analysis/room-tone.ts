import { gapsBetween, type Interval, soundStretches } from "./silence";

/** Parts of a pause that are nearer than this to what is heard, in seconds, may hold its breath or its tail. */
const [AFTER_SOUND, BEFORE_SOUND] = [0.12, 0.05];

/** Shorter pauses, in seconds, are no material for a room. */
export const SHORTEST_PASSAGE = 0.2;

/** A level below this is digital silence: there is no room in it. */
const NOTHING = 1e-5;

/**
 * The stretches of a recording in which only its room is heard, in order, in samples: pauses below a threshold (a magnitude) away from the
 * sound beside them. `levels` has the greatest magnitude of each `block` samples. Digital silence is none.
 */
export function quietPassages(levels: Float32Array, block: number, length: number, threshold: number, sampleRate: number): Interval[] {
  const samples = (seconds: number): number => Math.round(seconds * sampleRate);
  const sound = soundStretches(levels, block, length, {
    threshold,
    shortestSilence: 0,
    shortestSound: 0,
    padBefore: samples(BEFORE_SOUND),
    padAfter: samples(AFTER_SOUND),
  });
  const nothing = soundStretches(
    levels.map((l) => (l < NOTHING ? 1 : 0)),
    block,
    length,
    { threshold: 1, shortestSilence: 0, shortestSound: 0, padBefore: 0, padAfter: 0 },
  );
  return gapsBetween(sound, 0, length)
    .flatMap(([from, to]) => gapsBetween(nothing, from, to))
    .filter(([from, to]) => to - from >= samples(SHORTEST_PASSAGE));
}

/** The root mean square of some samples; 0 of none. */
export function rootMeanSquare(samples: Float32Array): number {
  let sum = 0;
  for (const x of samples) sum += x * x;
  return samples.length === 0 ? 0 : Math.sqrt(sum / samples.length);
}

/** What half of some values stays below; NaN of none. */
export function middleOf(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted.length === 0 ? Number.NaN : sorted[Math.floor(sorted.length / 2)];
}
