import type { SeamClass } from "@wet-thread/core/seam/seams";
import { type LaneBox, RAIL } from "./geometry";
import { type OverlayScene, px } from "./overlay-scene";
import { laneSeams, seamClass } from "./seam-classes";
import { faded } from "./theme";

/** Marks nearer than this, in pixels, become one: the worst of them, so that a raw seam is never hidden by a smooth one. */
const APART = 4;
const WORST: Readonly<Record<SeamClass, number>> = { raw: 3, blended: 2, smooth: 1, unbroken: 0 };
/** Where the marks of each class stand; used again for each lane. */
const places: Record<SeamClass, number[]> = { raw: [], smooth: [], blended: [], unbroken: [] };

/** The marks of a lane's seams that are in view, all of one class in one stroke. */
export function paintRail(
  g: CanvasRenderingContext2D,
  { doc, view, palette, preview }: OverlayScene,
  box: LaneBox,
  top: number,
  from: number,
  to: number,
): void {
  const seams = laneSeams(doc, box.trackId);
  const y = top + box.height - RAIL / 2 - 1;
  let low = 0;
  let high = seams.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (seams[middle].position < from) low = middle + 1;
    else high = middle;
  }
  for (const list of Object.values(places)) list.length = 0;
  let last: { x: number; kind: SeamClass } | null = null;
  const keep = (): void => {
    if (last) places[last.kind].push(last.x);
  };
  for (let i = low; i < seams.length && seams[i].position <= to; i++) {
    const seam = seams[i];
    const x = px(view, seam.position);
    const chosen = view.seamId === seam.id;
    if (chosen || preview.zone?.seamId === seam.id) {
      g.beginPath();
      g.arc(x, y, 7.5, 0, 2 * Math.PI);
      g.fillStyle = faded(palette.dyes.weld, chosen ? 0.45 : 0.25);
      g.fill();
    }
    const kind = seamClass(doc, seam);
    if (last && x - last.x < APART) {
      if (WORST[kind] > WORST[last.kind]) last = { x: last.x, kind };
      continue;
    }
    keep();
    last = { x, kind };
  }
  keep();
  paintMarks(g, y, palette);
}

function paintMarks(g: CanvasRenderingContext2D, y: number, palette: OverlayScene["palette"]): void {
  if (places.unbroken.length) {
    g.beginPath();
    for (const x of places.unbroken) {
      g.moveTo(x, y - 5);
      g.lineTo(x, y + 5);
    }
    g.strokeStyle = palette.ink3;
    g.lineWidth = 1;
    g.stroke();
  }
  if (places.smooth.length) {
    g.fillStyle = palette.ink2;
    // Many dots are squares: no eye can tell at that distance, and no curve has to be drawn.
    if (places.smooth.length > 100) for (const x of places.smooth) g.fillRect(Math.round(x) - 1, Math.round(y) - 1, 3, 3);
    else {
      g.beginPath();
      for (const x of places.smooth) {
        g.moveTo(x + 2.75, y);
        g.arc(x, y, 2.75, 0, 2 * Math.PI);
      }
      g.fill();
    }
  }
  if (places.blended.length) {
    g.beginPath();
    for (const x of places.blended)
      for (const d of [-1, 1]) {
        g.moveTo(x - 3.5, y - 3.5 * d);
        g.lineTo(x + 3.5, y + 3.5 * d);
      }
    g.strokeStyle = palette.ink;
    g.lineWidth = 1.5;
    g.stroke();
  }
  if (places.raw.length) {
    g.beginPath();
    for (const x of places.raw) {
      g.moveTo(x, y - 5);
      g.lineTo(x + 5, y);
      g.lineTo(x, y + 5);
      g.lineTo(x - 5, y);
      g.closePath();
    }
    g.fillStyle = palette.raised;
    g.fill();
    g.strokeStyle = palette.dyes.madder;
    g.lineWidth = 1.5;
    g.stroke();
  }
}
