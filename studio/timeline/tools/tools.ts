import type { Document } from "@wet-thread/core/model/document";
import { type Tool, view } from "@/state/view/view";
import { dragSeam } from "../gestures/edge-gestures";
import type { Gesture, Press } from "../gestures/gesture";
import { frameClips } from "../gestures/range-gestures";
import type { Zone } from "../model/zones";
import { draw } from "./draw";
import { erase } from "./erase";
import { hand } from "./hand";
import { listen } from "./listen";
import { mute } from "./mute";
import { pointer } from "./pointer";
import { range } from "./range";
import { shiftInside } from "./shift-inside";
import { split } from "./split";
import { stamp } from "./stamp";
import { stretch } from "./stretch";
import type { Held, TimelineTool } from "./tool";
import { zoom } from "./zoom";

export const TIMELINE_TOOLS: Readonly<Record<Tool, TimelineTool>> = {
  pointer,
  range,
  split,
  shift: shiftInside,
  stretch,
  draw,
  stamp,
  mute,
  erase,
  listen,
  zoom,
  hand,
};

/** The tool in the hand. */
export const toolInHand = (): TimelineTool => TIMELINE_TOOLS[view().tool];

/** Whether in a zone the place decides what a press does, whatever the tool: seams and the free cloth are alike to all that work on clips. */
export const placeDecides = (tool: TimelineTool, zone: Zone): boolean =>
  !tool.looks && (zone.kind === "seam" || zone.kind === "below" || tool.keeps?.(zone) === true);

/** The gesture that a press in a zone begins with the tool in the hand. */
export function gestureFor(doc: Document, zone: Zone, p: Press, held: Held): Gesture | null {
  const tool = toolInHand();
  if (!tool.looks) {
    if (zone.kind === "below") return frameClips(doc, p, held.add);
    if (zone.kind === "seam" && zone.seam) return tool.pressSeam?.(doc, zone.seam, p) ?? dragSeam(doc, zone, p);
  }
  return tool.press(doc, zone, p, held);
}
