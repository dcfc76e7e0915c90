import { bundleFrames } from "../model/bundle-frames";
import { CLOTH_TOP, laneBoxes, RAIL } from "../model/geometry";
import { type OverlayScene, px, WORDS } from "../model/overlay-scene";
import { laneSeams } from "../model/seam-classes";
import { faded } from "../model/theme";

/** Text on weld, which is light in both themes. */
const ON_WELD = "#1d2433";

/** Frames of bundles, one around each run of their clips: closed ones with their name, the open one with all else veiled. */
export function paintBundles(g: CanvasRenderingContext2D, { doc, view, palette }: OverlayScene): void {
  if (doc.bundles.size === 0) return;
  const boxes = new Map(laneBoxes(doc).map((b) => [b.trackId, b]));
  for (const { bundle, start, end, runs } of bundleFrames(doc).values()) {
    const open = bundle.id === view.openBundle;
    if (!open && bundle.parent !== view.openBundle && !(view.openBundle !== null && bundle.parent === null)) continue;
    if (px(view, end) < -2 || px(view, start) > view.width + 2) continue;
    const frames = runs
      .map((run) => ({ run, box: boxes.get(run.trackId) }))
      .filter((r) => r.box !== undefined)
      .map(({ run, box }) => {
        const x0 = Math.max(-8, px(view, run.start) - 1.5);
        const y0 = (box?.top ?? 0) - view.scrollY + 2.5;
        return { x: x0, y: y0, wide: Math.min(view.width + 8, px(view, run.end) + 1.5) - x0, high: (box?.height ?? 0) - RAIL - 1 };
      })
      .filter((f) => f.wide > 0)
      .sort((a, b) => a.y - b.y || a.x - b.x);
    if (frames.length === 0) continue;
    if (open) {
      g.fillStyle = faded(palette.ground, 0.66);
      g.beginPath();
      g.rect(0, 0, view.width, view.height);
      for (const f of frames) g.rect(f.x, f.y, f.wide, f.high);
      g.fill("evenodd");
    }
    const color = open ? palette.dyes.weld : palette.ink;
    g.strokeStyle = g.fillStyle = color;
    g.lineWidth = open ? 2 : 1.25;
    for (const f of frames) {
      g.beginPath();
      g.roundRect(f.x, f.y, f.wide, f.high, 5);
      g.stroke();
      // Two stitches at each end tell a bundle from a selected clip.
      if (f.wide > 20) for (const x of [f.x + 4, f.x + f.wide - 7]) for (const y of [f.y + 22, f.y + 29]) g.fillRect(x, y, 3, 4);
    }
    const label = frames.reduce((a, b) => (b.wide > a.wide ? b : a));
    if (label.wide < 50) continue;
    g.font = `600 11px ${WORDS}`;
    const text = `${bundle.name || "Bundle"}${bundle.pattern !== null ? " · linked" : ""}`;
    const left = Math.max(label.x + 4, 4);
    const wide = Math.min(g.measureText(text).width + 14, label.x + label.wide - left - 4);
    const y = label.y + label.high - 18;
    g.beginPath();
    g.roundRect(left, y, wide, 16, 4);
    g.fill();
    g.save();
    g.beginPath();
    g.rect(left, y, wide - 4, 16);
    g.clip();
    g.fillStyle = open ? ON_WELD : palette.raised;
    g.textBaseline = "middle";
    g.fillText(text, left + 7, y + 8.5);
    g.restore();
  }
}

/** The line at which a clip goes into its track's sequence. */
export function paintJoint(g: CanvasRenderingContext2D, { doc, view, palette, preview }: OverlayScene): void {
  const { joint } = preview;
  const box = joint && laneBoxes(doc).find((b) => b.trackId === joint.trackId);
  if (!box) return;
  const x = px(view, joint.position);
  const [y0, y1] = [box.top - view.scrollY + 1, box.top + box.height - view.scrollY - 2];
  g.strokeStyle = palette.dyes.weld;
  g.fillStyle = palette.dyes.weld;
  g.lineWidth = 3;
  g.beginPath();
  g.moveTo(x, y0);
  g.lineTo(x, y1);
  g.stroke();
  for (const [y, d] of [
    [y0, 1],
    [y1, -1],
  ]) {
    g.beginPath();
    g.moveTo(x - 6, y);
    g.lineTo(x + 6, y);
    g.lineTo(x, y + 7 * d);
    g.fill();
  }
}

