import type { Document } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { transport } from "@/engine/transport";
import { setView, spanInView, view, zoomAt } from "@/state/view";
import { goTo } from "@/state/view-history";
import { flagLines } from "../model/describe";
import { scrollTo } from "../model/geometry";
import { clearPreview, setPreview } from "../model/preview";
import { CLICK_PIXELS, type Gesture, type Point, sampleAt } from "./gesture";

/** How much closer a click with the zoom tool comes. */
const CLICK_ZOOM = 2;

/** Frames what is dragged over: the span fills the view. A click comes closer, with Alt goes farther. */
export function zoomFrame(doc: Document, pressed: Point): Gesture {
  return {
    move(p) {
      const span = Math.abs(sampleAt(p.x) - sampleAt(pressed.x));
      setPreview({
        band: { x0: pressed.x, y0: 0, x1: p.x, y1: view().height },
        flag: { x: p.x, y: p.y, lines: [`shows ${formatLength(Math.round(span), doc.sampleRate)}`] },
      });
    },
    commit(p) {
      clearPreview();
      if (Math.abs(p.x - pressed.x) < CLICK_PIXELS) return zoomAt(p.x, p.alt ? CLICK_ZOOM : 1 / CLICK_ZOOM);
      const [from, to] = [Math.min(sampleAt(pressed.x), sampleAt(p.x)), Math.max(sampleAt(pressed.x), sampleAt(p.x))];
      goTo(spanInView(Math.max(0, from), to, 0));
    },
  };
}

/** The lanes go along with the hand. */
export function handScroll(doc: Document, pressed: Point): Gesture {
  const { start, scrollY, samplesPerPixel } = view();
  const go = (p: Point): void => scrollTo(doc, start - (p.x - pressed.x) * samplesPerPixel, scrollY - (p.y - pressed.y));
  return { move: go, commit: go };
}

/** Sound under the pointer, at the pointer's speed; the playhead stays where it is let go of. */
export function listenAlong(doc: Document): Gesture {
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
      setView({ playhead: Math.max(0, Math.round(sampleAt(p.x))) });
    },
  };
}
