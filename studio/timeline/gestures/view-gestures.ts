import { type Document, documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { transport } from "@/engine/transport";
import { setView, spanInView, view, zoomAt } from "@/state/view/view";
import { goTo } from "@/state/view/view-history";
import { flagLines } from "../model/describe";
import { HEIGHTS, laneBoxes, scrollTo } from "../model/geometry";
import { clearPreview, setPreview } from "../model/preview";
import { snapped } from "../model/snapping";
import { zoneAt } from "../model/zones";
import { CLICK_PIXELS, type Gesture, type Point, sampleAt } from "./gesture";
import { tracksBetween } from "./range-gestures";

/** How much closer a click with the zoom tool comes. */
const CLICK_ZOOM = 2;

/** Frames what is dragged over: the span fills the view. A click comes closer, with Alt goes farther. */
export function zoomFrame(doc: Document, pressed: Point): Gesture {
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
      setView({ playhead: snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0 }).position });
    },
  };
}
