"use client";
import { useEffect, useRef } from "react";
import { session } from "@/state/session";
import { settings, useSettings } from "@/state/settings";
import { setView, useView, view } from "@/state/view";
import { fit, shown } from "./canvas";
import { overviewLength, paintOverview } from "./rulers";
import { PALETTES } from "./theme";

/** The whole piece under the tracks, with the lens: drag it to scroll, drag its ends to zoom, click beside it to go there. */
export function Overview() {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const c = canvas.current as HTMLCanvasElement;
    let due = 0;
    const draw = (): void => {
      due = 0;
      const r = c.getBoundingClientRect();
      if (r.width > 0)
        paintOverview(fit(c, r.width, r.height), { doc: shown(), view: view(), palette: PALETTES[settings().theme] }, r.width, r.height);
    };
    const request = (): void => {
      if (!due) due = requestAnimationFrame(draw);
    };
    const offs = [session().store.subscribe(request), useView.subscribe(request), useSettings.subscribe(request)];
    const size = new ResizeObserver(request);
    size.observe(c);
    let drag: { part: "lens" | "left" | "right"; at: number; start: number; end: number } | null = null;
    const per = (): number => overviewLength(session().doc) / c.getBoundingClientRect().width;
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
      const { width } = view();
      if (drag.part === "lens") return setView({ start: Math.max(0, drag.start + by) });
      const start = drag.part === "left" ? Math.max(0, Math.min(drag.end - width / 40, drag.start + by)) : drag.start;
      const end = drag.part === "right" ? Math.max(drag.start + width / 40, drag.end + by) : drag.end;
      setView({ start, samplesPerPixel: (end - start) / width });
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
      cancelAnimationFrame(due);
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
