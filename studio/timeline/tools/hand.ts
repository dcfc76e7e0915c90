import type { Document } from "@wet-thread/core/model/document";
import { Hand } from "lucide-react";
import { view } from "@/state/view/view";
import type { Gesture, Point } from "../gestures/gesture";
import { scrollTo } from "../model/geometry";
import type { TimelineTool } from "./tool";

export const hand: TimelineTool = {
  name: "Hand",
  does: "scroll",
  key: "`",
  icon: Hand,
  cursor: "grab",
  hint: "Drag to scroll; the playhead stays where it is",
  looks: true,
  press: (doc, _, p) => handScroll(doc, p),
};

/** The lanes go along with the hand. */
function handScroll(doc: Document, pressed: Point): Gesture {
  const { start, scrollY, samplesPerPixel } = view();
  const go = (p: Point): void => scrollTo(doc, start - (p.x - pressed.x) * samplesPerPixel, scrollY - (p.y - pressed.y));
  return { move: go, commit: go };
}
