import type { Document } from "@wet-thread/core/model/document";
import { Ear } from "lucide-react";
import { transport } from "@/engine/transport";
import { setView } from "@/state/view/view";
import { type Gesture, sampleAt } from "../gestures/gesture";
import { flagLines } from "../model/describe";
import { clearPreview, setPreview } from "../model/preview";
import { snapped } from "../model/snapping";
import type { TimelineTool } from "./tool";

export const listen: TimelineTool = {
  name: "Listen",
  does: "sound at the pointer's speed",
  key: "8",
  icon: Ear,
  cursor: "ew-resize",
  hint: "Drag to hear what is under the pointer, at the pointer's speed · click to place the playhead",
  looks: true,
  press: (doc) => listenAlong(doc),
};

/** Sound under the pointer, at the pointer's speed; the playhead stays where it is let go of. */
function listenAlong(doc: Document): Gesture {
  let heard = false;
  return {
    move(p) {
      heard = true;
      const at = Math.max(0, sampleAt(p.x));
      transport().scrub(at);
      setPreview({ flag: { x: p.x, y: p.y, lines: flagLines(doc, Math.round(at), null, null) } });
    },
    commit(p) {
      clearPreview();
      if (heard) transport().endScrub();
      setView({ playhead: snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0 }).position });
    },
  };
}
