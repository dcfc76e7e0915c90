import type { Change, Document } from "../model/document";
import { clipEnd } from "../model/schema";

/** What a step changed, in a few words' worth: how many things of each kind, on which tracks, and over what span. */
export interface StepSummary {
  readonly clips: number;
  readonly tracks: number;
  readonly markers: number;
  readonly sections: number;
  readonly bundles: number;
  /** Tempo, meter, loop, frame rate, the order of tracks. */
  readonly piece: boolean;
  /** Names of the first tracks in the piece's order that were touched, and how many more were. */
  readonly on: readonly string[];
  readonly more: number;
  /** In samples, from the first to the last moment of any clip, marker or section that was touched, before or after; null for none. */
  readonly start: number | null;
  readonly end: number | null;
}

const MOST_NAMES = 3;

/** Sums up the changes that led from one document to another. A track is touched when it changed or a clip on it did. */
export function summaryOf(before: Document, after: Document, changes: readonly Change[]): StepSummary {
  const counts = { clip: 0, track: 0, marker: 0, section: 0, bundle: 0, piece: 0 };
  const touched = new Set<string>();
  let [start, end] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  const reach = (from: number, to: number): void => {
    start = Math.min(start, from);
    end = Math.max(end, to);
  };
  for (const change of changes) {
    counts[change.kind]++;
    if (change.kind === "track") touched.add(change.id);
    if (change.kind === "clip") {
      for (const clip of [change.before, change.after]) {
        if (!clip) continue;
        touched.add(clip.trackId);
        reach(clip.start, clipEnd(clip));
      }
    } else if (change.kind === "marker") {
      for (const marker of [change.before, change.after]) if (marker) reach(marker.position, marker.position);
    } else if (change.kind === "section") {
      for (const section of [change.before, change.after]) if (section) reach(section.start, section.end);
    }
  }
  const names: string[] = [];
  for (const id of new Set([...after.piece.trackOrder, ...before.piece.trackOrder])) {
    const track = touched.has(id) && (after.tracks.get(id) ?? before.tracks.get(id));
    if (track) names.push(track.name);
  }
  return {
    clips: counts.clip,
    tracks: counts.track,
    markers: counts.marker,
    sections: counts.section,
    bundles: counts.bundle,
    piece: counts.piece > 0,
    on: names.slice(0, MOST_NAMES),
    more: Math.max(0, names.length - MOST_NAMES),
    start: end >= start ? start : null,
    end: end >= start ? end : null,
  };
}
