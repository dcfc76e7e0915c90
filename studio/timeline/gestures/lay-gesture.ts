import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { settings } from "@/state/settings";
import { view } from "@/state/view";
import { flagLines } from "../model/describe";
import { laneAt } from "../model/geometry";
import { snapped } from "../model/snapping";
import { editing, type Gesture, type Plan, sampleAt } from "./gesture";

let tracks = 0;
export const freshTrackId = (): string => `track-${Date.now().toString(36)}-${++tracks}`;

/** The edits that lay a recording on a track, or on a new one of the given id. What is there already is never covered by it. */
export const layEdits = (
  source: { readonly id: string; readonly name: string },
  trackId: string | null,
  position: number,
  newTrack: string,
): Edit[] => [
  ...(trackId ? [] : [{ type: "add-track", id: newTrack, name: source.name }]),
  {
    type: "add-clip",
    trackId: trackId ?? newTrack,
    sourceId: source.id,
    start: Math.max(0, Math.round(position)),
    overlap: settings().overlaps === "cover" ? "layer" : settings().overlaps,
  },
];

/** A recording taken from the list to the lanes: on one it goes there, below them it starts a track; its start snaps. */
export function layRecording(doc: Document, source: { readonly id: string; readonly name: string; readonly length: number }): Gesture {
  const newTrack = freshTrackId();
  return editing(doc, (p): Plan => {
    const { position, target } = snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0 });
    const lane = laneAt(doc, p.y + view().scrollY);
    return {
      edits: layEdits(source, lane?.trackId ?? null, position, newTrack),
      name: `Add ${source.name}`,
      lines: () => [
        lane ? `on ${lane.track.name}` : "on a new track",
        ...flagLines(doc, position, null, target, formatLength(source.length, doc.sampleRate)),
      ],
      shown: { lit: target },
    };
  });
}
