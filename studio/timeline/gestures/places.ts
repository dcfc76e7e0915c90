import type { Point } from "./gesture";

/** Where elements lie on the page, measured once for each size: to ask with each event would have the whole page laid out anew. */
export class Places {
  private readonly known = new Map<HTMLElement, DOMRect>();
  private readonly forget = (): void => this.known.clear();
  private readonly sizes = new ResizeObserver(this.forget);

  constructor(...elements: readonly HTMLElement[]) {
    for (const element of elements) this.sizes.observe(element);
    window.addEventListener("resize", this.forget);
  }

  /** Where a pointer is within an element, and the keys that are held. */
  pointOf(e: PointerEvent | MouseEvent | WheelEvent, within: HTMLElement): Point {
    let r = this.known.get(within);
    if (!r) {
      r = within.getBoundingClientRect();
      this.known.set(within, r);
    }
    return { x: e.clientX - r.left, y: e.clientY - r.top, shift: e.shiftKey, alt: e.altKey };
  }

  off(): void {
    this.sizes.disconnect();
    window.removeEventListener("resize", this.forget);
  }
}
