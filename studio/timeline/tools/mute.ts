import { VolumeX } from "lucide-react";
import { counted } from "@/state/words/counted";
import { editing, type Plan } from "../gestures/gesture";
import { clipsAlong } from "../gestures/sweep";
import type { TimelineTool } from "./tool";

/** Mutes, or unmutes as the first one needs, every clip that the pointer goes over. */
export const mute: TimelineTool = {
  name: "Mute",
  key: "Q",
  icon: VolumeX,
  cursor: "pointer",
  hint: "Click or drag over clips to mute them, or unmute",
  press(doc, zone, pressed) {
    const along = clipsAlong(doc, pressed, (clip) => [clip]);
    const muted = !(zone.clip?.mute ?? false);
    return editing(doc, (p): Plan => {
      const clipIds = along(p);
      return {
        edits: clipIds.length === 0 ? [] : [{ type: "mute", clipIds, mute: muted }],
        lines: () => [`${muted ? "mutes" : "unmutes"} ${counted(clipIds.length, "clip")}`],
      };
    });
  },
};
