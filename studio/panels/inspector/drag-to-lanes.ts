import { session } from "@/state/sync/session";
import type { Gesture } from "@/timeline/gestures/gesture";
import { type Layable, layRecording } from "@/timeline/gestures/lay-gesture";
import { clearPreview } from "@/timeline/model/preview";
import { followPointer } from "@/ui/pointer-drag";

/** Pixels that a press may wander before it takes the recording along. */
const TAKES = 5;

/** A press on something of the list: dragged to the lanes it is laid there; let go where it was pressed it is a click. */
export function dragToLanes(e: React.PointerEvent<HTMLElement>, what: Layable & { readonly length: number }, click: () => void): void {
  if (e.button !== 0) return;
  const [x0, y0] = [e.clientX, e.clientY];
  let gesture: Gesture | null = null;
  const lanes = document.querySelector("[data-testid=lanes]")?.getBoundingClientRect();
  const inLanes = (m: PointerEvent): { x: number; y: number; shift: boolean; alt: boolean } | null =>
    lanes && m.clientX >= lanes.left && m.clientX <= lanes.right && m.clientY >= lanes.top && m.clientY <= lanes.bottom
      ? { x: m.clientX - lanes.left, y: m.clientY - lanes.top, shift: m.shiftKey, alt: m.altKey }
      : null;
  const over = (p: ReturnType<typeof inLanes>): void => {
    document.body.style.cursor = "";
    if (gesture && p) gesture.commit(p);
    else clearPreview();
  };
  followPointer(e.currentTarget, e.pointerId, {
    move: (m) => {
      if (!gesture && Math.hypot(m.clientX - x0, m.clientY - y0) < TAKES) return;
      gesture ??= layRecording(session().doc, what);
      const p = inLanes(m);
      document.body.style.cursor = p ? "copy" : "grabbing";
      if (p) gesture.move(p);
      else clearPreview();
    },
    drop: (m) => {
      over(inLanes(m));
      if (!gesture) click();
    },
    cancel: () => over(null),
  });
}
