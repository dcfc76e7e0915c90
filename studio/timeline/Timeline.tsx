"use client";
import type { Document } from "@wet-thread/core/model/document";
import { isAudible } from "@wet-thread/core/render/renderer";
import { type ReactNode, useEffect, useRef } from "react";
import { transport } from "@/engine/transport";
import { settings, useSettings } from "@/state/kept/settings";
import { knowChannels, onMedia } from "@/state/media/media";
import { session } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { Menu } from "@/ui/menu";
import { listenToLanes } from "./gestures/lane-input";
import { host } from "./host";
import type { ClothScene } from "./model/cloth-scene";
import { laneBoxes } from "./model/geometry";
import { gridColumns, viewGrid } from "./model/grid-columns";
import { preview, usePreview } from "./model/preview";
import { snapped } from "./model/snapping";
import { PALETTES } from "./model/theme";
import { zoneAt } from "./model/zones";
import { fit, shown } from "./paint/canvas";
import { weaveFrom } from "./paint/cloth";
import { paintOverlay } from "./paint/overlay";
import { paintRulers, rulersHeight } from "./paint/rulers";

function mutedTracks(doc: Document): ReadonlySet<string> {
  let anySolo = false;
  for (const t of doc.tracks.values()) anySolo ||= t.solo;
  return new Set([...doc.tracks.values()].filter((t) => !isAudible(t, anySolo)).map((t) => t.id));
}

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
    const box = lanes.current as HTMLDivElement;
    const canvases = {
      lanes: lanesCanvas.current as HTMLCanvasElement,
      rulers: rulerCanvas.current as HTMLCanvasElement,
    };
    let image: ImageData | null = null;
    let due = 0;
    const dirty = { cloth: true, overlay: true, rulers: true };

    /** What the raster shows; null when it has to be made anew whatever the view. */
    let woven: ClothScene | null = null;
    /** Makes the raster of ground, cloth and waveforms anew, or where the view only went along by whole pixels, what came into it. */
    const weave = (doc: Document, g: CanvasRenderingContext2D): void => {
      const v = view();
      const set = settings();
      const { width, height } = canvases.lanes;
      if (image?.width !== width || image.height !== height) {
        image = g.createImageData(width, height);
        woven = null;
      }
      const scale = window.devicePixelRatio || 1;
      const grid = viewGrid(doc, set, v.start, v.samplesPerPixel);
      const scene: ClothScene = {
        doc,
        lanes: laneBoxes(doc),
        grid,
        palette: PALETTES[set.theme],
        width,
        height,
        scale,
        start: v.start,
        samplesPerPixel: v.samplesPerPixel,
        scrollY: v.scrollY,
        mutedTracks: mutedTracks(doc),
        gridStrength: set.gridStrength,
        gridDye: set.gridDye,
        fanned: v.fanned,
        magnify: v.magnify,
        lentWaves: v.lentWaves,
        gridColumns: gridColumns(grid, width, v.start, v.samplesPerPixel / scale, set.showGrid),
      };
      woven = weaveFrom(woven, new Uint32Array(image.data.buffer), scene);
    };

    /** The raster, and what lies on it, in one canvas: one layer less for the browser to put together. */
    const drawLanes = (doc: Document, raster: boolean): void => {
      const v = view();
      const palette = PALETTES[settings().theme];
      const g = fit(canvases.lanes, v.width, v.height, true);
      if (canvases.lanes.width === 0 || canvases.lanes.height === 0) return;
      if (raster || image?.width !== canvases.lanes.width || image.height !== canvases.lanes.height) weave(doc, g);
      const scale = window.devicePixelRatio || 1;
      g.setTransform(1, 0, 0, 1, 0, 0);
      g.putImageData(image as ImageData, 0, 0);
      g.setTransform(scale, 0, 0, scale, 0, 0);
      paintOverlay(g, { doc, view: v, preview: preview(), palette, mutedTracks: mutedTracks(doc) });
    };

    const frame = (): void => {
      due = 0;
      const doc = shown();
      const palette = PALETTES[settings().theme];
      const v = view();
      if (v.playing) {
        transport().tick();
        const at = transport().position();
        if (v.follow === "centre" && !transport().viewStays) {
          // By whole pixels: the raster then only has to move.
          const pixels = Math.round((at - v.start) / v.samplesPerPixel - v.width / 2);
          if (pixels !== 0) setView({ start: Math.max(0, v.start + pixels * v.samplesPerPixel) });
        } else if (v.follow === "page" && !transport().viewStays) {
          const x = (at - v.start) / v.samplesPerPixel;
          if (x > v.width * 0.92 || x < 0) setView({ start: Math.max(0, at - v.width * 0.08 * v.samplesPerPixel) });
        }
      }
      if (dirty.cloth || dirty.overlay) drawLanes(doc, dirty.cloth);
      if (dirty.cloth) {
        // Where the view is, for whoever drives the page from outside.
        box.dataset.start = String(view().start);
        box.dataset.samplesPerPixel = String(view().samplesPerPixel);
        box.dataset.scrollY = String(view().scrollY);
      }
      if (dirty.rulers)
        paintRulers(fit(canvases.rulers, v.width, rulersHeight(settings().rulers)), {
          rulers: settings().rulers,
          doc,
          view: view(),
          range: preview().range ?? v.range,
          palette,
        });
      dirty.cloth = dirty.overlay = dirty.rulers = false;
      const now = view();
      const x = ((preview().playhead ?? (now.playing ? transport().position() : now.playhead)) - now.start) / now.samplesPerPixel;
      const visible = x >= -1 && x <= now.width;
      for (const line of [playhead.current, head.current]) {
        if (!line) continue;
        line.style.transform = `translateX(${x.toFixed(2)}px)`;
        line.style.visibility = visible ? "visible" : "hidden";
      }
      if (now.playing) request();
    };
    const request = (): void => {
      if (!due) due = requestAnimationFrame(frame);
    };
    const seen = (): void => {
      dirty.cloth = dirty.overlay = dirty.rulers = true;
      request();
    };
    /** What is drawn changed, not only what of it is in view. */
    const all = (): void => {
      woven = null;
      seen();
    };

    for (const s of session().store.getState().sources.values()) knowChannels(s.id, s.channels);
    const offs = [
      session().store.subscribe((s, old) => {
        if (s.sources !== old.sources) for (const row of s.sources.values()) knowChannels(row.id, row.channels);
        if (s.doc !== old.doc || s.sources !== old.sources) all();
      }),
      useSettings.subscribe(all),
      onMedia(all),
      useView.subscribe((v, old) => {
        if (
          v.start !== old.start ||
          v.samplesPerPixel !== old.samplesPerPixel ||
          v.scrollY !== old.scrollY ||
          v.width !== old.width ||
          v.height !== old.height ||
          v.fanned !== old.fanned ||
          v.magnify !== old.magnify ||
          v.lentWaves !== old.lentWaves
        )
          seen();
        else {
          dirty.overlay ||=
            v.clipIds !== old.clipIds ||
            v.range !== old.range ||
            v.seamId !== old.seamId ||
            v.fade !== old.fade ||
            v.point !== old.point ||
            v.tool !== old.tool ||
            v.drawKind !== old.drawKind ||
            v.openBundle !== old.openBundle;
          dirty.rulers ||= v.range !== old.range;
          request();
        }
      }),
      usePreview.subscribe((p, old) => {
        dirty.cloth ||= p.doc !== old.doc;
        dirty.overlay = true;
        dirty.rulers ||= p.range !== old.range;
        request();
      }),
    ];
    void document.fonts.ready.then(all);
    const size = new ResizeObserver(([entry]) => setView({ width: entry.contentRect.width, height: entry.contentRect.height }));
    size.observe(box);
    all();

    const input = listenToLanes(box, canvases.rulers);
    cancelGesture.current = input.cancel;
    return () => {
      for (const off of offs) off();
      input.off();
      size.disconnect();
      cancelAnimationFrame(due);
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