/** Cuts that would be made, over the cloth of their tracks. */
export function paintCuts(g: CanvasRenderingContext2D, { doc, view, palette, preview }: OverlayScene): void {
  if (preview.cuts.length === 0) return;
  const boxes = new Map(laneBoxes(doc).map((b) => [b.trackId, b]));
  g.strokeStyle = palette.dyes.madder;
  g.lineWidth = 1.25;
  g.setLineDash([4, 3]);
  g.beginPath();
  for (const { trackId, position } of preview.cuts) {
    const box = boxes.get(trackId);
    const x = px(view, position);
    if (!box || x < -1 || x > view.width + 1) continue;
    g.moveTo(x, box.top - view.scrollY + CLOTH_TOP);
    g.lineTo(x, box.top - view.scrollY + box.height - RAIL - 1);
  }
  g.stroke();
  g.setLineDash([]);
}

/** A glow around the chosen seam's mark, the one that was just made and the one under the pointer, where they are in view; the marks themselves are part of the raster. */
export function paintGlow(g: CanvasRenderingContext2D, { doc, view, palette, preview }: OverlayScene): void {
  const made = view.seamMade && view.seamMade.playhead === view.playhead && view.seamId === null ? view.seamMade.id : null;
  const ids = new Set([view.seamId, preview.zone?.seamId, made].filter((id) => id));
  if (ids.size === 0) return;
  for (const box of laneBoxes(doc)) {
    const bottom = box.top + box.height - view.scrollY;
    if (bottom < 0 || bottom - box.height > view.height) continue;
    for (const seam of laneSeams(doc, box.trackId)) {
      if (!ids.has(seam.id)) continue;
      g.beginPath();
      g.arc(px(view, seam.position), bottom - RAIL / 2 - 1, 7.5, 0, 2 * Math.PI);
      g.fillStyle = faded(palette.dyes.weld, view.seamId === seam.id ? 0.45 : 0.25);
      g.fill();
    }
  }
}

/** What would be taken out of clips: washed out, with a line where each cut would be. */
export function paintCleared(g: CanvasRenderingContext2D, { doc, view, palette, preview }: OverlayScene): void {
  if (preview.cleared.length === 0) return;
  const boxes = new Map(laneBoxes(doc).map((b) => [b.trackId, b]));
  g.fillStyle = faded(palette.ground, 0.82);
  g.strokeStyle = palette.dyes.madder;
  g.lineWidth = 1;
  g.beginPath();
  for (const { trackId, from, to } of preview.cleared) {
    const box = boxes.get(trackId);
    const [x0, x1] = [Math.max(-2, px(view, from)), Math.min(view.width + 2, px(view, to))];
    if (!box || x1 <= x0) continue;
    const top = box.top - view.scrollY + CLOTH_TOP;
    const bottom = box.top - view.scrollY + box.height - RAIL - 1;
    g.fillRect(x0, top, x1 - x0, bottom - top);
    for (const x of [x0, x1]) {
      g.moveTo(Math.round(x) + 0.5, top);
      g.lineTo(Math.round(x) + 0.5, bottom);
    }
  }
  g.stroke();
}

/** The frame that picks clips. */
export function paintBand(g: CanvasRenderingContext2D, { palette, preview: { band } }: OverlayScene): void {
  if (!band) return;
  g.fillStyle = faded(palette.dyes.indigo, 0.1);
  g.strokeStyle = palette.dyes.indigo;
  g.lineWidth = 1;
  g.beginPath();
  g.rect(Math.min(band.x0, band.x1) + 0.5, Math.min(band.y0, band.y1) + 0.5, Math.abs(band.x1 - band.x0), Math.abs(band.y1 - band.y0));
  g.fill();
  g.stroke();
}

/** The selected time range, or the one that a gesture makes. */
export function paintRange(g: CanvasRenderingContext2D, { doc, view, palette, preview }: OverlayScene): void {
  const range = preview.range ?? view.range;
  if (!range) return;
  const tracks = new Set(range.trackIds);
  const x0 = px(view, range.start);
  const x1 = px(view, range.end);
  g.fillStyle = faded(palette.dyes.weld, 0.2);
  g.strokeStyle = palette.dyes.weld;
  g.lineWidth = 1.5;
  let open: { top: number; bottom: number } | null = null;
  const flush = (): void => {
    if (!open) return;
    g.fillRect(x0, open.top, x1 - x0, open.bottom - open.top);
    g.setLineDash([5, 4]);
    g.strokeRect(x0, open.top + 1, x1 - x0, open.bottom - open.top - 2);
    g.setLineDash([]);
    open = null;
  };
  for (const box of laneBoxes(doc)) {
    const top = box.top - view.scrollY;
    if (!tracks.has(box.trackId)) flush();
    else if (open) open.bottom = top + box.height;
    else open = { top, bottom: top + box.height };
  }
  flush();
}
