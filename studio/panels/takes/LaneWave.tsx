"use client";
import { madeLength, makingOf, ofPlayedId, playedId } from "@wet-thread/core/model/recipe/played-recording";
import type { TakeClip, TakeLane } from "@wet-thread/core/model/schema";
import { useEffect, useRef } from "react";
import { useSettings } from "@/state/kept/settings";
import { drawnFromMedia } from "@/state/media/media";
import { session } from "@/state/sync/session";
import { shownHits } from "@/timeline/model/hit-marks";
import { faded, mix, PALETTES } from "@/timeline/model/theme";
import { hitInk, paintHitLines } from "@/timeline/paint/hit-marks";
import { type Columns, fillColumns, newColumns } from "@/timeline/paint/wave";

/** What is seen of the timeline: its first sample, and samples a pixel. */
export interface Window {
  readonly start: number;
  readonly per: number;
  readonly width: number;
}

/** A lane's sound over the timeline's own scale; what is picked of it is drawn strong. */
export function LaneWave({
  lane,
  start,
  picked,
  seen,
  height,
  dye,
}: {
  lane: TakeLane;
  /** Where the stack starts. */
  start: number;
  picked: readonly (readonly [number, number])[];
  seen: Window;
  height: number;
  dye: keyof (typeof PALETTES)["day"]["dyes"];
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useSettings((s) => s.theme);
  const showHits = useSettings((s) => s.showHits);
  useEffect(() => {
    const columns = newColumns(Math.ceil(seen.width));
    const draw = (): void => {
      const c = canvas.current;
      const g = c?.getContext("2d");
      if (!c || !g || seen.width < 1) return;
      const scale = window.devicePixelRatio || 1;
      const [w, h] = [Math.round(seen.width * scale), Math.round(height * scale)];
      if (c.width !== w || c.height !== h) [c.width, c.height] = [w, h];
      g.setTransform(scale, 0, 0, scale, 0, 0);
      g.clearRect(0, 0, seen.width, height);
      const palette = PALETTES[theme];
      const inks = {
        picked: palette.dyes[dye],
        left: mix(palette.raised, palette.dyes[dye], 0.45),
        cloth: mix(palette.raised, palette.dyes[dye], palette.cloth),
      };
      for (const clip of lane.clips) paintClip(g, clip, start, seen, height, columns, picked, inks);
      if (!showHits) return;
      const view = { start: seen.start, width: seen.width, samplesPerPixel: seen.per };
      const hits = lane.clips.flatMap((clip) => shownHits(session().doc, { ...clip, start: start + clip.at }, view));
      g.strokeStyle = faded(hitInk(palette), 0.6);
      paintHitLines(g, view, hits, 1, height - 1);
    };
    return drawnFromMedia(draw);
  }, [lane, start, picked, seen, height, dye, theme, showHits]);
  return <canvas ref={canvas} className="block h-full w-full" aria-hidden />;
}

function paintClip(
  g: CanvasRenderingContext2D,
  clip: TakeClip,
  stackStart: number,
  { start, per, width }: Window,
  height: number,
  columns: Columns,
  picked: readonly (readonly [number, number])[],
  inks: { readonly picked: string; readonly left: string; readonly cloth: string },
): void {
  const from = stackStart + clip.at;
  const [left, right] = [(from - start) / per, (from + clip.length - start) / per];
  const [x0, x1] = [Math.max(0, Math.floor(left)), Math.min(Math.ceil(width), Math.ceil(right))];
  if (x1 <= x0) return;
  g.fillStyle = inks.cloth;
  g.fillRect(Math.max(0, left), 1, Math.min(width, right) - Math.max(0, left), height - 2);
  const source = session().doc.sources.get(clip.sourceId);
  if (!source) return;
  const id = playedId(clip);
  const making = makingOf(clip.recipe);
  const length = making && ofPlayedId(id).forwards !== clip.sourceId ? madeLength(source.length, making) : source.length;
  const n = x1 - x0;
  columns.min.fill(Number.NaN, 0, n);
  fillColumns(columns, id, source.channels, clip.channels?.[0] ?? 0, length, clip.offset + (start + x0 * per - from), per, n);
  const middle = height / 2;
  let on: boolean | null = null;
  for (let i = 0; i < n; i++) {
    if (Number.isNaN(columns.min[i])) continue;
    const x = x0 + i;
    const [up, down] = [middle - Math.min(1, columns.max[i]) * middle, middle - Math.max(-1, columns.min[i]) * middle];
    const at = start + x * per;
    const now = picked.some(([a, b]) => at >= a && at < b);
    if (now !== on) g.fillStyle = now ? inks.picked : inks.left;
    on = now;
    g.fillRect(x, up, 1, Math.max(1, down - up));
  }
}
