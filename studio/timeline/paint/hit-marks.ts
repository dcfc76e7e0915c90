import type { Clip } from "@wet-thread/core/model/schema";
import { settings } from "@/state/settings";
import { CLOTH_TOP, type LaneBox, RAIL } from "../model/geometry";
import { FOOT, shownHits } from "../model/hit-marks";
import { type OverlayScene, px } from "../model/overlay-scene";
import { faded, mix } from "../model/theme";

/** The hits of a lane's clips, each as high as it is strong; on selected clips with a foot to take hold of. */
export function paintHits(g: CanvasRenderingContext2D, { doc, view, palette }: OverlayScene, box: LaneBox, clips: readonly Clip[]): void {
  if (!settings().showHits) return;
  const bottom = box.top + box.height - view.scrollY - RAIL - 1;
  const most = box.height - CLOTH_TOP - RAIL - FOOT - 4;
  for (const clip of clips) {
    const chosen = view.clipIds.has(clip.id);
    const ink = mix(palette.ink, palette.dyes.walnut, 0.5);
    g.strokeStyle = g.fillStyle = chosen ? ink : faded(ink, 0.6);
    g.lineWidth = chosen ? 1.5 : 1;
    g.beginPath();
    for (const { at, strength } of shownHits(doc, clip, view)) {
      const x = Math.round(px(view, at)) + 0.5;
      g.moveTo(x, bottom);
      g.lineTo(x, bottom - FOOT - strength * most * 0.7);
      if (chosen) g.rect(x - 2, bottom - FOOT + 1, 4, FOOT - 2);
    }
    g.stroke();
    if (chosen) g.fill();
  }
}
