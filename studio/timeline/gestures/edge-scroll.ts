import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { scrollTo } from "../model/geometry";
import type { Press } from "./gesture";

/** So near to the edge of what is in view, in pixels, a drag scrolls; it has to have come this far from where it was pressed. */
const NEAR = 12;
const COME = 20;
/** Pixels a frame at the edge, and for each pixel beyond it, and at most. */
const SLOWEST = 3;
const PER_PIXEL = 0.35;
const FASTEST = 48;

/** How far a pointer at `at` of a length that is in view scrolls in one frame; 0 away from the edges. */
export function speedAt(at: number, length: number, pressed: number): number {
  if (Math.abs(at - pressed) < COME) return 0;
  const beyond = at < NEAR && at < pressed ? NEAR - at : at > length - NEAR && at > pressed ? at - (length - NEAR) : 0;
  return beyond === 0 ? 0 : Math.sign(at - pressed) * Math.min(FASTEST, SLOWEST + beyond * PER_PIXEL);
}

/**
 * Scrolls the lanes while a drag rests at their edge. The place that was pressed stays where it is on the piece, so it goes along on the
 * screen; after each step the gesture is shown anew.
 */
export class EdgeScroll {
  private due = 0;

  constructor(private readonly again: () => void) {}

  /** Called with each move of a drag. */
  follow(pressed: Press, at: { readonly x: number; readonly y: number }, both: boolean): void {
    const { width, height } = view();
    const [across, down] = [speedAt(at.x, width, pressed.x), both ? speedAt(at.y, height, pressed.y) : 0];
    if (across === 0 && down === 0) return this.stop();
    if (this.due) return;
    const frame = (): void => {
      const before = view();
      scrollTo(session().doc, before.start + across * before.samplesPerPixel, before.scrollY + down);
      const now = view();
      const [x, y] = [(now.start - before.start) / now.samplesPerPixel, now.scrollY - before.scrollY];
      this.due = 0;
      if (x === 0 && y === 0) return;
      pressed.x -= x;
      pressed.y -= y;
      this.again();
      this.due ||= requestAnimationFrame(frame);
    };
    this.due = requestAnimationFrame(frame);
  }

  stop(): void {
    cancelAnimationFrame(this.due);
    this.due = 0;
  }
}
