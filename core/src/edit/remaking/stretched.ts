import { mapOf, ownWindow } from "../../model/recipe/played-recording";
import type { Clip, SourceInfo, StretchKind } from "../../model/schema";
import { MOST_STRETCH, madeAt } from "../../time/time-map";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { recordingOf, remade, retimed, type Timing, timingOf } from "./remake";

/** Refuses in words what lies outside the bounds of stretching. */
export function checkRatio(clip: Clip, from: number, to: number, path: string): void {
  if (to > from * MOST_STRETCH || from > to * MOST_STRETCH)
    throw new EditError(
      `${clip.name || "The clip"} can be at most ${MOST_STRETCH} times as long, or as short, as its recording there: this would be ${(to / from).toFixed(2)} times.`,
      path,
    );
}

/** A clip's own window, in at most so many samples of its recording that a ratio to them says its length. */
export interface Ratio {
  readonly from: number;
  readonly to: number;
}

/** What is made of a clip when its window of the recording becomes another length; one that is warped keeps its points where they are in it. */
export function stretchedTo(source: SourceInfo, clip: Clip, kind: StretchKind, { from, to }: Ratio): Timing {
  const warp = clip.recipe?.warp;
  if (!warp) return { ...timingOf(clip), stretch: { kind, from, to } };
  const window = ownWindow(source, clip);
  const map = mapOf(clip.recipe);
  const [first, last] = [madeAt(map, window.from), madeAt(map, window.to)];
  const inside = warp.points.filter((p) => p.from > window.from && p.from < window.to);
  const points = [{ from: window.from, to: first }, ...inside, { from: window.to, to: last }].map((p) => ({
    from: p.from,
    to: window.from + Math.round(((p.to - first) * to * (window.to - window.from)) / (from * (last - first))),
  }));
  return { ...timingOf(clip), warp: { kind, points } };
}

/** A clip that was made so many samples long by stretching, its start where it was. Throws EditError. */
export function stretchedClip(tx: Transaction, clip: Clip, kind: StretchKind, length: number, path: string): Clip {
  const source = recordingOf(tx, clip);
  const window = ownWindow(source, clip);
  const ratio = { from: Math.max(1, window.to - window.from), to: length };
  checkRatio(clip, ratio.from, ratio.to, path);
  return remade(source, clip, retimed(source, clip, stretchedTo(source, clip, kind, ratio), path), path);
}
