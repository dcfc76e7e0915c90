import { objectOf } from "@wet-thread/core/edit/bundles/members";
import { transport } from "@/engine/transport";
import { session } from "@/state/sync/session";
import { selectClips, setView, type Tool, view, zoomAt } from "@/state/view/view";
import { withoutFlicks } from "@/ui/pointer-drag";
import { host } from "../host";
import { scrollTo as scrollIn } from "../model/geometry";
import { clearPreview, preview, setPreview } from "../model/preview";
import { CURSORS, HINTS, STRETCHED_SEAM, TOOL_CURSORS, TOOL_HINTS, zoneAt } from "../model/zones";
import { withoutPoint } from "./draw-gesture";
import { EdgeScroll } from "./edge-scroll";
import { CLICK_PIXELS, type Gesture, type Point, type Press } from "./gesture";
import { gestureFor } from "./gestures";
import { Pinch, wheelHeights } from "./pinch";
import { clickClip, makeRange } from "./range-gestures";
import { withoutWarpPoint } from "./stretch-gesture";

/** Tools that only look and listen: every place is alike to them. */
const VIEW_TOOLS: ReadonlySet<Tool> = new Set(["zoom", "hand", "listen"]);

/** Pointer, wheel, fingers and keys over the lanes and rulers. `cancel` calls off a gesture; true when there was one. */
export function listenToLanes(box: HTMLElement, ruler: HTMLElement): { cancel(): boolean; off(): void } {
  // ---- the pointer: press, show, commit or cancel
  let gesture: Gesture | null = null;
  let last: Point | null = null;
  // Where lanes and rulers lie, measured once for each size: to ask with each event would have the whole page laid out anew.
  const places = new Map<HTMLElement, DOMRect>();
  const forget = (): void => places.clear();
  const sizes = new ResizeObserver(forget);
  for (const element of [box, ruler]) sizes.observe(element);
  window.addEventListener("resize", forget);
  const pointOf = (e: PointerEvent | MouseEvent | WheelEvent, within: HTMLElement): Point => {
    let r = places.get(within);
    if (!r) {
      r = within.getBoundingClientRect();
      places.set(within, r);
    }
    return { x: e.clientX - r.left, y: e.clientY - r.top, shift: e.shiftKey, alt: e.altKey };
  };
  const edges = new EdgeScroll(() => {
    if (gesture && last) gesture.move(last);
  });
  const cancel = (): boolean => {
    edges.stop();
    const had = gesture !== null;
    if (had && view().tool === "listen") transport().endScrub();
    gesture = null;
    clearPreview();
    return had;
  };
  /** Where the pointer last was without a press; null when it has left. */
  let over: Point | null = null;
  const hover = (e: PointerEvent): void => {
    over = pointOf(e, box);
    hoverAt(over);
  };
  const hoverAt = (p: Point): void => {
    const zone = zoneAt(session().doc, view(), ...xy(p));
    const { tool } = view();
    const ownZone =
      (!VIEW_TOOLS.has(tool) && (tool === "pointer" || zone.kind === "seam" || zone.kind === "below")) ||
      (tool === "range" && /^range(Start|End)$/.test(zone.kind));
    box.style.cursor = (!ownZone && TOOL_CURSORS[tool]) || CURSORS[zone.kind];
    const hint = (!ownZone && TOOL_HINTS[tool]) || (tool === "stretch" && zone.kind === "seam" ? STRETCHED_SEAM : HINTS[zone.kind]);
    if (view().hint !== hint) setView({ hint });
    const old = preview().zone;
    const shownZone =
      tool === "pointer" || (zone.kind === "seam" && !VIEW_TOOLS.has(tool))
        ? { kind: zone.kind as string, clipId: zone.clip?.id, seamId: zone.seam?.id }
        : null;
    if (old?.kind !== shownZone?.kind || old?.clipId !== shownZone?.clipId || old?.seamId !== shownZone?.seamId) setPreview({ zone: shownZone });
  };
  const xy = (p: Point): [number, number] => [p.x, p.y];
  /** A menu that the second button of a drag would open. */
  let swallowMenu = false;
  let pressed: { p: Press; zone: ReturnType<typeof zoneAt>; add: boolean; had: boolean; moved: boolean } | null = null;
  // ---- two fingers zoom and scroll; the middle button, or any drag while the view is locked, scrolls
  const fingers = new Map<number, Point>();
  let hand: { x: number; y: number; start: number; scrollY: number } | null = null;
  const pinch = new Pinch();
  const scrollTo = (start: number, scrollY: number): void => scrollIn(session().doc, start, scrollY);
  const down = (e: PointerEvent): void => {
    if (e.pointerType === "touch") {
      fingers.set(e.pointerId, pointOf(e, box));
      if (fingers.size === 2) {
        cancel();
        pressed = null;
        pinch.begin(fingers);
        return;
      }
    }
    if (view().placing) return;
    if (e.button === 1 || (e.button === 0 && view().locked)) {
      e.preventDefault();
      const { start, scrollY } = view();
      hand = { ...pointOf(e, box), start, scrollY };
      box.style.cursor = "grabbing";
      box.setPointerCapture(e.pointerId);
      return;
    }
    if (e.button !== 0 || gesture) return;
    swallowMenu = false;
    (document.activeElement as HTMLElement | null)?.blur();
    const p = pointOf(e, box);
    const doc = session().doc;
    const zone = zoneAt(doc, view(), p.x, p.y, e.pointerType === "touch");
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
  /** Tools that do something where they are pressed show it at once; what is dragged waits until it is. */
  const threshold = (of: Gesture): number => (of.drags || view().tool === "pointer" || view().tool === "range" ? CLICK_PIXELS : 0);
  const move = (e: PointerEvent): void => {
    if (fingers.has(e.pointerId)) fingers.set(e.pointerId, pointOf(e, box));
    if (pinch.on) return pinch.move(fingers);
    if (hand) {
      const p = pointOf(e, box);
      return scrollTo(hand.start - (p.x - hand.x) * view().samplesPerPixel, hand.scrollY - (p.y - hand.y));
    }
    if (!gesture || !pressed) return hover(e);
    // A second button calls a drag off; its menu does not open.
    if (e.buttons & 2) {
      swallowMenu = true;
      pressed = null;
      cancel();
      return;
    }
    const p = pointOf(e, box);
    last = p;
    if (!pressed.moved && Math.hypot(p.x - pressed.p.x, p.y - pressed.p.y) < threshold(gesture)) return;
    pressed.moved = true;
    if (!VIEW_TOOLS.has(view().tool)) edges.follow(pressed.p, p, gesture.acrossTracks === true);
    gesture.move(p);
  };
  const up = (e: PointerEvent): void => {
    fingers.delete(e.pointerId);
    if (pinch.on) {
      if (fingers.size < 2) pinch.end(true);
      return;
    }
    if (hand) {
      hand = null;
      return hover(e);
    }
    if (!gesture || !pressed) {
      pressed = null;
      return;
    }
    const p = pointOf(e, box);
    const { zone, moved, add, had } = pressed;
    const done = gesture;
    edges.stop();
    const outside = e.clientX < 0 || e.clientY < 0 || e.clientX >= window.innerWidth || e.clientY >= window.innerHeight;
    if (done.endsInWindow && moved && outside) {
      pressed = null;
      cancel();
      return;
    }
    gesture = null;
    pressed = null;
    if (!moved && done.drags) {
      clearPreview();
      return hover(e);
    }
    const pointing = view().tool === "pointer" || (zone.kind === "seam" && !VIEW_TOOLS.has(view().tool));
    if (!moved && pointing && !["body", "lane", "below", "rail"].includes(zone.kind)) {
      clearPreview();
      if (zone.kind === "seam" && zone.seam) setView({ seamId: zone.seam.id, tab: "seam", clipIds: new Set(), trackId: zone.seam.trackId });
      else if (zone.clip && (view().picking || !add || had)) {
        clickClip(session().doc, zone.clip, add);
        const edge = zone.kind === "fadeIn" ? "in" : zone.kind === "fadeOut" ? "out" : null;
        if (edge && !add && zone.clip[edge === "in" ? "fadeIn" : "fadeOut"].length > 0) setView({ fade: { clipId: zone.clip.id, edge } });
      }
      return;
    }
    done.commit(p);
    hover(e);
  };
  const twice = (e: MouseEvent): void => {
    const zone = zoneAt(session().doc, view(), ...xy(pointOf(e, box)));
    if (view().tool === "draw") {
      const edit = withoutPoint(session().doc, zone, pointOf(e, box));
      if (edit) session().edit([edit], "Take a point away");
      return;
    }
    if (view().tool === "stretch") {
      const edit = withoutWarpPoint(session().doc, zone.clip, pointOf(e, box).x);
      if (edit) session().edit([edit], "Take a warp point away");
      return;
    }
    if (zone.kind === "hit" && zone.clip) return void session().edit([{ type: "remove-hits", clipIds: [zone.clip.id], at: [zone.hit] }]);
    if (zone.kind === "seam" && zone.seam) return host().smoothSeam(zone.seam.id);
    const object = zone.clip && objectOf(session().doc, zone.clip, view().openBundle);
    if (zone.kind === "name" && zone.clip && !object) return setView({ naming: zone.clip.id });
    if (object) host().openBundle(object.id);
    else if (view().openBundle !== null && !zone.clip) host().closeBundle();
  };
  const leave = (): void => {
    over = null;
    if (!gesture) setPreview({ zone: null });
    setView({ hint: "" });
  };
  const wheel = (e: WheelEvent): void => {
    e.preventDefault();
    const v = view();
    if (e.altKey) return wheelHeights(Math.exp(-e.deltaY * (Math.abs(e.deltaY) < 40 ? 0.012 : 0.002)), pointOf(e, box).y);
    if (e.ctrlKey || e.metaKey) return zoomAt(pointOf(e, box).x, Math.exp(e.deltaY * (Math.abs(e.deltaY) < 40 ? 0.012 : 0.0025)));
    const sideways = e.shiftKey && e.deltaX === 0 ? e.deltaY : e.deltaX;
    const down = e.shiftKey && e.deltaX === 0 ? 0 : e.deltaY;
    scrollTo(v.start + sideways * v.samplesPerPixel, v.scrollY + down);
  };

  // ---- rulers: a click places the playhead, a drag makes a range over all tracks
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

  const flicks = [withoutFlicks(box), withoutFlicks(ruler)];
  box.addEventListener("pointerdown", down);
  box.addEventListener("pointermove", move);
  box.addEventListener("pointerup", up);
  const calledOff = (e: PointerEvent): void => {
    fingers.delete(e.pointerId);
    pinch.end(false);
    hand = null;
    cancel();
  };
  box.addEventListener("pointercancel", calledOff);
  box.addEventListener("pointerleave", leave);
  box.addEventListener("dblclick", twice);
  box.addEventListener("wheel", wheel, { passive: false });
  ruler.addEventListener("wheel", wheel, { passive: false });
  ruler.addEventListener("pointerdown", rulerDown);
  ruler.addEventListener("pointermove", rulerMove);
  ruler.addEventListener("pointerup", rulerUp);
  ruler.addEventListener("pointerleave", leave);
  const offKeys = host().listenForKeys({
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
  const menu = (e: Event): void => {
    const had = cancel() || swallowMenu;
    swallowMenu = false;
    pressed = null;
    if (!had) return;
    e.preventDefault();
    e.stopPropagation();
  };
  box.addEventListener("contextmenu", menu);
  // What the pointer would do changes with the piece under it.
  const offDoc = session().store.subscribe((s, old) => {
    if (s.doc !== old.doc && over && !gesture) hoverAt(over);
  });
  return {
    cancel() {
      pressed = null;
      return cancel();
    },
    off() {
      offKeys();
      offDoc();
      edges.stop();
      sizes.disconnect();
      for (const end of flicks) end();
      window.removeEventListener("resize", forget);
      box.removeEventListener("contextmenu", menu);
      box.removeEventListener("pointerdown", down);
      box.removeEventListener("pointermove", move);
      box.removeEventListener("pointerup", up);
      box.removeEventListener("pointercancel", calledOff);
      box.removeEventListener("pointerleave", leave);
      box.removeEventListener("dblclick", twice);
      box.removeEventListener("wheel", wheel);
      ruler.removeEventListener("wheel", wheel);
      ruler.removeEventListener("pointerdown", rulerDown);
      ruler.removeEventListener("pointermove", rulerMove);
      ruler.removeEventListener("pointerup", rulerUp);
      ruler.removeEventListener("pointerleave", leave);
    },
  };
}
