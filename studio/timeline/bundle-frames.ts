import { bundlesAround } from "@wet-thread/core/edit/bundles/members";
import type { Document } from "@wet-thread/core/model/document";
import { type Bundle, clipEnd } from "@wet-thread/core/model/schema";

/** Where a bundle lies: its span and its tracks. */
export interface BundleFrame {
  readonly bundle: Bundle;
  readonly start: number;
  readonly end: number;
  readonly trackIds: ReadonlySet<string>;
}

const kept = new WeakMap<Document["clips"], ReadonlyMap<string, BundleFrame>>();

/** The frames of all bundles, those of the clips in bundles further in included. */
export function bundleFrames(doc: Document): ReadonlyMap<string, BundleFrame> {
  let frames = kept.get(doc.clips);
  if (frames) return frames;
  const made = new Map<string, { bundle: Bundle; start: number; end: number; trackIds: Set<string> }>();
  if (doc.bundles.size > 0) {
    for (const clip of doc.clips.values()) {
      for (const bundle of bundlesAround(doc, clip.bundle)) {
        const frame = made.get(bundle.id) ?? { bundle, start: Number.POSITIVE_INFINITY, end: 0, trackIds: new Set<string>() };
        frame.start = Math.min(frame.start, clip.start);
        frame.end = Math.max(frame.end, clipEnd(clip));
        frame.trackIds.add(clip.trackId);
        made.set(bundle.id, frame);
      }
    }
  }
  frames = made;
  kept.set(doc.clips, frames);
  return frames;
}
