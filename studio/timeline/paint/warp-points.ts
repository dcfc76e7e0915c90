import { warpPointsOf } from "@wet-thread/core/model/recipe/warp-points";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { CLOTH_TOP, type LaneBox, RAIL } from "../model/geometry";
import { type OverlayScene, px } from "../model/overlay-scene";
import { faded, mix } from "../model/theme";

/** Closer together than this, in pixels, points are only thin lines. */
const APART = 9;

/** The warp points of a lane's clips: a line each, with a handle where there is room; strong with the stretch tool, else on selected clips. */
export function paintWarps(g: CanvasRenderingContext2D, { doc, view, palette }: OverlayScene, box: LaneBox, clips: readonly Clip[]): void {
  const stretching = view.tool === "stretch";
  for (const clip of clips) {
    if (!clip.recipe?.warp || !(stretching || view.clipIds.has(clip.id))) continue;
    const source = doc.sources.get(clip.sourceId);
    if (!source) continue;
    const [top, bottom] = [box.top - view.scrollY + CLOTH_TOP, box.top + box.height - view.scrollY - RAIL - 1];
    const ink = mix(palette.ink, palette.dyes.cochineal, 0.7);
    g.strokeStyle = stretching ? ink : faded(ink, 0.55);
    g.fillStyle = ink;
    g.lineWidth = 1;
    let before = Number.NEGATIVE_INFINITY;
    for (const { to } of warpPointsOf(source, clip)) {
      const at = clip.start + to;
      if (at < clip.start || at > clipEnd(clip)) continue;
      const x = px(view, at);
      if (x < -APART || x > view.width + APART) continue;
      g.beginPath();
      g.moveTo(Math.round(x) + 0.5, top);
      g.lineTo(Math.round(x) + 0.5, bottom);
      g.stroke();
      if (stretching && x - before >= APART) {
        g.beginPath();
        g.moveTo(x - 4, bottom);
        g.lineTo(x + 4.5, bottom);
        g.lineTo(x + 0.25, bottom - 7);
        g.fill();
        before = x;
      }
    }
  }
}
