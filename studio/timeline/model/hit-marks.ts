import { type HasHits, playedHits } from "@wet-thread/core/model/clip/hits";
import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd, type Hit } from "@wet-thread/core/model/schema";
import { settings } from "@/state/kept/settings";
import type { View } from "@/state/view/view";

/** How high the foot of a hit is, by which it is taken hold of, and how near a press must be to it, in pixels. */
export const FOOT = 8;
const GRAB = 6;
/** Of hits in the same few pixels the strongest is drawn; a foot has one that stands further from both its neighbours. */
const TOGETHER = 4;
const ALONE = 11;

/** The hits of a clip that are drawn in a view: all of them, or where they are dense the strongest of each few pixels, the same ones wherever the view stands. */
export function shownHits(doc: Document, clip: HasHits, { start, width, samplesPerPixel }: Pick<View, "start" | "width" | "samplesPerPixel">): Hit[] {
  const margin = 2 * ALONE * samplesPerPixel;
  const { hits, first, end, shift } = playedHits(doc.sources, clip, Math.floor(start - margin), Math.ceil(start + width * samplesPerPixel + margin));
  const place = (i: number): number => Math.floor((hits[i].at + shift) / (TOGETHER * samplesPerPixel));
  const shown: Hit[] = [];
  for (let i = first; i < end; ) {
    let strongest = i;
    const here = place(i);
    for (i++; i < end && place(i) === here; i++) if (hits[i].strength > hits[strongest].strength) strongest = i;
    shown.push({ at: hits[strongest].at + shift, strength: hits[strongest].strength });
  }
  return shown;
}

/** The clips that are heard in place of a clip where both lie: those on higher layers, or that start later, unless they blend with it. */
export function hidingClips(doc: Document, clip: Clip): Clip[] {
  const near = doc.lanes.get(clip.trackId)?.within(clip.start, clipEnd(clip)) ?? [];
  const blend = (c: Clip): boolean => c.blend?.with === clip.id || clip.blend?.with === c.id;
  return near.filter((c) => !c.mute && !blend(c) && (c.layer > clip.layer || (c.layer === clip.layer && c.start > clip.start)));
}

/** Those of some hits, as they are drawn, that have room for a foot. */
export function footed(hits: readonly Hit[], samplesPerPixel: number): Hit[] {
  const alone = (a: Hit | undefined, b: Hit | undefined): boolean => !a || !b || b.at - a.at >= ALONE * samplesPerPixel;
  return hits.filter((hit, i) => alone(hits[i - 1], hit) && alone(hit, hits[i + 1]));
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
