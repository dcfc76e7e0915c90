import { cutsEvery } from "@wet-thread/core/edit/cutting/even-cuts";
import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { BetweenVerticalStart } from "lucide-react";
import { editing, type Gesture, type Plan, type Point, sampleAt } from "../gestures/gesture";
import { tracksBetween } from "../gestures/range-gestures";
import { flagLines } from "../model/describe";
import { snapped } from "../model/snapping";
import type { TimelineTool } from "./tool";

export const split: TimelineTool = {
  name: "Split",
  key: "X",
  icon: BetweenVerticalStart,
  cursor: "crosshair",
  hint: "Click to split where the line is · draw over several tracks · Alt: equal parts of that length",
  press: (doc, zone, p) => splitStroke(doc, zone.clip, p),
};

/** Splits where the line is: one clip, or in one straight stroke whatever lies there on several tracks; with Alt in parts of that length. */
function splitStroke(doc: Document, clip: Clip | undefined, pressed: Point): Gesture {
  const at = (p: Point) => {
    const bounds = clip ? { least: clip.start + 1, most: clipEnd(clip) - 1 } : {};
    // The stroke is straight: it stays where it was pressed, unless it is still on its first track.
    const stroke = tracksBetween(doc, pressed.y, p.y);
    const snap = snapped(doc, {
      wanted: sampleAt(stroke.length > 1 ? pressed.x : p.x),
      origin: 0,
      ...(stroke.length > 1 ? {} : bounds),
      material: clip,
    });
    return { ...snap, stroke };
  };
  const cutsOf = (trackIds: readonly string[], position: number) => trackIds.map((trackId) => ({ trackId, position }));
  return editing(doc, (p): Plan => {
    const { position, target, stroke } = at(p);
    if (stroke.length > 1) {
      const crossed = stroke.filter((id) =>
        doc.lanes
          .get(id)
          ?.within(position, position + 1)
          .some((c) => c.start < position),
      );
      return {
        edits: crossed.length ? [{ type: "split", trackIds: crossed, at: position }] : [],
        lines: () => [`split on ${crossed.length} tracks`, ...flagLines(doc, position, null, target)],
        shown: { cuts: cutsOf(stroke, position) },
      };
    }
    if (!clip) return { edits: [], lines: () => ["no clip here"], shown: {} };
    if (p.alt) {
      const every = position - clip.start;
      const cuts = cutsEvery(clip, every);
      if (!cuts) return { edits: [], lines: () => ["too many parts: draw longer ones"], shown: {} };
      return {
        edits: cuts.length <= 512 ? [{ type: "split", clipIds: [clip.id], every }] : [],
        lines: () => [
          `${cuts.length + 1} parts of ${formatLength(every, doc.sampleRate)}`,
          ...(cuts.length > 512 ? ["too many: draw longer parts"] : []),
        ],
        shown: { cuts: cuts.slice(0, 512).map((c) => ({ trackId: clip.trackId, position: c })) },
      };
    }
    const there = doc.lanes.get(clip.trackId)?.within(position, position + 1).length ?? 0;
    return {
      edits: [{ type: "split", clipIds: [clip.id], at: position }],
      lines: () => [there > 1 ? `splits only this one of ${there} layers` : "split", ...flagLines(doc, position, null, target)],
      shown: { lit: { position, kind: "cut" } },
    };
  });
}
