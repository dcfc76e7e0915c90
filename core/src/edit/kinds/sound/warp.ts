import { z } from "zod";
import { ownEdge, playedEdge } from "../../../model/recipe/played-recording";
import { type Clip, MOST_POINTS, Position, type SourceInfo, StretchKind } from "../../../model/schema";
import type { Tie } from "../../../time/time-map";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { landingParams, layRemade } from "../../remaking/remade-clips";
import { recordingOf } from "../../remaking/remake";
import { warped } from "../../remaking/warped";
import type { Transaction } from "../../transaction";

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
    ...landingParams,
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
