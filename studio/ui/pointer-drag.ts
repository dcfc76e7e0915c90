/** A press and what follows it, until the pointer is let go. */
export interface PointerDrag {
  move(e: PointerEvent): void;
  /** It was let go: what was dragged counts. */
  drop(e: PointerEvent): void;
  /** It ended otherwise: Escape, a second button, another gesture of the system. What was dragged goes back. */
  cancel?(): void;
}

const scrollsNothing = (e: TouchEvent): void => {
  if (e.cancelable) e.preventDefault();
};

/**
 * Tells the browser that a finger's way over an element is no scrolling: it would take a quick one for a flick and swallow the tap after it,
 * even where nothing scrolls. Returns what ends it.
 */
export function withoutFlicks(element: HTMLElement): () => void {
  element.addEventListener("touchmove", scrollsNothing, { passive: false });
  return () => element.removeEventListener("touchmove", scrollsNothing);
}

/**
 * Follows a pointer that was pressed on an element until it is let go, wherever it goes meanwhile. Escape, a press of another button and
 * whatever takes the pointer away end it without effect.
 */
export function followPointer(target: HTMLElement, pointerId: number, drag: PointerDrag): void {
  let over = false;
  const flicks = withoutFlicks(target);
  const end = (): void => {
    over = true;
    flicks();
    target.removeEventListener("pointermove", move);
    target.removeEventListener("pointerup", up);
    target.removeEventListener("pointerdown", other);
    target.removeEventListener("pointercancel", cancel);
    target.removeEventListener("lostpointercapture", cancel);
    window.removeEventListener("keydown", key, true);
    if (target.hasPointerCapture(pointerId)) target.releasePointerCapture(pointerId);
  };
  const mine = (e: PointerEvent): boolean => e.pointerId === pointerId && !over;
  const move = (e: PointerEvent): void => {
    if (mine(e)) drag.move(e);
  };
  const up = (e: PointerEvent): void => {
    if (!mine(e)) return;
    end();
    drag.drop(e);
  };
  const cancel = (): void => {
    if (over) return;
    end();
    drag.cancel?.();
  };
  const other = (e: PointerEvent): void => {
    if (mine(e) && e.button !== 0) cancel();
  };
  const key = (e: KeyboardEvent): void => {
    if (e.key !== "Escape") return;
    e.stopPropagation();
    cancel();
  };
  target.setPointerCapture(pointerId);
  target.addEventListener("pointermove", move);
  target.addEventListener("pointerup", up);
  target.addEventListener("pointerdown", other);
  target.addEventListener("pointercancel", cancel);
  target.addEventListener("lostpointercapture", cancel);
  window.addEventListener("keydown", key, true);
}
