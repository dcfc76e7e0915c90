import { nearestJoint } from "@wet-thread/core/edit/opening/openings";
import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { Preview } from "./preview";

/** Edits that add tracks at the end. */
export const newTracks = (count: number): Edit[] => Array.from({ length: count }, () => ({ type: "add-track" }));

/** The joint of a track's row where something dropped at a position would go in. */
export function jointAt(doc: Document, trackId: string | undefined, position: number): Preview["joint"] {
  const lane = trackId === undefined ? undefined : doc.lanes.get(trackId);
  return lane && trackId ? { trackId, position: nearestJoint({ lane: () => lane }, trackId, Math.max(0, position)) } : null;
}
