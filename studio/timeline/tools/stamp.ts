import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { Stamp } from "lucide-react";
import { settings } from "@/state/kept/settings";
import { modeRules, neighbourRules } from "@/state/view/modes";
import { view } from "@/state/view/view";
import { askingFor, editing, type Gesture, type Plan, sampleAt, taken } from "../gestures/gesture";
import { movedWords } from "../gestures/move-gesture";
import { host } from "../host";
import { flagLines } from "../model/describe";
import { laneAt } from "../model/geometry";
import { viewGrid } from "../model/grid-columns";
import { jointAt } from "../model/landing";
import { snapInForce, snapped } from "../model/snapping";
import type { TimelineTool } from "./tool";

export const stamp: TimelineTool = {
  name: "Stamp",
  key: "T",
  icon: Stamp,
  cursor: "copy",
  hint: "Drag along to lay copies one after the other · click in an empty lane to stamp what was copied",
  press: (doc, zone) => (zone.clip ? stampAlong(doc, zone.clip) : stampHere(doc)),
};

/** Lays copies of a clip one after the other along the drag, each on the next grid line that is free when the grid is in force. */
function stampAlong(doc: Document, clip: Clip): Gesture {
  const clips = taken(doc, clip);
  const start = Math.min(...clips.map((c) => c.start));
  const end = Math.max(...clips.map(clipEnd));
  const { lines } = viewGrid(doc, settings(), view().start, view().samplesPerPixel);
  const onGrid = snapInForce() && settings().targets.includes("grid");
  let pitch = end - start;
  if (onGrid) {
    const line = lines.before(start).sample;
    let next = lines.before(line + pitch).sample;
    if (next < line + pitch) next = lines.after(next).sample;
    pitch = Math.max(1, next - line);
  }
  return editing(doc, (p): Plan => {
    const times = Math.max(0, Math.floor((sampleAt(p.x) - start) / pitch));
    return {
      edits: times === 0 ? [] : [{ type: "repeat", clipIds: clips.map((c) => c.id), times: Math.min(times, 2000), every: pitch, ...modeRules() }],
      name: `Stamp ${clips.length === 1 ? clip.name : `${clips.length} clips`}`,
      lines: () => [times === 1 ? "1 copy" : `${times} copies`, `every ${formatLength(pitch, doc.sampleRate)}`],
    };
  });
}

/** Stamps what was copied where a lane is pressed; what it does to neighbours is shown before. */
function stampHere(doc: Document): Gesture {
  return editing(doc, (p): Plan => {
    const { position, target } = snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0 });
    const edit = host().pasteEdit(doc, position, laneAt(doc, p.y + view().scrollY)?.trackId);
    return {
      edits: edit ? [edit] : [],
      lines: (after) => (edit ? ["stamp here", ...flagLines(doc, position, null, target, movedWords(doc, after, []))] : ["copy something first"]),
      shown: {
        lit: { position, kind: "stamp" },
        joint: neighbourRules().neighbours === "reorder" ? jointAt(doc, laneAt(doc, p.y + view().scrollY)?.trackId, position) : null,
      },
      instead: askingFor(p, { start: position, end: position }, 0, (by) => {
        const there = host().pasteEdit(doc, position + by, laneAt(doc, p.y + view().scrollY)?.trackId);
        return there ? [there] : [];
      }),
    };
  });
}
