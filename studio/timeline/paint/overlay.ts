import { blendAfter, type Document } from "@wet-thread/core/model/document";
import type { Lane } from "@wet-thread/core/model/index/lane";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { settings } from "@/state/kept/settings";
import type { View } from "@/state/view/view";
import { drawnGain, SMOOTH_CURVE } from "../model/drawn-gain";
import { CLOTH_TOP, type LaneBox, laneBoxes, lanesHeight, NAME_STRIP, RAIL } from "../model/geometry";
import { bandOf } from "../model/layers";
import { NUMBERS, type OverlayScene, px, WORDS } from "../model/overlay-scene";
import type { Preview } from "../model/preview";
import { faded, mix } from "../model/theme";
import { GAIN_FROM, GAIN_Y, gainHandleX } from "../model/zones";
import { forgetFont, NAMED_FROM, paintName } from "./clip-names";
import { paintLines } from "./envelopes";
import { paintHits } from "./hit-marks";
import { paintBand, paintBundles, paintCleared, paintCuts, paintGlow, paintJoint, paintRange } from "./overlay-marks";
import { paintSamples, SAMPLES_FROM } from "./sample-points";
import { paintWarps } from "./warp-points";

/** Draws what lies on the cloth: curves, names, handles, samples, seams, the range, and what a gesture shows. */
export function paintOverlay(g: CanvasRenderingContext2D, scene: OverlayScene): void {
  const { doc, view, preview } = scene;
  const from = Math.floor(view.start);
  const to = Math.ceil(view.start + view.width * view.samplesPerPixel) + 1;
  forgetFont();
  for (const box of laneBoxes(doc)) {
    const top = box.top - view.scrollY;
    if (top + box.height < 0 || top > view.height) continue;
    const lane = doc.lanes.get(box.trackId);
    if (!lane || !mayHaveMarks(scene, lane)) continue;
    const clips = lane.within(from, to);
    const ordered = clips.some((c) => c.layer > 0) ? [...clips].sort((a, b) => a.layer - b.layer) : clips;
    for (const clip of ordered) if (hasMarks(scene, clip)) paintClip(g, scene, box, clip, top);
    if (!view.fanned) paintBeneath(g, scene, clips, top, box);
    paintLines(g, scene, box, clips);
    paintWarps(g, scene, box, clips);
  }
  paintGlow(g, scene);
  paintEcho(g, scene);
  paintDropArea(g, scene);
  paintBundles(g, scene);
  paintRange(g, scene);
  paintJoint(g, scene);
  paintCleared(g, scene);
  paintCuts(g, scene);
  paintBand(g, scene);
  if (preview.lit) {
    g.strokeStyle = scene.palette.dyes.weld;
    g.lineWidth = 1.5;
    const x = px(view, preview.lit.position);
    g.beginPath();
    g.moveTo(x, 0);
    g.lineTo(x, view.height);
    g.stroke();
  }
  if (preview.flag) paintFlag(g, scene, preview.flag);
}

/** The neighbours that a command has just moved or cut. */
function paintEcho(g: CanvasRenderingContext2D, { doc, view, preview, palette }: OverlayScene): void {
  if (preview.echo.size === 0) return;
  g.strokeStyle = palette.dyes.weld;
  g.fillStyle = faded(palette.dyes.weld, 0.16);
  g.lineWidth = 2;
  for (const box of laneBoxes(doc)) {
    const top = box.top - view.scrollY + CLOTH_TOP;
    for (const clip of doc.lanes.get(box.trackId)?.clips ?? []) {
      if (!preview.echo.has(clip.id)) continue;
      g.beginPath();
      g.rect(px(view, clip.start), top, clip.length / view.samplesPerPixel, box.height - CLOTH_TOP - RAIL - 1);
      g.fill();
      g.stroke();
    }
  }
}

/** Says in the free space below the lanes what it is for. */
function paintDropArea(g: CanvasRenderingContext2D, { doc, view, palette }: OverlayScene): void {
  const y = lanesHeight(doc) - view.scrollY;
  if (view.height - y < 30) return;
  g.font = `400 13px ${WORDS}`;
  g.textBaseline = "middle";
  g.fillStyle = palette.ink3;
  g.fillText("Drop a recording here to start a track", 16, y + 25);
}

interface Extent {
  readonly length: number;
  readonly fade: number;
  readonly layered: boolean;
}
const extents = new WeakMap<Lane, Extent>();
/** The longest clip of a lane and its widest fade, in samples, and whether clips lie on each other. */
function extentOf(lane: Lane): Extent {
  let known = extents.get(lane);
  if (!known) {
    let [length, fade, layered] = [0, 0, false];
    for (const c of lane.clips) {
      length = Math.max(length, c.length);
      fade = Math.max(fade, c.fadeIn.length, c.fadeOut.length);
      layered ||= c.layer > 0;
    }
    known = { length, fade, layered };
    extents.set(lane, known);
  }
  return known;
}

