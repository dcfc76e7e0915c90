"use client";
import { useEffect, useRef } from "react";
import { transport } from "@/engine/transport";
import { onMedia } from "@/state/media";
import { session } from "@/state/session";
import { settings, useSettings } from "@/state/settings";
import { setView, useView, view } from "@/state/view";
import { fit, shown } from "./canvas";
import { WORDS } from "./overlay-scene";
import { overviewLength, overviewPicture } from "./overview-picture";
import { usePreview } from "./preview";
import { faded, mix, PALETTES } from "./theme";

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
    let drag: { part: "lens" | "left" | "right"; at: number; start: number; end: number } | null = null;
    const per = (): number => overviewLength(session().doc) / width;
    const xOf = (e: PointerEvent): number => e.clientX - c.getBoundingClientRect().left;
    const partAt = (x: number): "lens" | "left" | "right" | null => {
      const v = view();
      const [a, b] = [v.start / per(), (v.start + v.width * v.samplesPerPixel) / per()];
      if (Math.abs(x - a) < 5) return "left";
      if (Math.abs(x - b) < 5) return "right";
      return x > a && x < b ? "lens" : null;
    };
    const down = (e: PointerEvent): void => {
      const x = xOf(e);
      let part = partAt(x);
      const v = view();
      if (!part) {
        setView({ start: Math.max(0, x * per() - (v.width * v.samplesPerPixel) / 2) });
        part = "lens";
      }
      const now = view();
      drag = { part, at: x, start: now.start, end: now.start + now.width * now.samplesPerPixel };
      c.setPointerCapture(e.pointerId);
    };
    const move = (e: PointerEvent): void => {
      if (!drag) {
        const part = partAt(xOf(e));
        c.style.cursor = part === "lens" ? "grab" : part ? "ew-resize" : "pointer";
        return;
      }
      const by = (xOf(e) - drag.at) * per();
      const lanes = view().width;
      if (drag.part === "lens") return setView({ start: Math.max(0, drag.start + by) });
      const start = drag.part === "left" ? Math.max(0, Math.min(drag.end - lanes / 40, drag.start + by)) : drag.start;
      const end = drag.part === "right" ? Math.max(drag.start + lanes / 40, drag.end + by) : drag.end;
      setView({ start, samplesPerPixel: (end - start) / lanes });
    };
    const up = (): void => {
      drag = null;
    };
    c.addEventListener("pointerdown", down);
    c.addEventListener("pointermove", move);
    c.addEventListener("pointerup", up);
    return () => {
      for (const off of offs) off();
      size.disconnect();
      if (drawn) cancelAnimationFrame(due);
      else cancelIdleCallback(due);
      c.removeEventListener("pointerdown", down);
      c.removeEventListener("pointermove", move);
      c.removeEventListener("pointerup", up);
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
