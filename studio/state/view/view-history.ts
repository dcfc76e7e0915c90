import { create } from "zustand";
import { setView, spanInView, useView, type View, view } from "./view";

/** What a view is: where, how close, and the tracks that a close-up makes tall. */
export type Place = Pick<View, "start" | "samplesPerPixel" | "scrollY" | "tall">;

/** Views one can go back to and forward to again; apart from the piece's own history. */
interface ViewHistory {
  readonly past: readonly Place[];
  readonly future: readonly Place[];
}

export const useViewHistory = create<ViewHistory>(() => ({ past: [], future: [] }));

const MOST = 100;
/** A scroll or zoom that pauses this long, in ms, has come to rest: what comes next is another view. */
const REST_MS = 700;

const placeOf = ({ start, samplesPerPixel, scrollY, tall }: View): Place => ({ start, samplesPerPixel, scrollY, tall });

/** Whether two views are so near that going from one to the other would look like nothing. */
function alike(a: Place, b: Place, width: number): boolean {
  const near = Math.abs(a.start - b.start) < width * 0.02 * Math.min(a.samplesPerPixel, b.samplesPerPixel);
  return near && Math.abs(a.samplesPerPixel / b.samplesPerPixel - 1) < 0.02 && Math.abs(a.scrollY - b.scrollY) < 8 && a.tall === b.tall;
}

let rest: Place = placeOf(view());
let timer: ReturnType<typeof setTimeout> | null = null;

/** Ends a scroll or zoom that is under way: the view before it can be gone back to. */
function settle(): void {
  if (timer) clearTimeout(timer);
  timer = null;
  const now = placeOf(view());
  if (!alike(rest, now, view().width)) useViewHistory.setState(({ past }) => ({ past: [...past.slice(1 - MOST), rest], future: [] }));
  rest = now;
}

/** Follows the view; what the playing piece does to it by itself is not remembered. Returns how to stop. */
export function followViews(): () => void {
  rest = placeOf(view());
  useViewHistory.setState({ past: [], future: [] });
  const off = useView.subscribe((v, old) => {
    if (v.start === old.start && v.samplesPerPixel === old.samplesPerPixel && v.scrollY === old.scrollY && v.tall === old.tall) return;
    if (v.playing && v.samplesPerPixel === old.samplesPerPixel && v.scrollY === old.scrollY && v.tall === old.tall && !timer) {
      rest = placeOf(v);
      return;
    }
    if (timer) clearTimeout(timer);
    timer = setTimeout(settle, REST_MS);
  });
  return () => {
    off();
    if (timer) clearTimeout(timer);
    timer = null;
  };
}

/** Goes to another view as a step of its own. */
export function goTo(place: Partial<Place>): void {
  settle();
  setView(place);
  settle();
}

/** Shows a span with a little room on both sides, as a step of its own. */
export const showSpan = (from: number, to: number, room?: number): void => goTo(spanInView(from, to, room));

/** One step back to the view before, or forward again; false when there is none. */
export function stepView(direction: "back" | "forward"): boolean {
  settle();
  const { past, future } = useViewHistory.getState();
  const here = placeOf(view());
  const to = direction === "back" ? past.at(-1) : future.at(-1);
  if (!to) return false;
  useViewHistory.setState(
    direction === "back" ? { past: past.slice(0, -1), future: [...future, here] } : { past: [...past, here], future: future.slice(0, -1) },
  );
  setView(to);
  if (timer) clearTimeout(timer);
  timer = null;
  rest = to;
  return true;
}
