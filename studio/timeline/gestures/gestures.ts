import type { Document } from "@wet-thread/core/model/document";
import { view } from "@/state/view/view";
import type { Zone } from "../model/zones";
import { drawLine } from "./draw-gesture";
import { dragBlendSide, dragGain, dragSeam, dragSplice, fadeClips, trimClips } from "./edge-gestures";
import type { Gesture, Point } from "./gesture";
import { moveHit } from "./hit-gesture";
import { moveClips } from "./move-gesture";
import { strokeRail } from "./rail-gesture";
import { dragRangeEdge, frameClips, makeRange, pullRange } from "./range-gestures";
import { stretchClips, stretchOrWarp, stretchSeam } from "./stretch-gesture";
import { shiftAudio, splitStroke, stampAlong, stampHere, sweep } from "./tool-gestures";
import { handScroll, listenAlong, zoomFrame } from "./view-gestures";

/** The gesture that a press in a zone begins with a tool. `frame`: the key that draws a frame is held. */
export function gestureFor(doc: Document, zone: Zone, p: Point, add: boolean, frame: boolean): Gesture | null {
  const { tool, picking } = view();
  switch (tool) {
    case "zoom":
      return zoomFrame(doc, p);
    case "hand":
      return handScroll(doc, p);
    case "listen":
      return listenAlong(doc);
  }
  if (zone.kind === "below") return frameClips(doc, p, add);
  if (zone.kind === "seam" && zone.seam) return (tool === "stretch" && stretchSeam(doc, zone.seam, p)) || dragSeam(doc, zone, p);
  if (zone.kind === "rail" && tool === "pointer" && !frame) return strokeRail(doc, p);
  switch (tool) {
    case "split":
      return splitStroke(doc, zone.clip, p);
    case "draw":
      return drawLine(doc, zone, p) ?? makeRange(doc, p, undefined, false, add);
    case "stretch":
      return zone.clip ? stretchOrWarp(doc, zone.clip, p) : makeRange(doc, p, undefined, false, add);
    case "shift":
      return zone.clip ? shiftAudio(doc, zone.clip, p) : makeRange(doc, p, undefined, false, add);
    case "stamp":
      return zone.clip ? stampAlong(doc, zone.clip) : stampHere(doc);
    case "mute":
    case "erase":
      return sweep(doc, tool, zone.clip, p);
    case "range":
      return zone.kind === "rangeStart" || zone.kind === "rangeEnd"
        ? dragRangeEdge(doc, zone.kind === "rangeStart" ? "start" : "end")
        : makeRange(doc, p, undefined, false, add);
  }
  if (frame && (zone.kind === "body" || zone.kind === "lane")) return frameClips(doc, p, true);
  switch (zone.kind) {
    case "rangeStart":
      return dragRangeEdge(doc, "start");
    case "rangeEnd":
      return dragRangeEdge(doc, "end");
    case "range":
      return pullRange(doc, p);
    case "gain":
      return zone.clip ? dragGain(doc, zone.clip, p) : null;
    case "hit":
      return zone.clip && zone.hit !== undefined ? moveHit(doc, zone.clip, zone.hit) : null;
    case "splice":
      return zone.clip ? dragSplice(doc, zone.clip, p) : null;
    case "blendStart":
    case "blendEnd":
      return zone.clip ? dragBlendSide(doc, zone.clip, zone.kind === "blendStart" ? "start" : "end", p) : null;
    case "name":
      return zone.clip ? moveClips(doc, zone.clip, p) : null;
    case "start":
    case "end":
      if (!zone.clip) return null;
      return p.alt && p.shift ? stretchClips(doc, zone.clip, zone.kind, p) : trimClips(doc, zone.clip, zone.kind, p);
    case "fadeIn":
      return zone.clip ? fadeClips(doc, zone.clip, "in", p) : null;
    case "fadeOut":
      return zone.clip ? fadeClips(doc, zone.clip, "out", p) : null;
    default:
      return makeRange(doc, p, zone.clip, false, add || picking);
  }
}
