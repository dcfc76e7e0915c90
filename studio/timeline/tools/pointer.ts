import type { Document } from "@wet-thread/core/model/document";
import type { Clip } from "@wet-thread/core/model/schema";
import { MousePointer2 } from "lucide-react";
import { view } from "@/state/view/view";
import { dragBlendSide, dragGain, dragSplice, fadeClips, trimClips } from "../gestures/edge-gestures";
import type { Gesture, Point } from "../gestures/gesture";
import { moveHit } from "../gestures/hit-gesture";
import { moveClips } from "../gestures/move-gesture";
import { strokeRail } from "../gestures/rail-gesture";
import { dragRangeEdge, frameClips, makeRange, pullRange } from "../gestures/range-gestures";
import { stretchClips } from "../gestures/stretch-gesture";
import type { ZoneKind } from "../model/zones";
import type { TimelineTool } from "./tool";

/** What a press on a part of a clip takes hold of. */
const ON_CLIPS: Readonly<Partial<Record<ZoneKind, (doc: Document, clip: Clip, p: Point) => Gesture>>> = {
  gain: dragGain,
  name: moveClips,
  splice: dragSplice,
  blendStart: (doc, clip, p) => dragBlendSide(doc, clip, "start", p),
  blendEnd: (doc, clip, p) => dragBlendSide(doc, clip, "end", p),
  start: (doc, clip, p) => (p.alt && p.shift ? stretchClips : trimClips)(doc, clip, "start", p),
  end: (doc, clip, p) => (p.alt && p.shift ? stretchClips : trimClips)(doc, clip, "end", p),
  fadeIn: (doc, clip, p) => fadeClips(doc, clip, "in", p),
  fadeOut: (doc, clip, p) => fadeClips(doc, clip, "out", p),
};

export const pointer: TimelineTool = {
  name: "Pointer",
  does: "what it does depends on where",
  key: "P",
  icon: MousePointer2,
  keeps: () => true,
  press(doc, zone, p, { add, frame }) {
    const { kind, clip } = zone;
    if (kind === "rail" && !frame) return strokeRail(doc, p);
    if (frame && (kind === "body" || kind === "lane")) return frameClips(doc, p, true);
    if (kind === "rangeStart") return dragRangeEdge(doc, "start");
    if (kind === "rangeEnd") return dragRangeEdge(doc, "end");
    if (kind === "range") return pullRange(doc, p);
    if (kind === "hit") return clip && zone.hit !== undefined ? moveHit(doc, clip, zone.hit) : null;
    const begin = ON_CLIPS[kind];
    if (begin) return clip ? begin(doc, clip, p) : null;
    return makeRange(doc, p, clip, false, add || view().picking);
  },
};
