import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { clearPreview } from "../model/preview";
import type { Gesture } from "./gesture";
import type { Places } from "./places";
import { makeRange } from "./range-gestures";

const HINT = "Click to place the playhead · drag to make a range over all tracks";

/** The pointer over the rulers: a click places the playhead, a drag makes a range over all tracks. */
export class RulerInput {
  private gesture: Gesture | null = null;

  constructor(ruler: HTMLElement, places: Places, signal: AbortSignal) {
    const at = (e: PointerEvent) => ({ ...places.pointOf(e, ruler), y: 0 });
    const on = (type: "pointerdown" | "pointermove" | "pointerup", does: (e: PointerEvent) => void): void =>
      ruler.addEventListener(type, does, { signal });
    on("pointerdown", (e) => {
      if (e.button !== 0) return;
      this.gesture = makeRange(session().doc, at(e), undefined, true, true);
      ruler.setPointerCapture(e.pointerId);
    });
    on("pointermove", (e) => {
      if (this.gesture) return this.gesture.move(at(e));
      if (view().hint !== HINT) setView({ hint: HINT });
    });
    on("pointerup", (e) => {
      this.gesture?.commit(at(e));
      this.gesture = null;
    });
  }

  get on(): boolean {
    return this.gesture !== null;
  }

  /** Calls the gesture off; true when there was one. */
  cancel(): boolean {
    const had = this.on;
    this.gesture = null;
    if (had) clearPreview();
    return had;
  }
}
