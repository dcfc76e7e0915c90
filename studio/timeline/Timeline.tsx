"use client";
import { objectOf } from "@wet-thread/core/edit/bundles/members";
import type { Document } from "@wet-thread/core/model/document";
import { isAudible } from "@wet-thread/core/render/renderer";
import { useEffect, useRef } from "react";
import { smoothSeam } from "@/commands/actions";
import { closeBundle, openBundle } from "@/commands/clip-actions";
import { listenForKeys } from "@/commands/commands";
import { laneItems, rulerItems } from "@/commands/menus";
import { transport } from "@/engine/transport";
import { knowChannels, onMedia } from "@/state/media";
import { session } from "@/state/session";
import { settings, useSettings } from "@/state/settings";
import { selectClips, setView, useView, view, zoomAt } from "@/state/view";
import { Menu } from "@/ui/menu";
import { paintCloth } from "./cloth";
import { lanesHeight } from "./geometry";
import { CLICK_PIXELS, type Gesture, type Point } from "./gesture";
import { gestureFor } from "./gestures";
import { gridColumns, viewGrid } from "./grid-columns";
import { paintOverlay } from "./overlay";
import { clearPreview, preview, setPreview, usePreview } from "./preview";
import { RulerLayer } from "./RulerLayer";
import { clickClip, makeRange } from "./range-gestures";
import { overviewLength, paintOverview, paintRulers, rulersHeight } from "./rulers";
import { snapped } from "./snapping";
import { PALETTES } from "./theme";
import { CURSORS, HINTS, TOOL_CURSORS, TOOL_HINTS, zoneAt } from "./zones";

/** The document as it is to be drawn: with what a gesture would make of it. */
const shown = (): Document => preview().doc ?? session().doc;

function mutedTracks(doc: Document): ReadonlySet<string> {
  let anySolo = false;
  for (const t of doc.tracks.values()) anySolo ||= t.solo;
  return new Set([...doc.tracks.values()].filter((t) => !isAudible(t, anySolo)).map((t) => t.id));
}

/** Sizes a canvas for the screen's own pixels and returns its context, scaled to CSS pixels unless `raw`. */
function fit(canvas: HTMLCanvasElement, width: number, height: number, raw = false): CanvasRenderingContext2D {
  const scale = window.devicePixelRatio || 1;
  const [w, h] = [Math.round(width * scale), Math.round(height * scale)];
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
  }
  const g = canvas.getContext("2d", { willReadFrequently: raw }) as CanvasRenderingContext2D;
  if (!raw) g.setTransform(scale, 0, 0, scale, 0, 0);
  return g;
}

