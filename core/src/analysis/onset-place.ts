import { type Kernels, newKernels } from "../kernels/kernels";

/*
 * Where exactly a hit begins, around the moment at which it was noticed. What rings on from before is predicted from the samples before it, and
 * what the prediction misses shows the hit bare; a sound that swells has no such edge, and begins where it has a tenth of its rise.
 */

/** Samples before that a prediction is made of. */
const ORDER = 64;
/** In samples at 48 kHz: of what it is learned, and from where to where around the moment it is looked. */
const LEARNED = 2000;
const BACK = 900;
const AFTER = 600;
const OVERLAP = 240;
/** Samples that are looked at together, and how many such steps lie beyond the loudest six. */
const STEP = 16;
const BEYOND = 6;
/** Less than so many times as much power right after than before: not sharp, perhaps a swell. */
const SHARP = 16;

/** In samples at 48 kHz, for a swell: the half of the window that a level is taken over, and the span before and after the moment. */
const HALF_WINDOW = 72;
const SWELL_BACK = 1900;
const SWELL_AFTER = 2600;
/** The first so many of it are what was there before. */
const SWELL_BASE = 1000;
/** A rise that takes at least so long from a tenth to seven tenths is a swell. */
const SWELL_SECONDS = 0.008;
/** Where the two differ by less, the edge counts. */
const ALIKE = 48;
/** What is voiced comes in pulses: the first that passes the tenth comes a part of a period after it. */
const PULSE = 120;

/** Samples before and after the moment that `placeOnset` may look at, at 48 kHz. */
export const LOOKS_BACK = LEARNED + BACK + ORDER;
export const LOOKS_AFTER = SWELL_AFTER + 2 * HALF_WINDOW;

/** Samples that the kernels' memory has room for, each way. */
const ROOM = 16_384;
const FORWARDS = 0;
const BACKWARDS = ROOM;
const SPARE = 2 * ROOM;
let memory: Kernels | undefined;
function kernels(): Kernels {
  memory ??= newKernels(2 * ROOM + 2);
  return memory;
}

/**
 * Coefficients that predict a signal of n samples from its own past (Burg's method, “Maximum entropy spectral analysis”, 1975); the first is 1.
 * Both errors lie in the kernels' memory, where the backward one stands still while the forward one moves on by a sample a step.
 */
function predictor(sample: (i: number) => number, n: number): Float64Array {
  const work = kernels();
  const { floats } = work;
  for (let i = 0; i < n; i++) floats[FORWARDS + i] = floats[BACKWARDS + i] = sample(i);
  const a = new Float64Array(ORDER + 1);
  const before = new Float64Array(ORDER + 1);
  a[0] = 1;
  for (let k = 1; k <= ORDER; k++) {
    const x = FORWARDS + k;
    const pairs = (n - k) & ~3;
    work.reflect(x, BACKWARDS, pairs, SPARE);
    const reflection = (-2 * floats[SPARE]) / (floats[SPARE + 1] + 1e-9);
    before.set(a);
    for (let j = 1; j < k; j++) a[j] = before[j] + reflection * before[k - j];
    a[k] = reflection;
    work.lattice(x, BACKWARDS, n - k, reflection);
  }
  return a;
}

/** What the past before a stretch of samples does not tell of each of them. */
function unforeseen(sample: (i: number) => number, length: number, a: Float64Array): Float32Array {
  const work = kernels();
  const { floats } = work;
  for (let i = 0; i < length + ORDER; i++) floats[FORWARDS + i] = sample(i - ORDER);
  floats.fill(0, BACKWARDS, BACKWARDS + length);
  for (let j = 0; j <= ORDER; j++) work.mixOne(FORWARDS + ORDER - j, BACKWARDS, length, a[j]);
  return floats.slice(BACKWARDS, BACKWARDS + length);
}

