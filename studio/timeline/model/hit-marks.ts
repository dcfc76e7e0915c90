import type { Document } from "@wet-thread/core/model/document";
import { strengthsBetween } from "@wet-thread/core/model/hits";
import type { Clip, Hit } from "@wet-thread/core/model/schema";
import { settings } from "@/state/settings";
import type { View } from "@/state/view";

/** How high the foot of a hit is, by which it is taken hold of, and how near a press must be to it, in pixels. */
export const FOOT = 8;
const GRAB = 6;
/** Of hits that lie closer than this, in pixels, the strongest is drawn; a foot has one that stands further from both its neighbours. */
const APART = 4;
const ALONE = 11;

/** The hits of a clip that are drawn in a view: all of them, or where they are dense the strongest of each few pixels. */
export function shownHits(doc: Document, clip: Clip, view: Pick<View, "start" | "width" | "samplesPerPixel">): readonly Hit[] {
  const { start, width, samplesPerPixel } = view;
  const hits = strengthsBetween(doc.sources, clip, Math.floor(start - GRAB * samplesPerPixel), Math.ceil(start + (width + GRAB) * samplesPerPixel));
  const thinned: Hit[] = [];
  for (const hit of hits) {
    const before = thinned.at(-1);
    if (!before || hit.at - before.at >= APART * samplesPerPixel) thinned.push(hit);
    else if (hit.strength > before.strength) thinned[thinned.length - 1] = hit;
  }
  return thinned;
}

/** Those of some hits, as they are drawn, that have room for a foot. */
export function footed(hits: readonly Hit[], samplesPerPixel: number): Hit[] {
  const room = ALONE * samplesPerPixel;
  return hits.filter(({ at }, i) => at - (hits[i - 1]?.at ?? -room) >= room && (hits[i + 1]?.at ?? at + room) - at >= room);
}

/** The hit of a selected clip whose foot lies at a place of the screen; undefined where none does, or hits are not drawn. */
export function hitAt(doc: Document, clip: Clip, view: View, x: number, larger: number): number | undefined {
  if (!settings().showHits || !view.clipIds.has(clip.id)) return undefined;
  let [best, least] = [undefined as number | undefined, GRAB * larger];
  for (const { at } of footed(shownHits(doc, clip, view), view.samplesPerPixel)) {
    const far = Math.abs((at - view.start) / view.samplesPerPixel - x);
    if (far <= least) [best, least] = [at, far];
  }
  return best;
}
