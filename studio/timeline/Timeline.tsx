"use client";
import { type ReactNode, useEffect, useRef } from "react";
import { useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { Menu } from "@/ui/menu";
import { listenToLanes } from "./gestures/lane-input";
import { host } from "./host";
import { snapped } from "./model/snapping";
import { zoneAt } from "./model/zones";
import { Painter } from "./Painter";
import { rulersHeight } from "./paint/rulers";

/** The rulers, lanes and overview: canvases that are drawn once a frame, and only where something changed. Marks that are things of their own lie on the rulers. */
export function Timeline({ rulerMarks }: { rulerMarks: ReactNode }) {
  const lanes = useRef<HTMLDivElement>(null);
  const lanesCanvas = useRef<HTMLCanvasElement>(null);
  const rulerCanvas = useRef<HTMLCanvasElement>(null);
  const playhead = useRef<HTMLDivElement>(null);
  const head = useRef<HTMLDivElement>(null);
  const rulers = useSettings((s) => s.rulers);
  const cancelGesture = useRef<() => boolean>(() => false);
  const menuAt = useRef<{ zone: ReturnType<typeof zoneAt>; at: number; markId: string | null }>({ zone: { kind: "below" }, at: 0, markId: null });
  /** Where a menu opens: the zone and the place that a click there would mean, snapped as the mode line says. */
  const atLane = (clientX: number, clientY: number): void => {
    const r = lanes.current?.getBoundingClientRect();
    if (!r) return;
    const [x, y] = [clientX - r.left, clientY - r.top];
    const zone = zoneAt(session().doc, view(), x, y);
    const wanted = Math.max(0, view().start + x * view().samplesPerPixel);
    menuAt.current = { zone, at: snapped(session().doc, { wanted, origin: 0, material: zone.clip }).position, markId: null };
  };
  const atRuler = (target: HTMLElement, clientX: number): void => {
    const r = lanes.current?.getBoundingClientRect();
    if (!r) return;
    const wanted = Math.max(0, view().start + (clientX - r.left) * view().samplesPerPixel);
    const markId = target.closest<HTMLElement>("[data-mark]")?.dataset.mark ?? null;
    menuAt.current = { zone: { kind: "below" }, at: snapped(session().doc, { wanted, origin: 0 }).position, markId };
  };

  useEffect(() => {
    const [box, canvas, rulerSheet] = [lanes.current, lanesCanvas.current, rulerCanvas.current];
    if (!box || !canvas || !rulerSheet) return;
    const lines = [playhead.current, head.current].filter((line) => line !== null);
    const painter = new Painter({ box, lanes: canvas, rulers: rulerSheet, playhead: lines });
    const input = listenToLanes(box, rulerSheet);
    cancelGesture.current = input.cancel;
    return () => {
      painter.off();
      input.off();
    };
  }, []);

  return (
    <div className="absolute inset-0 flex flex-col">
      <Menu items={() => host().rulerItems(Math.round(menuAt.current.at), menuAt.current.markId)} onOpen={(target, x) => atRuler(target, x)}>
        <div className="relative shrink-0 border-line border-b" style={{ height: rulersHeight(rulers) }} data-testid="rulers">
          <canvas ref={rulerCanvas} className="absolute inset-0 h-full w-full cursor-text touch-none" aria-label="Rulers" role="img" />
          {rulerMarks}
          <div ref={head} className="pointer-events-none absolute bottom-0 left-0" style={{ visibility: "hidden" }}>
            <div className="-ml-[4.5px] mb-[6px] h-[9px] w-[9px] rounded-full bg-madder" />
          </div>
        </div>
      </Menu>
      <Menu
        items={() => host().laneItems(menuAt.current.zone, Math.round(menuAt.current.at))}
        onOpen={(_, x, y) => atLane(x, y)}
        onOpened={() => cancelGesture.current()}
      >
        <div ref={lanes} className="relative min-h-0 flex-1 touch-none overflow-hidden" data-testid="lanes">
          <canvas
            ref={lanesCanvas}
            className="absolute inset-0 h-full w-full"
            role="img"
            aria-label={`Tracks with their clips; ${host().keyOf("list")} opens the same as a list in words`}
          />
          <div ref={playhead} className="pointer-events-none absolute inset-y-0 left-0" style={{ visibility: "hidden" }} data-testid="playhead">
            <div className="-ml-[0.75px] h-full w-[1.5px] bg-madder" />
          </div>
        </div>
      </Menu>
    </div>
  );
}
