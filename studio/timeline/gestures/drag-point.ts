import type { PointerEvent as ReactPointerEvent } from "react";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { followPointer } from "@/ui/pointer-drag";
import { flagLines } from "../model/describe";
import { clearPreview, setPreview } from "../model/preview";
import { type SnapAsk, snapped } from "../model/snapping";
import { CLICK_PIXELS } from "./gesture";

/**
 * Drags a point of time along a ruler: a marker, a section's or the loop's edge, a tempo. It snaps like every gesture, shows itself while it
 * moves, obeys the grid key at any moment, and Escape puts it back. A press that does not move is a click.
 */
export function dragPoint(
  e: ReactPointerEvent,
  ask: Omit<SnapAsk, "wanted">,
  on: { show: (position: number | null) => void; commit: (position: number) => void; click?: () => void },
): void {
  if (e.button !== 0) return;
  e.preventDefault();
  e.stopPropagation();
  const target = e.currentTarget as HTMLElement;
  const pressed = e.clientX;
  let x = pressed;
  let moved = false;
  const doc = session().doc;
  const at = () => snapped(doc, { ...ask, wanted: ask.origin + (x - pressed) * view().samplesPerPixel });
  const draw = (): void => {
    if (!moved) return;
    const { position, target: lit } = at();
    on.show(position);
    const lanes = document.querySelector("[data-testid=lanes]")?.getBoundingClientRect();
    setPreview({
      lit: lit ?? { position, kind: "free" },
      flag: { x: x - (lanes?.left ?? 0), y: 0, lines: flagLines(doc, position, ask.origin, lit) },
    });
  };
  const regrip = (): void => void requestAnimationFrame(() => moved && draw());
  const end = (): void => {
    window.removeEventListener("keydown", regrip, true);
    window.removeEventListener("keyup", regrip);
    clearPreview();
    on.show(null);
  };
  window.addEventListener("keydown", regrip, true);
  window.addEventListener("keyup", regrip);
  followPointer(target, e.pointerId, {
    move: (m) => {
      x = m.clientX;
      moved ||= Math.abs(x - pressed) > CLICK_PIXELS;
      draw();
    },
    drop: () => {
      const { position } = at();
      end();
      if (moved) on.commit(position);
      else on.click?.();
    },
    cancel: end,
  });
}