/** Whether there may be anything to draw on the clips of a lane: where all are tiny and none is chosen they need not be looked at. */
function mayHaveMarks({ view, preview }: OverlayScene, lane: Lane): boolean {
  if (view.tool === "draw" || view.tool === "stretch" || settings().showHits) return true;
  const { length, fade, layered } = extentOf(lane);
  const { samplesPerPixel } = view;
  return (
    layered ||
    view.clipIds.size > 0 ||
    preview.zone?.clipId !== undefined ||
    samplesPerPixel <= SAMPLES_FROM ||
    length >= NAMED_FROM * samplesPerPixel ||
    fade >= SMOOTH_CURVE * samplesPerPixel
  );
}

/** Whether there is anything to draw on a clip: of thousands that are each a few pixels wide there is not. */
function hasMarks({ view, preview }: OverlayScene, clip: Clip): boolean {
  return (
    settings().showHits ||
    view.samplesPerPixel <= SAMPLES_FROM ||
    clip.length >= NAMED_FROM * view.samplesPerPixel ||
    view.clipIds.has(clip.id) ||
    preview.zone?.clipId === clip.id ||
    hasSmoothCurve(clip, view)
  );
}

function paintClip(g: CanvasRenderingContext2D, scene: OverlayScene, box: LaneBox, clip: Clip, top: number): void {
  const { doc, view, palette, preview } = scene;
  const x0 = px(view, clip.start);
  const x1 = px(view, clipEnd(clip));
  const lane = doc.lanes.get(box.trackId);
  const full = [top + CLOTH_TOP, top + box.height - RAIL - 1] as const;
  const [y0, y1] = lane ? bandOf(lane, clip, view.fanned, ...full) : full;
  const dye = palette.dyes[clip.color ?? box.track.color];
  const selected = view.clipIds.has(clip.id);
  const washed = clip.mute || scene.mutedTracks.has(box.trackId);
  const strong = washed ? mix(palette.ground, dye, 0.5) : dye;
  if (view.samplesPerPixel <= SAMPLES_FROM) paintSamples(g, scene, clip, strong, y0, y1);
  const hovered = preview.zone?.clipId === clip.id ? preview.zone.kind : null;
  if (selected || hovered || hasSmoothCurve(clip, view)) {
    outline(g, doc, view, clip, x0, x1, y0, y1);
    g.strokeStyle = selected ? palette.ink : strong;
    g.lineWidth = selected ? 2 : 1;
    g.stroke();
  }
  if (settings().showHits) paintHits(g, scene, clip, y0, y1);
  if (view.fade?.clipId === clip.id) paintChosenFade(g, scene, clip, view.fade.edge, y0, y1);
  paintName(g, scene, clip, dye, washed, x0, x1, y0, y1);
  if (selected || hovered) paintHandles(g, scene, clip, x0, x1, y0, y1, hovered, selected);
}

/** The fade that is chosen: what it takes away is tinted, and its curve stands out. */
function paintChosenFade(g: CanvasRenderingContext2D, { view, palette }: OverlayScene, clip: Clip, edge: "in" | "out", y0: number, y1: number): void {
  const length = edge === "in" ? clip.fadeIn.length : clip.fadeOut.length;
  const from = edge === "in" ? clip.start : clipEnd(clip) - length;
  const [a, b] = [px(view, from), px(view, from + length)];
  if (b < 0 || a > view.width) return;
  const steps = Math.max(2, Math.min(96, Math.round(b - a)));
  const gain = (k: number): number => drawnGain(clip, undefined, Math.min(from + length - 0.5, from + (length * k) / steps));
  g.beginPath();
  for (let k = 0; k <= steps; k++) g.lineTo(a + ((b - a) * k) / steps, y0 + (1 - Math.min(1, gain(k))) * (y1 - y0));
  g.strokeStyle = palette.dyes.weld;
  g.lineWidth = 3;
  g.stroke();
  g.lineTo(b, y0);
  g.lineTo(a, y0);
  g.closePath();
  g.fillStyle = faded(palette.dyes.weld, 0.28);
  g.fill();
}

/** Whether a fade is wide enough that its curve is drawn here; the raster below draws all other edges. */
const hasSmoothCurve = (clip: Clip, view: View): boolean => Math.max(clip.fadeIn.length, clip.fadeOut.length) >= SMOOTH_CURVE * view.samplesPerPixel;

