import type { Document } from "@wet-thread/core/model/document";
import { session } from "@/state/sync/session";
import { preview } from "../model/preview";

/** The document as it is to be drawn: with what a gesture would make of it. */
export const shown = (): Document => preview().doc ?? session().doc;

/** Sizes a canvas for the screen's own pixels and returns its context, scaled to CSS pixels unless `raw`. */
export function fit(canvas: HTMLCanvasElement, width: number, height: number, raw = false): CanvasRenderingContext2D {
  const scale = window.devicePixelRatio || 1;
  const [w, h] = [Math.round(width * scale), Math.round(height * scale)];
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
  }
  const g = canvas.getContext("2d", { willReadFrequently: raw }) as CanvasRenderingContext2D;
  if (!raw) g.setTransform(scale, 0, 0, scale, 0, 0);
  return g;
}
