import type { Kernels } from "../kernels/kernels";
import { linePlace, madeLine } from "../model/played";
import { type Clip, type EnvelopePoint, gainFactor } from "../model/schema";

/** −144 dB and below is silence. */
const SILENCE = -144;

/** Gains are worked out anew at every so many samples, counted from zero, and run on by one factor in between: by blocks, whoever asks. */
const ANCHOR = 1024;

/** The place in the list of the last point at or before a position; −1 before the first. */
export function pointBefore(points: readonly EnvelopePoint[], at: number): number {
  let low = 0;
  let high = points.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (points[middle].at <= at) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

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

/**
 * Multiplies `count` samples at place `x` of some kernels by the factors of a gain envelope at [at, at + count). A factor depends on its position
 * alone, never on where a call begins: in dB the line runs on by one factor a sample from each anchor, or the last point, on.
 */
export function scaleByEnvelope(kernels: Kernels, points: readonly EnvelopePoint[], at: number, count: number, x: number): void {
  let i = pointBefore(points, at);
  const [to, end] = [x - at, at + count];
  for (let place = at; place < end; ) {
    const [a, b] = [points[i], points[i + 1]];
    const until = Math.min(end, b ? b.at : end);
    if (!a || !b || a.hold || a.value === b.value) {
      const factor = gainFactor((a ?? points[0]).value);
      if (factor !== 1) kernels.swell(to + place, until - place, 0, factor, 1);
    } else if (touchesSilence(a, b)) {
      const [from, slope] = [gainFactor(a.value), (gainFactor(b.value) - gainFactor(a.value)) / (b.at - a.at)];
      for (let k = place; k < until; k++) kernels.floats[to + k] *= from + slope * (k - a.at);
    } else {
      const slope = (b.value - a.value) / (b.at - a.at);
      const step = 10 ** (slope / 20);
      for (let k = place; k < until; ) {
        const anchor = Math.max(a.at, Math.floor(k / ANCHOR) * ANCHOR);
        const stop = Math.min(until, (Math.floor(k / ANCHOR) + 1) * ANCHOR);
        kernels.swell(to + k, stop - k, k - anchor, 10 ** ((a.value + slope * (anchor - a.at)) / 20), step);
        k = stop;
      }
    }
    place = until;
    i++;
  }
}
