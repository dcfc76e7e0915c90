import { lastWhere } from "../base/sorted";
import type { Kernels } from "../kernels/kernels";
import { type LineKind, linePlace, madeLine } from "../model/recipe/played-recording";
import { type Clip, type EnvelopePoint, gainFactor } from "../model/schema";

/** −144 dB and below is silence. */
const SILENCE = -144;

/** Gains are worked out anew at every so many samples after a point, and run on by one factor in between. */
const ANCHOR = 16_384;

/** The place in the list of the last point at or before a position; −1 before the first. */
export const pointBefore = (points: readonly EnvelopePoint[], at: number): number => lastWhere(points.length, (i) => points[i].at <= at);

/** Whether a segment touches silence: then it runs straight in amplitude. */
const touchesSilence = (a: EnvelopePoint, b: EnvelopePoint): boolean => a.value <= SILENCE || b.value <= SILENCE;

/** The value of an envelope at a position: straight between points, held before the first, after the last and by `hold`. For gain in dB. */
export function envelopeValue(points: readonly EnvelopePoint[], at: number): number {
  const i = pointBefore(points, at);
  if (i < 0) return points[0].value;
  const [a, b] = [points[i], points[i + 1]];
  if (!b || a.hold || a.value === b.value) return a.value;
  return a.value + ((b.value - a.value) * (at - a.at)) / (b.at - a.at);
}

/** The factor of a gain envelope at a position (sound.md, Envelopes). */
export function envelopeFactor(points: readonly EnvelopePoint[], at: number): number {
  const i = pointBefore(points, at);
  const [a, b] = [points[i], points[i + 1]];
  if (!a || !b || a.hold || !touchesSilence(a, b)) return gainFactor(envelopeValue(points, at));
  return gainFactor(a.value) + ((gainFactor(b.value) - gainFactor(a.value)) * (at - a.at)) / (b.at - a.at);
}

/** The factor of a clip's gain envelope at a sample of what it plays of a recording that is `length` samples long itself; 1 without one. */
export function clipEnvelopeFactor(clip: Pick<Clip, "recipe" | "envelopes">, length: number, at: number): number {
  const line = clip.envelopes?.gain;
  return line ? envelopeFactor(madeLine(clip, line), Math.max(0, linePlace({ length }, clip, at))) : 1;
}

/** A line of gain runs on in dB between points so near to each other that it strays from a straight line in amplitude by no more than 0.01 dB. */
const MOST_STEP = 0.83;

/** Points in dB that run along a segment which is straight in amplitude, from `a` up to but without `at`; both ends sound. */
function alongAmplitude(a: EnvelopePoint, b: EnvelopePoint, at: number): EnvelopePoint[] {
  const [from, to] = [gainFactor(a.value), gainFactor(b.value)];
  const factorAt = (place: number): number => from + ((to - from) * (place - a.at)) / (b.at - a.at);
  const end = factorAt(at);
  const steps = Math.ceil(Math.abs(20 * Math.log10(end / from)) / MOST_STEP);
  const points = [a];
  for (let i = 1; i < steps; i++) {
    // Each step is as many dB; where on the line that lies, the amplitude tells.
    const factor = from * (end / from) ** (i / steps);
    const place = Math.round(a.at + ((factor - from) * (b.at - a.at)) / (to - from));
    if (place > (points.at(-1) as EnvelopePoint).at && place < at) points.push({ at: place, value: 20 * Math.log10(factorAt(place)) });
  }
  return points;
}

/**
 * A line with a point at some place, where every place keeps its value. A segment of gain that touches silence runs straight in amplitude: what
 * of it no longer does is followed in dB, to within 0.01 dB.
 */
