import { session } from "@/state/sync/session";
import { view, zoomAt } from "@/state/view/view";
import { scrollTo } from "../model/geometry";
import type { Point } from "./gesture";
import { wheelHeights } from "./pinch";

/** Turns below this come from a pad under fingers, in many small steps. */
const PAD_STEP = 40;

/** The wheel over lanes and rulers: it scrolls, with Ctrl zooms in time, with Alt changes heights. */
export function turnWheel(e: WheelEvent, p: Point): void {
  e.preventDefault();
  const pad = Math.abs(e.deltaY) < PAD_STEP;
  if (e.altKey) return wheelHeights(Math.exp(-e.deltaY * (pad ? 0.012 : 0.002)), p.y);
  if (e.ctrlKey || e.metaKey) return zoomAt(p.x, Math.exp(e.deltaY * (pad ? 0.012 : 0.0025)));
  const turned = e.shiftKey && e.deltaX === 0;
  const { start, samplesPerPixel, scrollY } = view();
  scrollTo(session().doc, start + (turned ? e.deltaY : e.deltaX) * samplesPerPixel, scrollY + (turned ? 0 : e.deltaY));
}
