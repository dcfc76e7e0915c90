import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { withoutFlicks } from "@/ui/pointer-drag";
import { host } from "../host";
import { preview } from "../model/preview";
import { doubleClick } from "./double-click";
import type { Point } from "./gesture";
import { Hover } from "./hover";
import { Pinch } from "./pinch";
import { Places } from "./places";
import { LanePress } from "./press";
import { RulerInput } from "./ruler-input";
import { grabLanes } from "./scroll-hand";
import { turnWheel } from "./wheel";

const SECOND_BUTTON = 2;

/** Pointer, wheel, fingers and keys over the lanes and rulers. `cancel` calls off a gesture; true when there was one. */
export function listenToLanes(box: HTMLElement, ruler: HTMLElement): { cancel(): boolean; off(): void } {
  const ends = new AbortController();
  const { signal } = ends;
  const places = new Places(box, ruler);
  const press = new LanePress();
  const hover = new Hover(box);
  const rulers = new RulerInput(ruler, places, signal);
  const pinch = new Pinch();
  const fingers = new Map<number, Point>();
  /** The middle button, or any drag while the view is locked, scrolls. */
  let grab: ((p: Point) => void) | null = null;
  /** The menu that the second button of a drag would open. */
  let swallowMenu = false;

  const at = (e: PointerEvent | MouseEvent | WheelEvent): Point => places.pointOf(e, box);
  const on = (type: "pointerdown" | "pointermove" | "pointerup" | "pointercancel", does: (e: PointerEvent) => void): void =>
    box.addEventListener(type, does, { signal });

  on("pointerdown", (e) => {
    if (e.pointerType === "touch") {
      fingers.set(e.pointerId, at(e));
      if (fingers.size === 2) {
        press.cancel();
        pinch.begin(fingers);
        return;
      }
    }
    if (view().placing) return;
    if (e.button === 1 || (e.button === 0 && view().locked)) {
      e.preventDefault();
      grab = grabLanes(at(e));
      box.style.cursor = "grabbing";
      box.setPointerCapture(e.pointerId);
      return;
    }
    if (e.button !== 0 || press.on) return;
    swallowMenu = false;
    (document.activeElement as HTMLElement | null)?.blur();
    box.setPointerCapture(e.pointerId);
    const frame = e.ctrlKey || e.metaKey;
    press.begin({ ...at(e) }, { add: e.shiftKey || frame, frame }, e.pointerType === "touch");
  });
  on("pointermove", (e) => {
    if (fingers.has(e.pointerId)) fingers.set(e.pointerId, at(e));
    if (pinch.on) return pinch.move(fingers);
    if (grab) return grab(at(e));
    if (!press.on) return hover.over(at(e));
    // A second button calls a drag off; its menu does not open.
    if (e.buttons & SECOND_BUTTON) {
      swallowMenu = true;
      press.cancel();
      return;
    }
    press.move(at(e));
  });
  on("pointerup", (e) => {
    fingers.delete(e.pointerId);
    if (pinch.on) {
      if (fingers.size < 2) pinch.end(true);
      return;
    }
    if (!grab && !press.on) return;
    grab = null;
    press.end(at(e), e.clientX < 0 || e.clientY < 0 || e.clientX >= window.innerWidth || e.clientY >= window.innerHeight);
    hover.over(at(e));
  });
  on("pointercancel", (e) => {
    fingers.delete(e.pointerId);
    pinch.end(false);
    grab = null;
    press.cancel();
  });
  box.addEventListener("dblclick", (e) => doubleClick(at(e)), { signal });
  const menu = (e: Event): void => {
    const had = press.cancel() || swallowMenu;
    swallowMenu = false;
    if (!had) return;
    e.preventDefault();
    e.stopPropagation();
  };
  box.addEventListener("contextmenu", menu, { signal });
  for (const element of [box, ruler]) {
    element.addEventListener("wheel", (e) => turnWheel(e, at(e)), { passive: false, signal });
    element.addEventListener("pointerleave", () => hover.leave(press.on), { signal });
  }

  const offs = [
    withoutFlicks(box),
    withoutFlicks(ruler),
    () => places.off(),
    host().listenForKeys({
      cancel() {
        const had = [press.cancel(), rulers.cancel(), view().placing !== null].includes(true);
        if (view().placing) setView({ placing: null });
        return had;
      },
      regrip: (change) => press.regrip(change),
      busy: () => press.on || rulers.on || preview().flag !== null,
    }),
    // What the pointer would do changes with the piece under it.
    session().store.subscribe((s, old) => {
      if (s.doc !== old.doc && !press.on) hover.again();
    }),
  ];
  return {
    cancel: () => press.cancel(),
    off() {
      ends.abort();
      press.cancel();
      for (const off of offs) off();
    },
  };
}
