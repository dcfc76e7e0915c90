import type { Clip } from "@wet-thread/core/model/schema";
import { settings } from "@/state/settings";
import { CLOTH_TOP, type LaneBox, RAIL } from "../model/geometry";
import { FOOT, footed, shownHits } from "../model/hit-marks";
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
    g.lineWidth = 1;
    g.beginPath();
    const hits = shownHits(doc, clip, view);
    for (const { at, strength } of hits) {
      const x = Math.round(px(view, at)) + 0.5;
      g.moveTo(x, bottom);
      g.lineTo(x, bottom - FOOT - strength * most * 0.7);
    }
    g.stroke();
    if (chosen) for (const { at } of footed(hits, view.samplesPerPixel)) g.fillRect(Math.round(px(view, at)) - 2, bottom - FOOT, 5, FOOT);
  }
}