export function withPointAt(points: readonly EnvelopePoint[], at: number, kind: LineKind): readonly EnvelopePoint[] {
  const i = pointBefore(points, at);
  const [a, b] = [points[i], points[i + 1]];
  if (a?.at === at) return points;
  const [before, after] = [points.slice(0, i + 1), points.slice(i + 1)];
  if (!a || !b || a.hold || kind !== "gain" || !touchesSilence(a, b) || a.value === b.value)
    return [...before, { at, value: envelopeValue(points, at), ...(a?.hold && { hold: a.hold }) }, ...after];
  const value = 20 * Math.log10(envelopeFactor(points, at));
  const middle = { at, value: Math.max(value, SILENCE + 0.01) };
  if (b.value <= SILENCE) return [...before.slice(0, -1), ...alongAmplitude(a, b, at), middle, ...after];
  // It rises from silence: what is left behind is the sounding part.
  const mirrored = alongAmplitude({ ...b, at: -b.at }, { ...a, at: -a.at }, -at);
  return [
    ...before,
    middle,
    ...mirrored
      .slice(1)
      .reverse()
      .map((p) => ({ ...p, at: -p.at })),
    ...after,
  ];
}

/** The stretch [from, to) of a line by itself, all its values in their places: points at its first and last sample, and between. */
export function lineWithin(points: readonly EnvelopePoint[], from: number, to: number, kind: LineKind): EnvelopePoint[] {
  const whole = withPointAt(withPointAt(points, from, kind), to - 1, kind);
  return whole.filter((p) => p.at >= from && p.at < to);
}

/** A line without points that say nothing: those between two of one value, and those that a held end says by itself. */
export function lineThinned(points: readonly EnvelopePoint[]): EnvelopePoint[] {
  const left = points.filter((p, i) => {
    const [before, after] = [points[i - 1], points[i + 1]];
    return !(before?.value === p.value && (after === undefined || after.value === p.value) && !p.hold && !before.hold);
  });
  while (left.length > 1 && left[0].value === left[1].value && !left[1].hold) left.shift();
  return left;
}

/** How a line runs on from a point: one factor a sample, and the gain at the anchor that was asked for last. */
interface Course {
  readonly to: EnvelopePoint | null;
  readonly step: number;
  anchor: number;
  factor: number;
}

/** Powers take as long as some hundred samples: what was worked out for the last block is kept for the next. */
const courses = new WeakMap<EnvelopePoint, Course>();

/** The course from one point to another, or along the one; its factor is that at the anchor. */
function courseOf(a: EnvelopePoint, to: EnvelopePoint | null, anchor: number): Course {
  const slope = to ? (to.value - a.value) / (to.at - a.at) : 0;
  let course = courses.get(a);
  if (course?.to !== to) {
    course = { to, step: 10 ** (slope / 20), anchor: Number.NaN, factor: 0 };
    courses.set(a, course);
  }
  if (course.anchor !== anchor) {
    course.anchor = anchor;
    course.factor = gainFactor(a.value + slope * (anchor - a.at));
  }
  return course;
}

/**
 * Multiplies `count` samples at place `x` of some kernels by the factors of a gain envelope at [at, at + count). A factor depends on its position
 * alone, never on where a call begins: in dB the line runs on by one factor a sample from each anchor on.
 */
export function scaleByEnvelope(kernels: Kernels, points: readonly EnvelopePoint[], at: number, count: number, x: number): void {
  let i = pointBefore(points, at);
  const [to, end] = [x - at, at + count];
  for (let place = at; place < end; ) {
    const [a, b] = [points[i], points[i + 1]];
    const until = Math.min(end, b ? b.at : end);
    if (!a || !b || a.hold || a.value === b.value) {
      const { factor } = courseOf(a ?? points[0], null, 0);
      if (factor !== 1) kernels.swell(to + place, until - place, 0, factor, 1);
    } else if (touchesSilence(a, b)) {
      const [from, slope] = [gainFactor(a.value), (gainFactor(b.value) - gainFactor(a.value)) / (b.at - a.at)];
      for (let k = place; k < until; k++) kernels.floats[to + k] *= from + slope * (k - a.at);
    } else
      for (let k = place; k < until; ) {
        const anchor = k - ((k - a.at) % ANCHOR);
        const stop = Math.min(until, anchor + ANCHOR);
        const { factor, step } = courseOf(a, b, anchor);
        kernels.swell(to + k, stop - k, k - anchor, factor, step);
        k = stop;
      }
    place = until;
    i++;
  }
}
