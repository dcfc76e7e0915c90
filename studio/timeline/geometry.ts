import type { Document } from "@wet-thread/core/model/document";
import type { Track } from "@wet-thread/core/model/schema";

/** Height of the seam rail under a lane's cloth, and of the name strip along a clip's top. */
export const RAIL = 15;
export const CLOTH_TOP = 5;
export const NAME_STRIP = 18;
export const OVERVIEW_HEIGHT = 40;
export const HEAD_WIDTH = 178;

export interface LaneBox {
  readonly trackId: string;
  readonly track: Track;
  /** In pixels from the top of all lanes, before scrolling. */
  readonly top: number;
  readonly height: number;
}

const boxes = new WeakMap<Document["tracks"], { order: readonly string[]; list: readonly LaneBox[] }>();

/** The lanes from the top down; kept while the tracks are the same. */
export function laneBoxes(doc: Document): readonly LaneBox[] {
  const known = boxes.get(doc.tracks);
  if (known?.order === doc.piece.trackOrder) return known.list;
  let top = 0;
  const list: LaneBox[] = [];
  for (const trackId of doc.piece.trackOrder) {
    const track = doc.tracks.get(trackId);
    if (!track || track.hidden) continue;
    list.push({ trackId, track, top, height: track.height });
    top += track.height;
  }
  boxes.set(doc.tracks, { order: doc.piece.trackOrder, list });
  return list;
}

export const lanesHeight = (doc: Document): number => {
  const last = laneBoxes(doc).at(-1);
  return last ? last.top + last.height : 0;
};

/** The lane at a height; undefined in the free space below. */
export const laneAt = (doc: Document, y: number): LaneBox | undefined => laneBoxes(doc).find((b) => y >= b.top && y < b.top + b.height);
