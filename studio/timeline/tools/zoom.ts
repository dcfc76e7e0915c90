import { type Document, documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { ZoomIn } from "lucide-react";
import { spanInView, view, zoomAt } from "@/state/view/view";
import { goTo } from "@/state/view/view-history";
import { CLICK_PIXELS, type Gesture, type Point, sampleAt } from "../gestures/gesture";
import { tracksBetween } from "../gestures/range-gestures";
import { HEIGHTS, laneBoxes } from "../model/geometry";
import { clearPreview, setPreview } from "../model/preview";
import { zoneAt } from "../model/zones";
import type { TimelineTool } from "./tool";

export const zoom: TimelineTool = {
  name: "Zoom",
  does: "frame what is to fill the view",
  key: "9",
  icon: ZoomIn,
  cursor: "zoom-in",
  hint: "Drag over what is to fill the view, time and tracks · click a clip to come closer, with Alt farther · click beside to see the whole",
  looks: true,
  press: (doc, _, p) => zoomFrame(doc, p),
};

/** How much closer a click with the zoom tool comes. */
const CLICK_ZOOM = 2;

/** Frames what is dragged over: the span fills the view. A click comes closer, with Alt goes farther. */
function zoomFrame(doc: Document, pressed: Point): Gesture {
  return {
    move(p) {
      const span = Math.abs(sampleAt(p.x) - sampleAt(pressed.x));
      const tall = framedTracks(doc, pressed, p);
      setPreview({
        band: { x0: pressed.x, y0: tall ? pressed.y : 0, x1: p.x, y1: tall ? p.y : view().height },
        flag: { x: p.x, y: p.y, lines: [`shows ${formatLength(Math.round(span), doc.sampleRate)}`] },
      });
    },
    commit(p) {
      clearPreview();
      if (Math.abs(p.x - pressed.x) < CLICK_PIXELS) {
        const onClip = zoneAt(doc, view(), p.x, p.y).clip !== undefined;
        if (!onClip && !p.alt) return goTo({ ...spanInView(0, Math.max(documentEnd(doc), doc.sampleRate * 4), 0.01), tall: null, scrollY: 0 });
        return zoomAt(p.x, p.alt ? CLICK_ZOOM : 1 / CLICK_ZOOM);
      }
      const [from, to] = [Math.min(sampleAt(pressed.x), sampleAt(p.x)), Math.max(sampleAt(pressed.x), sampleAt(p.x))];
      const tall = framedTracks(doc, pressed, p);
      if (!tall) return goTo(spanInView(Math.max(0, from), to, 0));
      const height = Math.max(HEIGHTS.close, Math.floor(view().height / tall.length));
      const scrollY = laneBoxes(doc).find((b) => b.trackId === tall[0])?.top ?? 0;
      goTo({ ...spanInView(Math.max(0, from), to, 0), tall: { trackIds: new Set(tall), height }, scrollY });
    },
  };
}

/** So far up or down, in pixels, a frame means the tracks that it goes over too. */
const FRAMES_TRACKS = 40;
function framedTracks(doc: Document, pressed: Point, p: Point): string[] | null {
  if (Math.abs(p.y - pressed.y) < FRAMES_TRACKS) return null;
  const tracks = tracksBetween(doc, pressed.y, p.y);
  return tracks.length > 0 ? tracks : null;
}
