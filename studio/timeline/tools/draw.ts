import { Spline } from "lucide-react";
import { drawLine, withoutPoint } from "../gestures/draw-gesture";
import { rangeBeside, type TimelineTool } from "./tool";

export const draw: TimelineTool = {
  name: "Draw",
  does: "gain, pan, the track's ride",
  key: "|",
  icon: Spline,
  cursor: "crosshair",
  hint: "Click for a point, drag it or the line, draw by hand; with snap on in steps on the grid · double-click takes a point away",
  press: (doc, zone, p, how) => drawLine(doc, zone, p) ?? rangeBeside(doc, p, how),
  twice(doc, zone, p) {
    const edit = withoutPoint(doc, zone, p);
    return edit && { edit, name: "Take a point away" };
  },
};