/** Path of the strip: along the gain curve at the top, straight elsewhere. */
function outline(g: CanvasRenderingContext2D, doc: Document, view: View, clip: Clip, x0: number, x1: number, y0: number, y1: number): void {
  const follower = clip.fadeOut.length > 0 ? blendAfter(doc, clip) : undefined;
  const height = y1 - y0;
  const curve = (from: number, to: number, rising: boolean): void => {
    const [a, b] = [px(view, from), px(view, to)];
    const steps = Math.max(1, Math.min(64, Math.round(b - a)));
    for (let k = 0; k <= steps; k++) {
      const at = from + ((to - from) * k) / steps;
      const gain = drawnGain(clip, follower, Math.min(to - 0.5, Math.max(from + 0.5, at)));
      const limited = Math.max(-20, Math.min(view.width + 20, px(view, at)));
      g.lineTo(limited, y0 + (1 - (k === 0 && rising ? 0 : k === steps && !rising ? 0 : Math.min(1, gain))) * height);
    }
  };
  const left = Math.max(-20, x0);
  const right = Math.min(view.width + 20, x1);
  g.beginPath();
  g.moveTo(left, y1 - 0.5);
  if (clip.fadeIn.length > 0 && px(view, clip.start + clip.fadeIn.length) > -20) curve(clip.start, clip.start + clip.fadeIn.length, true);
  else g.lineTo(left, y0);
  if (clip.fadeOut.length > 0 && px(view, clipEnd(clip) - clip.fadeOut.length) < view.width + 20)
    curve(clipEnd(clip) - clip.fadeOut.length, clipEnd(clip), false);
  else g.lineTo(right, y0);
  g.lineTo(right, y1 - 0.5);
  g.closePath();
}

function paintHandles(
  g: CanvasRenderingContext2D,
  { view, palette }: OverlayScene,
  clip: Clip,
  x0: number,
  x1: number,
  y0: number,
  y1: number,
  hovered: string | null,
  selected: boolean,
): void {
  const handle = (x: number, on: boolean): void => {
    if (x < -6 || x > view.width + 6) return;
    g.beginPath();
    g.arc(x, y0, on ? 5 : 4, 0, 2 * Math.PI);
    g.fillStyle = on ? palette.dyes.weld : palette.raised;
    g.fill();
    g.strokeStyle = palette.ink;
    g.lineWidth = 1.5;
    g.stroke();
  };
  if (selected || hovered === "fadeIn" || hovered === "fadeOut") {
    handle(px(view, clip.start + clip.fadeIn.length), hovered === "fadeIn");
    handle(px(view, clipEnd(clip) - clip.fadeOut.length), hovered === "fadeOut");
  }
  if (selected && x1 - x0 >= GAIN_FROM && view.tool === "pointer") {
    // The clip's gain: a bar to take hold of.
    const x = gainHandleX(x0, x1, view.width);
    g.beginPath();
    g.roundRect(x - 9, y0 + GAIN_Y - 3, 18, 6, 3);
    g.fillStyle = hovered === "gain" ? palette.dyes.weld : palette.raised;
    g.fill();
    g.strokeStyle = palette.ink;
    g.lineWidth = 1.2;
    g.stroke();
  }
  if (hovered === "start" || hovered === "end") {
    const x = hovered === "start" ? x0 : x1;
    g.fillStyle = faded(palette.dyes.weld, 0.9);
    g.fillRect(hovered === "start" ? x : x - 4, y0 + 12, 4, y1 - y0 - 12);
  }
  if (hovered === "name") {
    g.fillStyle = faded(palette.ink, 0.06);
    g.fillRect(x0, y0, x1 - x0, NAME_STRIP);
  }
}

/** Dashed edges of clips that lie under another one. */
function paintBeneath(g: CanvasRenderingContext2D, { view, palette }: OverlayScene, clips: readonly Clip[], top: number, box: LaneBox): void {
  if (!clips.some((c) => c.layer > 0)) return;
  g.setLineDash([3, 3]);
  g.strokeStyle = faded(palette.ink, 0.45);
  g.lineWidth = 1;
  for (const clip of clips) {
    for (const edge of [clip.start, clipEnd(clip)]) {
      if (!clips.some((c) => c.layer > clip.layer && c.start < edge && clipEnd(c) > edge)) continue;
      const x = Math.round(px(view, edge)) + 0.5;
      g.beginPath();
      g.moveTo(x, top + CLOTH_TOP + 2);
      g.lineTo(x, top + box.height - RAIL - 2);
      g.stroke();
    }
  }
  g.setLineDash([]);
}

function paintFlag(g: CanvasRenderingContext2D, { view, palette }: OverlayScene, { x, y, lines }: NonNullable<Preview["flag"]>): void {
  g.font = `600 12px ${NUMBERS}`;
  const wide = Math.max(...lines.map((l) => g.measureText(l).width)) + 20;
  const high = lines.length * 16 + 10;
  const left = Math.max(4, Math.min(view.width - wide - 4, x + 14));
  const top = y + 18 + high > view.height ? Math.max(4, y - high - 12) : y + 18;
  g.save();
  g.shadowColor = "rgba(0,0,0,0.25)";
  g.shadowBlur = 12;
  g.shadowOffsetY = 3;
  g.beginPath();
  g.roundRect(left, top, wide, high, 6);
  g.fillStyle = palette.ink;
  g.fill();
  g.restore();
  g.textBaseline = "middle";
  lines.forEach((line, i) => {
    g.font = `${i === 0 ? 700 : 500} 12px ${NUMBERS}`;
    g.fillStyle = i === 0 ? palette.raised : mix(palette.ink, palette.raised, 0.78);
    g.fillText(line, left + 10, top + 13 + i * 16);
  });
}