/** The step from which on a signal is another one: where two variances describe it best (Akaike's criterion, as seismologists pick arrivals). */
function changes(powers: Float64Array, end: number): number {
  const sums = new Float64Array(end + 1);
  for (let k = 0; k < end; k++) sums[k + 1] = sums[k] + powers[k];
  let [at, least] = [2, Number.POSITIVE_INFINITY];
  for (let k = 3; k < end - 2; k++) {
    const fit = k * Math.log(sums[k] / k + 1e-12) + (end - k) * Math.log((sums[end] - sums[k]) / (end - k) + 1e-12);
    if (fit < least) [at, least] = [k, fit];
  }
  return at;
}

const meanOf = (list: Float64Array, from: number, to: number): number => {
  let sum = 0;
  for (let k = Math.max(0, from); k < Math.min(list.length, to); k++) sum += list[k];
  return sum / (to - from);
};

/** Where a sound that was noticed at a moment begins, when it swells; null when it does not. */
function swellFrom(sample: (i: number) => number, moment: number, scale: number): number | null {
  const half = Math.round(HALF_WINDOW * scale);
  const from = moment - Math.round(SWELL_BACK * scale);
  const steps = Math.floor(((SWELL_BACK + SWELL_AFTER) * scale) / STEP);
  const sums = new Float64Array(steps * STEP + 2 * half + 1);
  for (let i = 0; i + 1 < sums.length; i++) sums[i + 1] = sums[i] + sample(from - half + i) ** 2;
  const levels = Float64Array.from({ length: steps }, (_, k) => Math.sqrt((sums[k * STEP + 2 * half] - sums[k * STEP]) / (2 * half)));
  const first = Math.floor((SWELL_BASE * scale) / STEP);
  const base = meanOf(levels, 0, first);
  const most = levels.subarray(first).reduce((m, v) => Math.max(m, v), 0);
  if (most <= 3 * base) return null;
  const reaches = (part: number, k: number): number => {
    while (k < steps && levels[k] < base + part * (most - base)) k++;
    return k;
  };
  const begins = reaches(0.1, first);
  return (reaches(0.7, begins) - begins) * STEP > SWELL_SECONDS * 48_000 * scale ? from + begins * STEP : null;
}

/**
 * The sample at which a hit begins.
 * @param sample reads a sample, 0 where there is none
 * @param moment a sample near it, within some 10 ms
 */
export function placeOnset(sample: (i: number) => number, moment: number, sampleRate: number): number {
  const scale = sampleRate / 48_000;
  const from = moment - Math.round(BACK * scale);
  const length = Math.round((BACK + AFTER) * scale);
  const learned = Math.max(4 * ORDER, Math.round(LEARNED * scale));
  const past = from + Math.round(OVERLAP * scale) - learned;
  const coefficients = predictor((i) => sample(past + i), learned);
  const missed = unforeseen((i) => sample(from + i), length, coefficients);
  const powers = Float64Array.from({ length: Math.floor(length / STEP) }, (_, k) => {
    let sum = 0;
    for (let i = k * STEP; i < (k + 1) * STEP; i++) sum += missed[i] * missed[i];
    return sum / STEP;
  });
  let [loudest, most] = [0, -1];
  for (let k = 0; k + BEYOND <= powers.length; k++) {
    const power = meanOf(powers, k, k + BEYOND);
    if (power > most) [loudest, most] = [k, power];
  }
  const step = changes(powers, Math.min(powers.length, loudest + 2 * BEYOND));
  // To the sample: the first that passes what was there before.
  const peakOf = (i: number, end: number): number => missed.subarray(Math.max(0, i), end).reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  const end = Math.min(length, (step + 8) * STEP);
  const least = Math.max(peakOf((step - 15) * STEP, (step - 1) * STEP) * 1.2, peakOf((step - 1) * STEP, end) * 0.02);
  let at = (step - 1) * STEP;
  while (at < end && Math.abs(missed[at]) < least) at++;
  const sharp = from + at;
  if (meanOf(powers, step, step + 4) >= SHARP * (meanOf(powers, step - 12, step) + 1e-10)) return sharp;
  const swell = swellFrom(sample, moment, scale);
  return swell !== null && Math.abs(swell - sharp) > ALIKE * scale ? swell - Math.round(PULSE * scale) : sharp;
}
