import { bundlesAround } from "@wet-thread/core/edit/bundles/members";
import type { Document } from "@wet-thread/core/model/document";
import { type Bundle, clipEnd } from "@wet-thread/core/model/schema";

/** A stretch of a track on which nothing but a bundle's clips lies. */
export interface BundleRun {
  readonly trackId: string;
  readonly start: number;
  readonly end: number;
}

/** Where a bundle lies: its span, and its runs on each of its tracks. */
export interface BundleFrame {
  readonly bundle: Bundle;
  readonly start: number;
  readonly end: number;
  readonly runs: readonly BundleRun[];
}

const kept = new WeakMap<Document["clips"], ReadonlyMap<string, BundleFrame>>();

/** The frames of all bundles, those of the clips in bundles further in included. */
export function bundleFrames(doc: Document): ReadonlyMap<string, BundleFrame> {
  const known = kept.get(doc.clips);
  if (known) return known;
  const made = new Map<string, { bundle: Bundle; start: number; end: number; runs: { trackId: string; start: number; end: number }[] }>();
  if (doc.bundles.size > 0) {
    for (const [trackId, lane] of doc.lanes) {
      // The runs that a clip of the track can still go on with: of bundles of which the clip before was one.
      let open = new Map<string, { trackId: string; start: number; end: number }>();
      for (const clip of lane.clips) {
        const goesOn: typeof open = new Map();
        for (const bundle of bundlesAround(doc, clip.bundle)) {
          let frame = made.get(bundle.id);
          if (!frame) {
            frame = { bundle, start: Number.POSITIVE_INFINITY, end: 0, runs: [] };
            made.set(bundle.id, frame);
          }
          frame.start = Math.min(frame.start, clip.start);
          frame.end = Math.max(frame.end, clipEnd(clip));
          let run = open.get(bundle.id);
          if (!run) {
            run = { trackId, start: clip.start, end: clipEnd(clip) };
            frame.runs.push(run);
          }
          run.end = Math.max(run.end, clipEnd(clip));
          goesOn.set(bundle.id, run);
        }
        open = goesOn;
      }
    }
  }
  kept.set(doc.clips, made);
  return made;
}
