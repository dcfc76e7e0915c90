"use client";
import { useEffect, useRef } from "react";
import { transport } from "@/engine/transport";
import { settings, useSettings } from "@/state/kept/settings";
import { onMedia } from "@/state/media/media";
import { session } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { followPointer } from "@/ui/pointer-drag";
import { WORDS } from "./model/overlay-scene";
import { usePreview } from "./model/preview";
import { faded, mix, PALETTES } from "./model/theme";
import { fit, shown } from "./paint/canvas";
import { overviewLength, overviewPicture } from "./paint/overview-picture";

/** The whole piece under the tracks, with the lens: drag it to scroll, drag its ends to zoom, click beside it to go there. */
export function Overview() {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const c = canvas.current as HTMLCanvasElement;
    let due = 0;
    let [width, height] = [0, 0];
    const draw = (): void => {
      due = 0;
      if (width <= 0) return;
      drawn = true;
      const [doc, palette, v] = [shown(), PALETTES[settings().theme], view()];
      const g = fit(c, width, height);
      g.putImageData(overviewPicture(doc, palette, width, height, window.devicePixelRatio || 1), 0, 0);
      const per = overviewLength(doc) / width;
      g.font = `500 10px ${WORDS}`;
      g.textBaseline = "middle";
      for (const { name, start, end, color } of doc.sections.values()) {
        const wide = g.measureText(name).width;
        if (wide + 10 > (end - start) / per) continue;
        // On a plate of the section's colour, so that the threads don't run through the name.
        g.fillStyle = mix(palette.surface, palette.dyes[color], 0.14);
        g.fillRect(start / per + 2, height - 21, wide + 5, 12);
        g.fillStyle = palette.ink2;
        g.fillText(name, start / per + 4, height - 15);
      }
      g.fillStyle = palette.dyes.madder;
      g.fillRect((v.playing ? transport().position() : v.playhead) / per, 1, 1.5, height - 2);
      g.fillStyle = faded(palette.ink, 0.06);
      g.strokeStyle = palette.ink2;
      g.lineWidth = 1.5;
      g.beginPath();
      g.roundRect(v.start / per, 1.5, Math.max(6, (v.width * v.samplesPerPixel) / per), height - 3, 5);
      g.fill();
      g.stroke();
      if (v.playing) request();
    };
    let drawn = false;
    const request = (): void => {
      if (due) return;
      // The first time the lanes go before: the picture of a large piece takes a moment.
      due = drawn ? requestAnimationFrame(draw) : requestIdleCallback(draw, { timeout: 500 });
    };
    const offs = [
      session().store.subscribe(request),
      useView.subscribe(request),
      useSettings.subscribe(request),
      usePreview.subscribe((p, old) => p.doc !== old.doc && request()),
      onMedia(request),
    ];
    const size = new ResizeObserver(([entry]) => {
      ({ width, height } = entry.contentRect);
      request();
    });
    size.observe(c);
    const per = (): number => overviewLength(session().doc) / width;
    const xOf = (e: PointerEvent): number => e.clientX - c.getBoundingClientRect().left;
    const partAt = (x: number): "lens" | "left" | "right" | null => {
      const v = view();
      const [a, b] = [v.start / per(), (v.start + v.width * v.samplesPerPixel) / per()];
      if (Math.abs(x - a) < 5) return "left";
      if (Math.abs(x - b) < 5) return "right";
      return x > a && x < b ? "lens" : null;
    };
    let dragging = false;
    const down = (e: PointerEvent): void => {
      if (e.button !== 0) return;
      const [x0, before] = [xOf(e), view()];
      let part = partAt(x0);
      if (!part) {
        setView({ start: Math.max(0, x0 * per() - (before.width * before.samplesPerPixel) / 2) });
        part = "lens";
      }
      const now = view();
      const from = { start: now.start, end: now.start + now.width * now.samplesPerPixel };
      dragging = true;
      followPointer(c, e.pointerId, {
        move: (m) => {
          const by = (xOf(m) - x0) * per();
          const lanes = view().width;
          if (part === "lens") return setView({ start: Math.max(0, from.start + by) });
          const start = part === "left" ? Math.max(0, Math.min(from.end - lanes / 40, from.start + by)) : from.start;
          const end = part === "right" ? Math.max(from.start + lanes / 40, from.end + by) : from.end;
          setView({ start, samplesPerPixel: (end - start) / lanes });
        },
        drop: () => {
          dragging = false;
        },
        cancel: () => {
          dragging = false;
          setView({ start: before.start, samplesPerPixel: before.samplesPerPixel });
        },
      });
    };
    const hover = (e: PointerEvent): void => {
      if (dragging) return;
      const part = partAt(xOf(e));
      c.style.cursor = part === "lens" ? "grab" : part ? "ew-resize" : "pointer";
    };
    c.addEventListener("pointerdown", down);
    c.addEventListener("pointermove", hover);
    return () => {
      for (const off of offs) off();
      size.disconnect();
      if (drawn) cancelAnimationFrame(due);
      else cancelIdleCallback(due);
      c.removeEventListener("pointerdown", down);
      c.removeEventListener("pointermove", hover);
    };
  }, []);
  return (
    <canvas
      ref={canvas}
      className="h-full w-full touch-none"
      role="img"
      aria-label="Overview of the whole piece; the lens shows what is in view"
      data-testid="overview"
    />
  );
}
