import { SquareDashed } from "lucide-react";
import { dragRangeEdge } from "../gestures/range-gestures";
import { rangeBeside, type TimelineTool } from "./tool";

export const range: TimelineTool = {
  name: "Range",
  key: "R",
  icon: SquareDashed,
  cursor: "text",
  hint: "Drag to make a range, or click where it starts and where it ends",
  keeps: ({ kind }) => kind === "rangeStart" || kind === "rangeEnd",
  press(doc, zone, p, how) {
    if (zone.kind === "rangeStart") return dragRangeEdge(doc, "start");
    if (zone.kind === "rangeEnd") return dragRangeEdge(doc, "end");
    return rangeBeside(doc, p, how);
  },
};
