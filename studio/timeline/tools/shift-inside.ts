import type { Document } from "@wet-thread/core/model/document";
import { playedSource } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { formatChange } from "@wet-thread/core/time/format";
import { MoveHorizontal } from "lucide-react";
import { view } from "@/state/view/view";
import { dragging, type Gesture, type Plan, type Point, sampleAt, taken } from "../gestures/gesture";
import { flagLines } from "../model/describe";
import { hitsIn, snapped } from "../model/snapping";
import { rangeBeside, type TimelineTool } from "./tool";

export const shiftInside: TimelineTool = {
  name: "Shift inside",
  key: "S",
  icon: MoveHorizontal,
  cursor: "ew-resize",
  hint: "Drag the audio inside the clip's edges",
  press: (doc, zone, p, how) => (zone.clip ? shiftAudio(doc, zone.clip, p) : rangeBeside(doc, p, how)),
};

/** Shifts the audio inside a clip's edges. A hit near the pointer is what snaps; else the place that was taken hold of. */
function shiftAudio(doc: Document, clip: Clip, pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const grip = Math.round(sampleAt(pressed.x));
  const reach = 40 * view().samplesPerPixel;
  const hit = hitsIn(doc, [clip.trackId], Math.floor(grip - reach), Math.ceil(grip + reach)).reduce<number | null>(
    (best, h) => (best === null || Math.abs(h - grip) < Math.abs(best - grip) ? h : best),
    null,
  );
  const anchor = hit ?? grip;
  const rooms = clips.map((c) => ({ earlier: (playedSource(doc.sources, c)?.length ?? 0) - c.offset - c.length, later: c.offset }));
  const most = Math.min(...rooms.map((r) => r.later));
  const least = -Math.min(...rooms.map((r) => r.earlier));
  return dragging(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: anchor + sampleAt(p.x) - sampleAt(pressed.x),
      origin: anchor,
      except: new Set([anchor]),
      least: anchor + least,
      most: anchor + most,
    });
    const by = position - anchor;
    const end = by === most ? "the recording starts here" : by === least ? "the recording ends here" : undefined;
    return {
      edits: by === 0 ? [] : [{ type: "shift-inside", clipIds: clips.map((c) => c.id), by }],
      lines: () => [`${formatChange(by, doc.sampleRate)} inside`, ...flagLines(doc, position, null, target, end).slice(0, 3)],
      shown: { lit: target && by !== 0 ? target : null },
    };
  });
}
