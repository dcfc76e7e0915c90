import { UnfoldHorizontal } from "lucide-react";
import { stretchOrWarp, stretchSeam, withoutWarpPoint } from "../gestures/stretch-gesture";
import { rangeBeside, type TimelineTool } from "./tool";

export const stretch: TimelineTool = {
  name: "Stretch",
  does: "ends and warp points",
  key: "Shift+W",
  icon: UnfoldHorizontal,
  cursor: "ew-resize",
  hint: "Drag to stretch the nearer end, a joint on the seam rail, or a warp point · Alt: a new warp point · double-click takes one away",
  seamHint: "Drag to stretch what meets here: of two clips both, so that nothing else moves",
  pressSeam: (doc, seam, p) => stretchSeam(doc, seam, p),
  press: (doc, zone, p, how) => (zone.clip ? stretchOrWarp(doc, zone.clip, p) : rangeBeside(doc, p, how)),
  twice(doc, zone, p) {
    const edit = withoutWarpPoint(doc, zone.clip, p.x);
    return edit && { edit, name: "Take a warp point away" };
  },
};
