import { clipEnvelopeFactor } from "@wet-thread/core/dsp/envelope";
import { blendAfter } from "@wet-thread/core/model/document";
import { playedId, playedSource } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd, gainFactor } from "@wet-thread/core/model/schema";
import { pageReader } from "@/state/media/media";
import { magnifyOf } from "@/state/view/view";
import { drawnGain } from "../model/drawn-gain";
import { type OverlayScene, px } from "../model/overlay-scene";
import { faded } from "../model/theme";
import { waveInset } from "./cloth";

/** Samples are drawn from this zoom on, in samples a pixel. */
export const SAMPLES_FROM = 0.5;

let near = new Float32Array(1024);
/** Zero crossings are marked from this zoom on, in samples a pixel. */
const CROSSINGS_FROM = 0.2;
/** Samples on each side that the drawn curve is rebuilt from. */
const LOBES = 12;

/** Samples as dots on the curve that they stand for (Lanczos-windowed sinc), with the zero line. */
export function paintSamples(
  g: CanvasRenderingContext2D,
  { doc, view, palette }: OverlayScene,
  clip: Clip,
  color: string,
  y0: number,
  y1: number,
): void {
  const source = playedSource(doc.sources, clip);
  if (!source) return;
  const from = Math.max(clip.start, Math.floor(view.start) - 1);
  const to = Math.min(clipEnd(clip), Math.ceil(view.start + view.width * view.samplesPerPixel) + 2);
  if (to <= from) return;
  const first = Math.max(0, clip.offset + from - clip.start - LOBES);
  const count = Math.min(source.length, clip.offset + to - clip.start + LOBES) - first;
  if (near.length < count) near = new Float32Array(2 * count);
  const parts = Math.min(2, source.channels);
  const factor = gainFactor(clip.gain) * magnifyOf(view, clip.trackId);
  const follower = clip.fadeOut.length > 0 ? blendAfter(doc, clip) : undefined;
  for (let c = 0; c < parts; c++) {
    if (!pageReader.read(playedId(clip), c, first, near, 0, count)) return;
    const top = y0 + waveInset(y1 - y0);
    const half = (y1 - top) / parts / 2 - 2;
    const middle = top + ((y1 - top) * (c + 0.5)) / parts;
    const at = (t: number): number => {
      const s = clip.offset + t - clip.start - first;
      const k0 = Math.floor(s);
      if (k0 === s) return near[k0] ?? 0;
      let sum = 0;
      for (let k = Math.max(0, k0 - LOBES + 1); k <= Math.min(count - 1, k0 + LOBES); k++) {
        const d = Math.PI * (s - k);
        sum += near[k] * (Math.sin(d) / d) * (Math.sin(d / LOBES) / (d / LOBES));
      }
      return sum;
    };
    const drawn = (t: number): number =>
      clipEnvelopeFactor(clip, doc.sources.get(clip.sourceId)?.length ?? 0, Math.round(clip.offset + t - clip.start));
    const gain = (t: number): number => factor * drawn(t) * drawnGain(clip, follower, Math.min(clipEnd(clip) - 1, Math.max(clip.start, t)));
    const y = (t: number): number => middle - Math.max(-1, Math.min(1, at(t) * gain(t))) * half;
    g.strokeStyle = faded(color, 0.35);
    g.lineWidth = 1;
    g.beginPath();
    g.moveTo(px(view, from), middle);
    g.lineTo(px(view, to), middle);
    g.stroke();
    g.strokeStyle = color;
    g.lineWidth = 1.5;
    g.beginPath();
    const [a, b] = [Math.max(0, px(view, from)), Math.min(view.width, px(view, to - 1))];
    for (let x = a; x <= b; x += 1) g.lineTo(x, y(view.start + x * view.samplesPerPixel));
    g.stroke();
    if (view.samplesPerPixel <= CROSSINGS_FROM) {
      // Upward zero crossings: what splits and trims may settle on.
      g.strokeStyle = palette.dyes.fern;
      g.lineWidth = 1.5;
      g.beginPath();
      for (let t = from + 1; t < to; t++) {
        if (!(at(t - 1) < 0 && at(t) >= 0)) continue;
        g.moveTo(px(view, t), middle - 5);
        g.lineTo(px(view, t), middle + 5);
      }
      g.stroke();
    }
    g.fillStyle = color;
    for (let t = from; t < to; t++) {
      g.beginPath();
      g.arc(px(view, t), y(t), view.samplesPerPixel < 0.15 ? 3 : 2, 0, 2 * Math.PI);
      g.fill();
    }
  }
}
