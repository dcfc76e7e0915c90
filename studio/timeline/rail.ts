import { type LaneBox, RAIL } from "./geometry";
import { type OverlayScene, px } from "./overlay-scene";
import { findSeam } from "./seam-classes";
import { faded } from "./theme";

/** A glow around the chosen seam's mark and the one under the pointer; the marks themselves are part of the raster. */
export function paintGlow(g: CanvasRenderingContext2D, { doc, view, palette, preview }: OverlayScene, boxes: readonly LaneBox[]): void {
  for (const id of new Set([view.seamId, preview.zone?.seamId ?? null])) {
    const seam = findSeam(doc, id);
    const box = seam && boxes.find((b) => b.trackId === seam.trackId);
    if (!seam || !box) continue;
    g.beginPath();
    g.arc(px(view, seam.position), box.top - view.scrollY + box.height - RAIL / 2 - 1, 7.5, 0, 2 * Math.PI);
    g.fillStyle = faded(palette.dyes.weld, view.seamId === id ? 0.45 : 0.25);
    g.fill();
  }
}
