import { envelopeValue } from "@wet-thread/core/dsp/envelope";
import type { Document } from "@wet-thread/core/model/document";
import { envelopeOf, ownPlace, playedPlace, runsBackwards } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd, type EnvelopePoint } from "@wet-thread/core/model/schema";
import type { DrawKind, View } from "@/state/view/view";
import { CLOTH_TOP, type LaneBox, NAME_STRIP, RAIL } from "./geometry";

/** Where 0 dB lies on the way up, and −48 dB; below that the line goes down to silence quickly. */
const UNITY = 0.75;
const FAINT = 0.15;
const FAINT_DB = -48;
const [LOWEST, HIGHEST] = [-144, 24];

/** Cents, and how far from the middle they are drawn: the first semitones have the most room. */
const PITCH_KNOTS = [
  [0, 0],
  [300, 0.2],
  [1200, 0.4],
  [2400, 0.5],
] as const;
/** Where a value lies on a line through knots, from one of their columns to the other; the sign is kept. */
function alongKnots(value: number, from: 0 | 1, to: 0 | 1): number {
  const size = Math.abs(value);
  const beyond = PITCH_KNOTS.findIndex((k, n) => n > 0 && k[from] >= size);
  const i = beyond < 0 ? PITCH_KNOTS.length - 1 : beyond;
  const [a, b] = [PITCH_KNOTS[i - 1], PITCH_KNOTS[i]];
  return Math.sign(value) * (a[to] + ((size - a[from]) * (b[to] - a[to])) / (b[from] - a[from]));
}

/** How high a value of an envelope is drawn, 0 at the foot of the cloth and 1 at its top. */
export function heightOf(kind: DrawKind, value: number): number {
  if (kind === "pan") return (1 - value) / 2;
  if (kind === "pitch") return 0.5 + alongKnots(value, 0, 1);
  if (value >= 0) return UNITY + (value / HIGHEST) * (1 - UNITY);
  if (value >= FAINT_DB) return UNITY + (value / FAINT_DB) * (FAINT - UNITY);
  return FAINT * (1 - (value - FAINT_DB) / (LOWEST - FAINT_DB));
}

/** The value of a height: the other way round. */
export function valueAt(kind: DrawKind, height: number): number {
  const h = Math.max(0, Math.min(1, height));
  if (kind === "pan") return 1 - 2 * h;
  if (kind === "pitch") return alongKnots(h - 0.5, 1, 0);
  if (h >= UNITY) return ((h - UNITY) / (1 - UNITY)) * HIGHEST;
  if (h >= FAINT) return ((h - UNITY) / (FAINT - UNITY)) * FAINT_DB;
  return FAINT_DB + (1 - h / FAINT) * (LOWEST - FAINT_DB);
}

/** What values of a kind snap to (whole dB, tenths of pan, semitones), and what they are rounded to otherwise. */
export const STEPS: Readonly<Record<DrawKind, readonly [snapped: number, free: number]>> = {
  gain: [1, 0.1],
  ride: [1, 0.1],
  pan: [0.1, 0.01],
  pitch: [100, 1],
};

/** A value rounded to what values snap to, or to what they can be finely. */
export const roundedValue = (kind: DrawKind, value: number, snaps: boolean): number => {
  const step = STEPS[kind][snaps ? 0 : 1];
  // Without a sign where it is nothing.
  return Math.round(value / step) * step + 0 === 0 ? 0 : Math.round(Math.round(value / step) * step * 100) / 100;
};

export function valueWords(kind: DrawKind, value: number): string {
  const sign = value < 0 ? "−" : "+";
  if (kind === "pan") return value === 0 ? "centre" : `${Math.round(Math.abs(value) * 100)} % ${value < 0 ? "left" : "right"}`;
  if (kind === "pitch") return `${sign}${Math.abs(Math.round(value))} cents`;
  return value <= LOWEST ? "silence" : `${sign}${Math.abs(value).toFixed(1)} dB`;
}

/** A line that can be drawn: of a clip, or of a track's ride; its points at places of the timeline, and where on the screen it lies. */
export interface DrawnLine {
  readonly kind: DrawKind;
  readonly clip: Clip | null;
  readonly trackId: string;
  /** As they lie on the timeline; `index` is the place in the list that is kept. Empty where nothing has been drawn yet. */
  readonly points: readonly { readonly at: number; readonly value: number; readonly hold?: true; readonly index: number }[];
  readonly from: number;
  readonly to: number;
  /** In pixels of the lanes. */
  readonly top: number;
  readonly height: number;
  /** The value at a place of the timeline. */
  value(at: number): number;
  /** A place of the timeline as the points are kept, and a list of them as it is kept. */
  keptAt(at: number): number;
}

/** The line of a clip, or of a track. Null for a clip whose recording is not there. */
export function lineOf(doc: Document, view: View, box: LaneBox, kind: DrawKind, clip: Clip | null): DrawnLine | null {
  const top = box.top - view.scrollY + CLOTH_TOP + (clip ? NAME_STRIP : 0);
  const height = Math.max(8, box.height - CLOTH_TOP - RAIL - 3 - (clip ? NAME_STRIP : 0));
  if (kind === "ride") {
    const ride: readonly EnvelopePoint[] = box.track.ride ?? [];
    return {
      kind,
      clip: null,
      trackId: box.trackId,
      points: ride.map((p, index) => ({ ...p, index })),
      from: 0,
      to: Number.MAX_SAFE_INTEGER,
      top,
      height,
      value: (at) => (ride.length ? envelopeValue(ride, at) : 0),
      keptAt: (at) => Math.max(0, at),
    };
  }
  const source = clip && doc.sources.get(clip.sourceId);
  if (!clip || !source) return null;
  const line: readonly EnvelopePoint[] = envelopeOf(clip, kind) ?? [];
  const onTimeline = (own: number): number => clip.start + playedPlace(source, clip, own) - clip.offset;
  const keptAt = (at: number): number => Math.max(0, Math.min(source.length - 1, ownPlace(source, clip, clip.offset + at - clip.start)));
  const points = line.map((p, index) => ({ ...p, at: onTimeline(p.at), index }));
  return {
    kind,
    clip,
    trackId: clip.trackId,
    points: runsBackwards(clip.recipe) ? points.reverse() : points,
    from: clip.start,
    to: clipEnd(clip),
    top,
    height,
    value: (at) => (line.length ? envelopeValue(line, keptAt(at)) : 0),
    keptAt,
  };
}

export const yOf = (line: DrawnLine, value: number): number => line.top + (1 - heightOf(line.kind, value)) * line.height;
export const valueOfY = (line: DrawnLine, y: number): number => valueAt(line.kind, 1 - (y - line.top) / line.height);
