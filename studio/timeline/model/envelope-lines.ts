import { envelopeValue } from "@wet-thread/core/dsp/envelope";
import type { Document } from "@wet-thread/core/model/document";
import { ownPlace, playedPlace, runsBackwards } from "@wet-thread/core/model/played";
import { type Clip, clipEnd, type EnvelopePoint } from "@wet-thread/core/model/schema";
import type { DrawKind, View } from "@/state/view";
import { CLOTH_TOP, type LaneBox, NAME_STRIP, RAIL } from "./geometry";

/** Where 0 dB lies on the way up, and −48 dB; below that the line goes down to silence quickly. */
const UNITY = 0.75;
const FAINT = 0.15;
const FAINT_DB = -48;
const [LOWEST, HIGHEST] = [-144, 24];

/** How high a value of an envelope is drawn, 0 at the foot of the cloth and 1 at its top. */
export function heightOf(kind: DrawKind, value: number): number {
  if (kind === "pan") return (1 - value) / 2;
  if (value >= 0) return UNITY + (value / HIGHEST) * (1 - UNITY);
  if (value >= FAINT_DB) return UNITY + (value / FAINT_DB) * (FAINT - UNITY);
  return FAINT * (1 - (value - FAINT_DB) / (LOWEST - FAINT_DB));
}

/** The value of a height: the other way round. */
export function valueAt(kind: DrawKind, height: number): number {
  const h = Math.max(0, Math.min(1, height));
  if (kind === "pan") return 1 - 2 * h;
  if (h >= UNITY) return ((h - UNITY) / (1 - UNITY)) * HIGHEST;
  if (h >= FAINT) return ((h - UNITY) / (FAINT - UNITY)) * FAINT_DB;
  return FAINT_DB + (1 - h / FAINT) * (LOWEST - FAINT_DB);
}

/** A value rounded to what values snap to: whole dB, tenths of pan; free to a hundredth otherwise. */
export const roundedValue = (kind: DrawKind, value: number, snaps: boolean): number => {
  const step = kind === "pan" ? (snaps ? 0.1 : 0.01) : snaps ? 1 : 0.1;
  // Without a sign where it is nothing.
  return Math.round(value / step) * step + 0 === 0 ? 0 : Math.round(Math.round(value / step) * step * 100) / 100;
};

export const valueWords = (kind: DrawKind, value: number): string =>
  kind === "pan"
    ? value === 0
      ? "centre"
      : `${Math.round(Math.abs(value) * 100)} % ${value < 0 ? "left" : "right"}`
    : value <= LOWEST
      ? "silence"
      : `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(1)} dB`;

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
  const line: readonly EnvelopePoint[] = clip.envelopes?.[kind] ?? [];
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
