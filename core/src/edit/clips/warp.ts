import { z } from "zod";
import { kindOf, mapOf, ownEdge, ownWindow, playedEdge, runsBackwards } from "../../model/played";
import { type Clip, MOST_POINTS, Position, type SourceInfo, StretchKind } from "../../model/schema";
import { recordedAt, type Tie } from "../../time/time-map";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { WINDOW } from "../law";
import { Landing, layRemade } from "../remade-clips";
import { pitchingOf, placedWindow, recordingOf, remade, retimed } from "../remake";
import type { Transaction } from "../transaction";

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

/** The points of a clip that a link brought in: at the moments of its own recording that lie where those of the one that it follows do. */
function alongLead(tx: Transaction, source: SourceInfo, clip: Clip, points: readonly Tie[]): readonly Tie[] {
  const id = tx.leads.get(clip.id);
  const lead = id && tx.before.clips.get(id);
  if (!lead) return points;
  const leadSource = recordingOf(tx, lead);
  const later = lead.start - clip.start;
  const own = points.map((p) => ({
    from: ownEdge(source, clip, clip.offset + playedEdge(leadSource, lead, p.from) - lead.offset + later),
    to: p.to + later,
  }));
  const there = own.filter((p, i) => p.from >= 0 && p.from <= source.length && own.findIndex((o) => o.from === p.from) === i);
  if (there.length === 0) throw new EditError(`${clip.name || "The linked clip"} has no sound where the points lie.`, "points");
  return there;
}

export const warp = defineEdit({
  type: "warp",
  law: { sound: "clips", fields: [...WINDOW, "recipe", "conform"], lays: "none" },
  about:
    "Ties moments of a clip's recording (`from`, in its samples) to moments of the clip (`to`, in samples from its start): between them it is stretched, outside them not. null takes all warping off. The clip's start stays, its end goes with its sound; on linked tracks the same is done.",
  params: z.object({
    clipIds: ClipIds,
    points: z
      .array(z.object({ from: Position, to: z.int() }))
      .min(1, "Warping needs at least one point.")
      .max(MOST_POINTS, `There can be at most ${MOST_POINTS} warp points.`)
      .nullable(),
    kind: StretchKind.optional(),
    ...Landing,
  }),
  example: {
    type: "warp",
    clipIds: ["clip-1"],
    points: [
      { from: 2000, to: 2000 },
      { from: 12000, to: 13000 },
      { from: 22000, to: 22000 },
    ],
    kind: "hits",
  },
  links: "clipIds",
  apply(tx, { clipIds, points, kind, ...landing }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    const next = clips.map((clip) => warped(tx, clip, points && alongLead(tx, recordingOf(tx, clip), clip, points), kind));
    layRemade(tx, next, "end", landing);
    const names = countNames(
      clips.map((c) => c.name),
      "clip",
    );
    return points ? `Warp ${names}` : `Take warping off ${names}`;
  },
});
