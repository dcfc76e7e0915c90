import { type Clip, clipEnd, type Hit } from "@wet-thread/core/model/schema";
import type { View } from "@/state/view/view";
import { FOOT, footed, hidingClips, shownHits } from "../model/hit-marks";
import { type OverlayScene, px } from "../model/overlay-scene";
import { faded, mix, type Palette } from "../model/theme";

/** How much of a clip's height the strongest hit takes. */
const HIGHEST = 0.7;

export const hitInk = (palette: Palette): string => mix(palette.ink, palette.dyes.walnut, 0.5);

/** Lines for hits, each as high as it is strong, from the lower edge `y1` of a clip up. */
export function paintHitLines(
  g: CanvasRenderingContext2D,
  view: Pick<View, "start" | "samplesPerPixel">,
  hits: readonly Hit[],
  y0: number,
  y1: number,
): void {
  g.lineWidth = 1;
  g.beginPath();
  for (const { at, strength } of hits) {
    const x = Math.round(px(view, at)) + 0.5;
    g.moveTo(x, y1);
    g.lineTo(x, y1 - FOOT - strength * (y1 - y0 - FOOT) * HIGHEST);
  }
  g.stroke();
}

/** The hits of a clip; on a selected clip with a foot to take hold of. `y0` and `y1`: its upper and lower edge. */
export function paintHits(g: CanvasRenderingContext2D, { doc, view, palette }: OverlayScene, clip: Clip, y0: number, y1: number): void {
  const chosen = view.clipIds.has(clip.id);
  const ink = hitInk(palette);
  g.strokeStyle = g.fillStyle = chosen ? ink : faded(ink, 0.6);
  const over = view.fanned ? [] : hidingClips(doc, clip);
  const hits = shownHits(doc, clip, view).filter(({ at }) => !over.some((c) => at >= c.start && at < clipEnd(c)));
  paintHitLines(g, view, hits, y0, y1);
  if (chosen) for (const { at } of footed(hits, view.samplesPerPixel)) g.fillRect(Math.round(px(view, at)) - 2, y1 - FOOT, 5, FOOT);
}
