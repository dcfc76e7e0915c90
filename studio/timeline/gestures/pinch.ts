import { applyEdits, type Edit } from "@wet-thread/core/edit/registry";
import { session } from "@/state/sync/session";
import { setView, view, zoomWithin } from "@/state/view/view";
import { host } from "../host";
import { lanesHeight, scrollTo } from "../model/geometry";
import { clearPreview, setPreview } from "../model/preview";

interface Spot {
  readonly x: number;
  readonly y: number;
}

/** Fingers nearer than this count as this far apart, so that a small move is no leap. */
const LEAST_APART = 24;
/** How far fingers part or close, in pixels, before it is plain along which axis. */
const DECIDES = 14;
/** A wheel that rests this long, in ms, is done with the heights, though its key is still held. */
const WHEEL_REST_MS = 2000;

/** Shows all tracks taller or lower by a factor, about a place in the lanes that stays where it is. */
class Heights {
  private edits: Edit[] = [];

  show(factor: number, y: number, scrollY: number): void {
    const { doc } = session();
    const before = lanesHeight(doc);
    this.edits = host().heightEdits(factor);
    const after = applyEdits(doc, this.edits).doc;
    setPreview({ doc: after });
    const held = (scrollY + y) / Math.max(1, before);
    scrollTo(after, view().start, held * lanesHeight(after) - y);
  }

  /** Keeps the heights as one step, or puts them back. */
  end(kept: boolean, name: string): void {
    const { edits } = this;
    this.edits = [];
    clearPreview();
    if (kept && edits.length) session().edit(edits, name);
  }
}

/** Two fingers: side by side they zoom in time, one above the other they change heights, and in both they take the lanes along. */
export class Pinch {
  on = false;
  private from = { wide: 0, tall: 0, x: 0, y: 0, start: 0, per: 0, scrollY: 0 };
  private axis: "time" | "height" | null = null;
  private readonly heights = new Heights();

  private of(fingers: ReadonlyMap<number, Spot>) {
    const [a, b] = [...fingers.values()];
    return {
      wide: Math.max(LEAST_APART, Math.abs(a.x - b.x)),
      tall: Math.max(LEAST_APART, Math.abs(a.y - b.y)),
      x: (a.x + b.x) / 2,
      y: (a.y + b.y) / 2,
    };
  }

  begin(fingers: ReadonlyMap<number, Spot>): void {
    const { start, samplesPerPixel, scrollY } = view();
    this.from = { ...this.of(fingers), start, per: samplesPerPixel, scrollY };
    this.axis = null;
    this.on = true;
  }

  move(fingers: ReadonlyMap<number, Spot>): void {
    if (fingers.size < 2) return;
    const now = this.of(fingers);
    const { from } = this;
    const [wider, taller] = [Math.abs(now.wide - from.wide), Math.abs(now.tall - from.tall)];
    // Heights belong to the piece: while the view is locked only time is zoomed.
    if (!this.axis && Math.max(wider, taller) >= DECIDES) this.axis = taller > wider && !view().locked ? "height" : "time";
    // The place between the fingers stays between them.
    const held = from.start + from.x * from.per;
    const samplesPerPixel = this.axis === "time" ? zoomWithin((from.per * from.wide) / now.wide) : from.per;
    setView({ samplesPerPixel, start: Math.max(0, held - now.x * samplesPerPixel) });
    if (this.axis === "height") this.heights.show(now.tall / from.tall, from.y, from.scrollY);
    else scrollTo(session().doc, view().start, from.scrollY - (now.y - from.y));
  }

  end(kept: boolean): void {
    if (!this.on) return;
    this.on = false;
    this.heights.end(kept && this.axis === "height", "Height of all tracks");
  }
}

const wheelTurned = new Heights();
let turn: { factor: number; y: number; scrollY: number; timer?: ReturnType<typeof setTimeout> } | null = null;

function endTurn(): void {
  if (!turn) return;
  clearTimeout(turn.timer);
  turn = null;
  window.removeEventListener("keyup", endTurn);
  window.removeEventListener("blur", endTurn);
  wheelTurned.end(true, "Height of all tracks");
}

/** The wheel over the lanes for heights: shown at once about the pointer, and one step when the key is let go or the wheel has rested. */
export function wheelHeights(factor: number, y: number): void {
  if (view().locked) return;
  if (!turn) {
    turn = { factor: 1, y, scrollY: view().scrollY };
    window.addEventListener("keyup", endTurn);
    window.addEventListener("blur", endTurn);
  }
  clearTimeout(turn.timer);
  turn.factor *= factor;
  wheelTurned.show(turn.factor, turn.y, turn.scrollY);
  turn.timer = setTimeout(endTurn, WHEEL_REST_MS);
}
