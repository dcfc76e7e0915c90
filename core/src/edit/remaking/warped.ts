import { kindOf, mapOf, ownWindow, runsBackwards } from "../../model/recipe/played-recording";
import type { Clip, StretchKind } from "../../model/schema";
import { recordedAt, type Tie } from "../../time/time-map";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { pitchingOf, placedWindow, recordingOf, remade, retimed } from "./remake";

/**
 * Warp points at places of a clip, as a map whose first point lies where it lies in the recording; and where on that map the clip's start is.
 * Backwards the places count from its end.
 */
function warpMap(clip: Clip, points: readonly Tie[]): { points: Tie[]; anchor: number } {
  const turned = runsBackwards(clip.recipe);
  const list = points.map((p) => ({ from: p.from, to: turned ? -p.to : p.to })).sort((a, b) => a.from - b.from);
  const shift = list[0].from - list[0].to;
  return { points: list.map((p) => ({ from: p.from, to: p.to + shift })), anchor: shift };
}

/** A clip with other warp points, its start where it was; null takes them off. Without a kind it keeps its own, or its attacks. Throws EditError. */
export function warped(tx: Transaction, clip: Clip, points: readonly Tie[] | null, kind?: StretchKind): Clip {
  const source = recordingOf(tx, clip);
  const pitched = pitchingOf(clip);
  const own = kind ?? (clip.recipe?.stretch || clip.recipe?.warp ? kindOf(clip.recipe) : "hits");
  const window = ownWindow(source, clip);
  if (!points) return remade(source, clip, retimed(source, clip, pitched, "points"), "points");
  if (points.some((p) => p.from > source.length)) throw new EditError("A warp point lies beyond the end of the recording.", "points");
  const { points: ties, anchor } = warpMap(clip, points);
  const recipe = retimed(source, clip, { warp: { kind: own, points: ties }, ...pitched }, "points");
  // The clip's start is where the points count from: the moment there may be another than it was.
  const began = recordedAt(mapOf(recipe), anchor);
  if (began < 0 || began > source.length)
    throw new EditError(
      `${clip.name || "The clip"} has no sound that far ${began < 0 ? "before its first" : "behind its last"} warp point.`,
      "points",
    );
  return runsBackwards(clip.recipe)
    ? placedWindow(source, clip, recipe, window.from, Math.max(began, window.from + 1), "points")
    : placedWindow(source, clip, recipe, began, Math.max(window.to, began + 1), "points");
}
