import type { Document } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { Eraser } from "lucide-react";
import { neighbourRules } from "@/state/view/modes";
import { counted } from "@/state/words/counted";
import { editing, type Plan, type Point, sampleAt, taken } from "../gestures/gesture";
import { tracksBetween } from "../gestures/range-gestures";
import { clipsAlong } from "../gestures/sweep";
import { flagLines } from "../model/describe";
import { snapped } from "../model/snapping";
import type { TimelineTool } from "./tool";

/** Deletes every clip that the pointer goes over, or with Alt only what lies under the stroke. */
export const erase: TimelineTool = {
  name: "Erase",
  key: "E",
  icon: Eraser,
  cursor: "pointer",
  hint: "Click or drag over clips to delete them · with Alt only the part under the stroke",
  press(doc, _, pressed) {
    const along = clipsAlong(doc, pressed, (clip) => taken(doc, clip));
    return editing(doc, (p): Plan => {
      if (p.alt) return strokeOut(doc, pressed, p);
      const clipIds = along(p);
      return {
        edits: clipIds.length === 0 ? [] : [{ type: "delete", clipIds, ...neighbourRules() }],
        lines: () => [`deletes ${counted(clipIds.length, "clip")}`],
      };
    });
  },
};

/** Takes out only what lies under the stroke, on the tracks that it crosses. */
function strokeOut(doc: Document, pressed: Point, p: Point): Plan {
  const at = (x: number): number => snapped(doc, { wanted: Math.max(0, sampleAt(x)), origin: 0 }).position;
  const [a, b] = [at(pressed.x), at(p.x)];
  const [start, end] = [Math.min(a, b), Math.max(a, b)];
  const trackIds = tracksBetween(doc, pressed.y, p.y);
  const any = end > start && trackIds.some((id) => (doc.lanes.get(id)?.within(start, end).length ?? 0) > 0);
  return {
    edits: any ? [{ type: "delete-range", start, end, trackIds, ...neighbourRules() }] : [],
    lines: () => [`erases ${formatLength(end - start, doc.sampleRate)}`, ...flagLines(doc, b, null, null).slice(0, 1)],
    shown: { range: { start, end, trackIds } },
  };
}
