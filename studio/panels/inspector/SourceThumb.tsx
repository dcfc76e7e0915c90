"use client";
import { useEffect, useRef } from "react";
import { sourcePreview, useSourcePreview } from "@/engine/source-preview";
import { useSettings } from "@/state/kept/settings";
import { drawnFromMedia } from "@/state/media/media";
import type { SourceRow } from "@/state/sync/api";
import { mix, PALETTES } from "@/timeline/model/theme";
import { fillColumns, newColumns } from "@/timeline/paint/wave";
import { dragToLanes } from "./drag-to-lanes";

const [WIDTH, HEIGHT] = [252, 34];

/** A recording's whole waveform. A click hears it from there; dragged to the lanes it is laid down. */
export function SourceThumb({ source, used }: { source: SourceRow; used: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const line = useRef<HTMLDivElement>(null);
  const theme = useSettings((s) => s.theme);
  const hearing = useSourcePreview((p) => p.sourceId === source.id && p.partId === null);

  useEffect(() => {
    const columns = newColumns(WIDTH * 2);
    const draw = (): void => {
      const c = canvas.current;
      const g = c?.getContext("2d");
      if (!c || !g) return;
      const scale = window.devicePixelRatio || 1;
      const [w, h] = [Math.round(WIDTH * scale), Math.round(HEIGHT * scale)];
      if (c.width !== w) [c.width, c.height] = [w, h];
      const palette = PALETTES[theme];
      const dye = used ? palette.dyes.woad : palette.ink3;
      g.fillStyle = mix(palette.raised, dye, palette.cloth);
      g.fillRect(0, 0, w, h);
      const n = Math.min(w, columns.min.length);
      columns.min.fill(Number.NaN);
      fillColumns(columns, source.id, source.channels, 0, source.length, 0, source.length / n, n);
      for (let x = 0; x < n; x++) {
        if (Number.isNaN(columns.min[x])) continue;
        const [up, down] = [((1 - Math.min(1, columns.max[x])) * h) / 2, ((1 - Math.max(-1, columns.min[x])) * h) / 2];
        g.fillStyle = mix(palette.raised, dye, 0.55);
        g.fillRect(x, up, 1, Math.max(1, down - up));
        const loud = (Math.min(1, columns.rms[x]) * h) / 2;
        g.fillStyle = dye;
        g.fillRect(x, h / 2 - loud, 1, Math.max(1, 2 * loud));
      }
    };
    return drawnFromMedia(draw);
  }, [source.id, source.channels, source.length, theme, used]);

  useEffect(() => {
    if (!hearing) return;
    let due = 0;
    const follow = (): void => {
      due = requestAnimationFrame(follow);
      if (line.current) line.current.style.left = `${Math.min(100, (sourcePreview().position() / source.length) * 100).toFixed(2)}%`;
    };
    follow();
    return () => cancelAnimationFrame(due);
  }, [hearing, source.length]);

  const press = (e: React.PointerEvent<HTMLButtonElement>): void => {
    const { left, width } = e.currentTarget.getBoundingClientRect();
    const at = e.clientX - left;
    dragToLanes(e, source, () => sourcePreview().hear(source.id, Math.round((at / width) * source.length)));
  };

  return (
    <button
      type="button"
      aria-label={`Hear ${source.name} from where it is clicked; drag to the lanes to lay it there`}
      title="Click to hear it from there · drag to the lanes to lay it there"
      className="relative mt-1 block w-full cursor-grab touch-none overflow-hidden rounded-sm border border-line"
      style={{ height: HEIGHT }}
      onPointerDown={press}
      onClick={(e) => e.detail === 0 && sourcePreview().hear(source.id, 0)}
    >
      <canvas ref={canvas} className="block h-full w-full" aria-hidden />
      {hearing && <div ref={line} className="absolute inset-y-0 w-[1.5px] bg-madder" />}
    </button>
  );
}