/** The rulers, lanes and overview: canvases that are drawn once a frame, and only where something changed. */
export function Timeline() {
  const lanes = useRef<HTMLDivElement>(null);
  const cloth = useRef<HTMLCanvasElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const rulerCanvas = useRef<HTMLCanvasElement>(null);
  const playhead = useRef<HTMLDivElement>(null);
  const head = useRef<HTMLDivElement>(null);
  const rulers = useSettings((s) => s.rulers);
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
      cloth: cloth.current as HTMLCanvasElement,
      overlay: overlay.current as HTMLCanvasElement,
      rulers: rulerCanvas.current as HTMLCanvasElement,
    };
    let image: ImageData | null = null;
    let due = 0;
    const dirty = { cloth: true, overlay: true, rulers: true };

    const drawCloth = (doc: Document): void => {
      const v = view();
      const set = settings();
      const g = fit(canvases.cloth, v.width, v.height, true);
      const { width, height } = canvases.cloth;
      if (width === 0 || height === 0) return;
      if (image?.width !== width || image.height !== height) image = g.createImageData(width, height);
      const scale = window.devicePixelRatio || 1;
      paintCloth(new Uint32Array(image.data.buffer), {
        doc,
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
        gridColumns: gridColumns(viewGrid(doc, set, v.start, v.samplesPerPixel), width, v.start, v.samplesPerPixel / scale, set.showGrid),
      });
      g.putImageData(image, 0, 0);
    };

    const frame = (): void => {
      due = 0;
      const doc = shown();
      const palette = PALETTES[settings().theme];
      const v = view();
      if (v.playing) {
        transport().tick();
        const at = transport().position();
        if (v.follow) {
          const x = (at - v.start) / v.samplesPerPixel;
          if (x > v.width * 0.92 || x < 0) setView({ start: Math.max(0, at - v.width * 0.08 * v.samplesPerPixel) });
        }
      }
      if (dirty.cloth) {
        drawCloth(doc);
        // Where the view is, for whoever drives the page from outside.
        box.dataset.start = String(view().start);
        box.dataset.samplesPerPixel = String(view().samplesPerPixel);
        box.dataset.scrollY = String(view().scrollY);
      }
      if (dirty.overlay)
        paintOverlay(fit(canvases.overlay, v.width, v.height), { doc, view: view(), preview: preview(), palette, mutedTracks: mutedTracks(doc) });
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
    const all = (): void => {
      dirty.cloth = dirty.overlay = dirty.rulers = true;
      request();
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
          v.fanned !== old.fanned
        )
          all();
        else {
          dirty.overlay ||= v.clipIds !== old.clipIds || v.range !== old.range || v.seamId !== old.seamId || v.openBundle !== old.openBundle;
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

    // ---- the pointer: press, show, commit or cancel
    let gesture: Gesture | null = null;
    let last: Point | null = null;
    const pointOf = (e: PointerEvent | MouseEvent | WheelEvent, within: HTMLElement): Point => {
      const r = within.getBoundingClientRect();
      return { x: e.clientX - r.left, y: e.clientY - r.top, shift: e.shiftKey, alt: e.altKey };
    };
    const cancel = (): boolean => {
      const had = gesture !== null;
      gesture = null;
      clearPreview();
      return had;
    };
    const hover = (e: PointerEvent): void => {
      const zone = zoneAt(session().doc, view(), ...xy(pointOf(e, box)));
      const { tool } = view();
      const ownZone =
        tool === "pointer" || zone.kind === "seam" || zone.kind === "below" || (tool === "range" && /^range(Start|End)$/.test(zone.kind));
      box.style.cursor = (!ownZone && TOOL_CURSORS[tool]) || CURSORS[zone.kind];
      const hint = (!ownZone && TOOL_HINTS[tool]) || HINTS[zone.kind];
      if (view().hint !== hint) setView({ hint });
      const old = preview().zone;
      const shownZone =
        tool === "pointer" || zone.kind === "seam" ? { kind: zone.kind as string, clipId: zone.clip?.id, seamId: zone.seam?.id } : null;
      if (old?.kind !== shownZone?.kind || old?.clipId !== shownZone?.clipId || old?.seamId !== shownZone?.seamId) setPreview({ zone: shownZone });
    };
    const xy = (p: Point): [number, number] => [p.x, p.y];
    let pressed: { p: Point; zone: ReturnType<typeof zoneAt>; add: boolean; had: boolean; moved: boolean } | null = null;
    const down = (e: PointerEvent): void => {
      if (e.button !== 0 || view().placing) return;
      (document.activeElement as HTMLElement | null)?.blur();
      const p = pointOf(e, box);
      const doc = session().doc;
      const zone = zoneAt(doc, view(), p.x, p.y);
      const frame = e.ctrlKey || e.metaKey;
      const add = e.shiftKey || frame || view().picking;
      const had = zone.clip !== undefined && view().clipIds.has(zone.clip.id);
      pressed = { p, zone, add, had, moved: false };
      last = p;
      box.setPointerCapture(e.pointerId);
      // A press on a clip that is not selected selects it, so that the drag takes it alone.
      const takes = zone.clip && zone.kind !== "body" && zone.kind !== "range" && view().tool === "pointer" && !view().picking;
      if (takes && zone.clip && !had) {
        if (add) clickClip(doc, zone.clip, true);
        else selectClips(doc, [zone.clip.id]);
        setView({ trackId: zone.clip.trackId });
      }
      gesture = gestureFor(doc, zone, p, add, frame);
    };
    /** Tools show what a press would do at once; the pointer waits until it is dragged. */
    const threshold = (): number => (view().tool === "pointer" || view().tool === "range" ? CLICK_PIXELS : 0);
    const move = (e: PointerEvent): void => {
      if (!gesture || !pressed) return hover(e);
      const p = pointOf(e, box);
      last = p;
      if (!pressed.moved && Math.hypot(p.x - pressed.p.x, p.y - pressed.p.y) < threshold()) return;
      pressed.moved = true;
      gesture.move(p);
    };
    const up = (e: PointerEvent): void => {
      if (!gesture || !pressed) {
        pressed = null;
        return;
      }
      const p = pointOf(e, box);
      const { zone, moved, add, had } = pressed;
      const done = gesture;
      gesture = null;
      pressed = null;
      const pointing = view().tool === "pointer" || zone.kind === "seam";
      if (!moved && pointing && !["body", "lane", "below"].includes(zone.kind)) {
        clearPreview();
        if (zone.kind === "seam" && zone.seam) setView({ seamId: zone.seam.id, tab: "seam", clipIds: new Set(), trackId: zone.seam.trackId });
        else if (zone.clip && (view().picking || !add || had)) clickClip(session().doc, zone.clip, add);
        return;
      }
      done.commit(p);
      hover(e);
    };
    const twice = (e: MouseEvent): void => {
      const zone = zoneAt(session().doc, view(), ...xy(pointOf(e, box)));
      if (zone.kind === "seam" && zone.seam) return smoothSeam(zone.seam.id);
      const object = zone.clip && objectOf(session().doc, zone.clip, view().openBundle);
      if (object) openBundle(object.id);
      else if (view().openBundle !== null && !zone.clip) closeBundle();
    };
    const leave = (): void => {
      if (!gesture) setPreview({ zone: null });
      setView({ hint: "" });
    };
    const wheel = (e: WheelEvent): void => {
      e.preventDefault();
      const v = view();
      if (e.ctrlKey || e.metaKey) return zoomAt(pointOf(e, box).x, Math.exp(e.deltaY * (Math.abs(e.deltaY) < 40 ? 0.012 : 0.0025)));
      const sideways = e.shiftKey && e.deltaX === 0 ? e.deltaY : e.deltaX;
      const down = e.shiftKey && e.deltaX === 0 ? 0 : e.deltaY;
      const most = Math.max(0, lanesHeight(session().doc) + 60 - v.height);
      setView({ start: Math.max(0, v.start + sideways * v.samplesPerPixel), scrollY: Math.max(0, Math.min(most, v.scrollY + down)) });
    };

    // ---- rulers: a click places the playhead, a drag makes a range over all tracks
    const ruler = canvases.rulers;
    let fromRuler: { gesture: Gesture; at: Point; y: number } | null = null;
    const rulerDown = (e: PointerEvent): void => {
      if (e.button !== 0) return;
      const p = pointOf(e, ruler);
      const doc = session().doc;
      fromRuler = { gesture: makeRange(doc, { ...p, y: 0 }, undefined, true, true), at: p, y: p.y };
      ruler.setPointerCapture(e.pointerId);
    };
    const rulerMove = (e: PointerEvent): void => {
      if (!fromRuler) {
        const hint = "Click to place the playhead · drag to make a range over all tracks";
        if (view().hint !== hint) setView({ hint });
        return;
      }
      fromRuler.gesture.move({ ...pointOf(e, ruler), y: 0 });
    };
    const rulerUp = (e: PointerEvent): void => {
      fromRuler?.gesture.commit({ ...pointOf(e, ruler), y: 0 });
      fromRuler = null;
    };

    box.addEventListener("pointerdown", down);
    box.addEventListener("pointermove", move);
    box.addEventListener("pointerup", up);
    box.addEventListener("pointercancel", cancel);
    box.addEventListener("pointerleave", leave);
    box.addEventListener("dblclick", twice);
    box.addEventListener("wheel", wheel, { passive: false });
    ruler.addEventListener("wheel", wheel, { passive: false });
    ruler.addEventListener("pointerdown", rulerDown);
    ruler.addEventListener("pointermove", rulerMove);
    ruler.addEventListener("pointerup", rulerUp);
    ruler.addEventListener("pointerleave", leave);
    const offKeys = listenForKeys({
      cancel() {
        const had = cancel() || fromRuler !== null || view().placing !== null;
        fromRuler = null;
        pressed = null;
        if (view().placing) setView({ placing: null });
        return had;
      },
      regrip(change) {
        if (last) last = { ...last, ...change };
        if (gesture && last && pressed?.moved) gesture.move(last);
      },
      busy: () => gesture !== null || fromRuler !== null || preview().flag !== null,
    });
    box.addEventListener("contextmenu", cancel);
    return () => {
      for (const off of offs) off();
      offKeys();
      size.disconnect();
      cancelAnimationFrame(due);
      box.removeEventListener("contextmenu", cancel);
      box.removeEventListener("pointerdown", down);
      box.removeEventListener("pointermove", move);
      box.removeEventListener("pointerup", up);
      box.removeEventListener("pointercancel", cancel);
      box.removeEventListener("pointerleave", leave);
      box.removeEventListener("dblclick", twice);
      box.removeEventListener("wheel", wheel);
      ruler.removeEventListener("wheel", wheel);
      ruler.removeEventListener("pointerdown", rulerDown);
      ruler.removeEventListener("pointermove", rulerMove);
      ruler.removeEventListener("pointerup", rulerUp);
      ruler.removeEventListener("pointerleave", leave);
    };
  }, []);

  return (
    <div className="absolute inset-0 flex flex-col">
      <Menu items={() => rulerItems(Math.round(menuAt.current.at), menuAt.current.markId)} onOpen={(target, x) => atRuler(target, x)}>
        <div className="relative shrink-0 border-line border-b" style={{ height: rulersHeight(rulers) }} data-testid="rulers">
          <canvas ref={rulerCanvas} className="absolute inset-0 h-full w-full cursor-text touch-none" aria-label="Rulers" role="img" />
          <RulerLayer />
          <div ref={head} className="pointer-events-none absolute bottom-0 left-0" style={{ visibility: "hidden" }}>
            <div className="-ml-[4.5px] mb-[6px] h-[9px] w-[9px] rounded-full bg-madder" />
          </div>
        </div>
      </Menu>
      <Menu items={() => laneItems(menuAt.current.zone, Math.round(menuAt.current.at))} onOpen={(_, x, y) => atLane(x, y)}>
        <div ref={lanes} className="relative min-h-0 flex-1 touch-none overflow-hidden" data-testid="lanes">
          <canvas ref={cloth} className="absolute inset-0 h-full w-full" aria-hidden />
          <canvas
            ref={overlay}
            className="absolute inset-0 h-full w-full"
            role="img"
            aria-label="Tracks with their clips; the list of clips in the inspector says the same in words"
          />
          <div ref={playhead} className="pointer-events-none absolute inset-y-0 left-0" style={{ visibility: "hidden" }} data-testid="playhead">
            <div className="-ml-[0.75px] h-full w-[1.5px] bg-madder" />
          </div>
        </div>
      </Menu>
    </div>
  );
}

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
