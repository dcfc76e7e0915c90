import type { Document } from "@wet-thread/core/model/document";
import type { Track } from "@wet-thread/core/model/schema";
import { setView, type Tall, view } from "@/state/view/view";

/** Height of the seam rail under a lane's cloth, and of the name strip along a clip's top. */
export const RAIL = 15;
export const CLOTH_TOP = 5;
export const NAME_STRIP = 18;
export const OVERVIEW_HEIGHT = 40;
export const HEAD_WIDTH = 178;
/** Heights that a track can have, and the least that a close-up gives it. */
export const HEIGHTS = { least: 36, most: 600, close: 120 } as const;

export interface LaneBox {
  readonly trackId: string;
  readonly track: Track;
  /** In pixels from the top of all lanes, before scrolling. */
  readonly top: number;
  readonly height: number;
}

const boxes = new WeakMap<Document["tracks"], { order: readonly string[]; tall: Tall | null; list: readonly LaneBox[] }>();

/** The lanes from the top down, with the heights that a close-up lends; kept while the tracks are the same. */
export function laneBoxes(doc: Document): readonly LaneBox[] {
  const { tall } = view();
  const known = boxes.get(doc.tracks);
  if (known?.order === doc.piece.trackOrder && known.tall === tall) return known.list;
  let top = 0;
  const list: LaneBox[] = [];
  for (const trackId of doc.piece.trackOrder) {
    const track = doc.tracks.get(trackId);
    if (!track || track.hidden) continue;
    const height = tall?.trackIds.has(trackId) ? tall.height : track.height;
    list.push({ trackId, track, top, height });
    top += height;
  }
  boxes.set(doc.tracks, { order: doc.piece.trackOrder, tall, list });
  return list;
}

export const lanesHeight = (doc: Document): number => {
  const last = laneBoxes(doc).at(-1);
  return last ? last.top + last.height : 0;
};

/** The farthest that the lanes can be scrolled down: the last one with a little free space. */
export const mostScroll = (doc: Document): number => Math.max(0, lanesHeight(doc) + 60 - view().height);

/** Scrolls to a sample at the left edge and a height at the top, as far as there is something. */
export function scrollTo(doc: Document, start: number, scrollY: number): void {
  setView({ start: Math.max(0, start), scrollY: Math.max(0, Math.min(mostScroll(doc), scrollY)) });
}

/** The lane at a height; undefined in the free space below. */
export const laneAt = (doc: Document, y: number): LaneBox | undefined => laneBoxes(doc).find((b) => y >= b.top && y < b.top + b.height);
