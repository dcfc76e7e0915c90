"use client";
import type { Document } from "@wet-thread/core/model/document";
import { useEffect, useRef } from "react";
import { settings } from "@/state/kept/settings";
import { type Compared, type ComparedClip, type Difference, useComparing } from "@/state/sync/comparing";
import { useSession } from "@/state/sync/session";
import { useView, view } from "@/state/view/view";
import { CLOTH_TOP, laneBoxes, RAIL } from "@/timeline/model/geometry";
import { rulersHeight } from "@/timeline/paint/rulers";

/** What each kind of difference is drawn in; what is only there, as an outline alone. */
export const DIFFERENCE_DYES: Readonly<Record<Difference, string>> = {
  "only-a": "fern",
  "only-b": "madder",
  moved: "weld",
  trimmed: "indigo",
  changed: "walnut",
};

/** Draws over the lanes what is different in the version that this one is compared with: clips of this one framed, those of the other as they would lie. */
export function CompareMarks() {
  const rows = useComparing((c) => c.rows);
  const canvas = useRef<HTMLCanvasElement>(null);
  const doc = useSession((s) => s.doc);
  useEffect(() => {
    const draw = (): void => {
      if (canvas.current) paint(canvas.current, doc, rows ?? []);
    };
    draw();
    return useView.subscribe((v, old) => {
      if (
        v.start !== old.start ||
        v.samplesPerPixel !== old.samplesPerPixel ||
        v.scrollY !== old.scrollY ||
        v.width !== old.width ||
        v.height !== old.height
      )
        draw();
    });
  }, [rows, doc]);
  return <canvas ref={canvas} className="pointer-events-none absolute inset-0 z-[5] size-full" data-testid="compare-marks" aria-hidden />;
}

function paint(canvas: HTMLCanvasElement, doc: Document, rows: readonly Compared[]): void {
  const { width, height } = canvas.getBoundingClientRect();
  const ratio = window.devicePixelRatio;
  canvas.width = Math.round(width * ratio);
  canvas.height = Math.round(height * ratio);
  const g = canvas.getContext("2d");
  if (!g) return;
  g.scale(ratio, ratio);
  const rulers = rulersHeight(settings().rulers);
  g.rect(0, rulers, width, height - rulers);
  g.clip();
  const { start, samplesPerPixel, scrollY } = view();
  const boxes = laneBoxes(doc);
  const style = getComputedStyle(canvas);
  const frame = (clip: ComparedClip, trackId: string | undefined, kind: Difference, ghost: boolean): void => {
    const box = boxes.find((b) => (trackId ? b.trackId === trackId : b.track.name === clip.track));
    if (!box) return;
    const [x0, x1] = [(clip.start - start) / samplesPerPixel, (clip.start + clip.length - start) / samplesPerPixel];
    if (x1 < 0 || x0 > width) return;
    const [y, tall] = [rulers + box.top - scrollY + CLOTH_TOP, box.height - CLOTH_TOP - RAIL];
    g.strokeStyle = style.getPropertyValue(`--${DIFFERENCE_DYES[kind]}`);
    g.fillStyle = g.strokeStyle;
    g.lineWidth = ghost ? 1.5 : 3;
    g.setLineDash(ghost ? [5, 4] : []);
    g.globalAlpha = ghost ? 0.12 : 0.2;
    g.fillRect(x0, y, x1 - x0, tall);
    g.globalAlpha = 1;
    g.strokeRect(x0 + 1, y + 1, Math.max(1, x1 - x0 - 2), tall - 2);
  };
  for (const { kinds, a, b } of rows) {
    const [kind] = kinds;
    // What lies elsewhere there is shown there too; what is only changed lies where it lies.
    if (b && (!a || kinds.includes("moved") || kinds.includes("trimmed"))) frame(b, undefined, a ? kind : "only-b", true);
    if (a) frame(a, doc.clips.get(a.id)?.trackId, kind, false);
  }
}
