import { z } from "zod";
import { gapsBetween, type Stretch, unionOf } from "../../analysis/silence";
import { blendAfter } from "../../model/document";
import { type Clip, clipEnd, Id, Position } from "../../model/schema";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { neighbourParams } from "../neighbours";
import { liftClips } from "../room";
import type { Transaction } from "../transaction";
import { splitClip } from "./split";

const MOST_STRETCHES = 10_000;
const Stretches = z
  .array(z.tuple([Position, Position]).refine(([from, to]) => to > from, "A stretch ends after it begins."))
  .max(MOST_STRETCHES)
  .refine((list) => list.every(([from], i) => i === 0 || from > list[i - 1][1]), "Stretches are in order and apart from each other.");

/** What stays of a clip: its stretches, and its blends whole, since a cut inside one would leave nothing but blend. */
function keptOf(tx: Transaction, clip: Clip, keep: readonly Stretch[]): Stretch[] {
  const blends: Stretch[] = [];
  if (clip.blend) blends.push([clip.start, clip.start + clip.fadeIn.length + 1]);
  if (blendAfter(tx.doc, clip)) blends.push([clipEnd(clip) - clip.fadeOut.length - 1, clipEnd(clip)]);
  const within = keep.map(([from, to]) => [Math.max(from, clip.start), Math.min(to, clipEnd(clip))] as const).filter(([from, to]) => to > from);
  return unionOf([within, blends]);
}

/** Cuts a clip at the borders of some stretches of it; returns the ids of its parts in them. */
function cutOut(tx: Transaction, clip: Clip, stretches: readonly Stretch[]): string[] {
  const ids: string[] = [];
  let rest = clip;
  for (const [from, to] of stretches) {
    if (from > rest.start) rest = splitClip(tx, rest, from);
    ids.push(rest.id);
    if (to < clipEnd(rest)) rest = splitClip(tx, rest, to);
  }
  return ids;
}

export const clearSilence = defineEdit({
  type: "clear-silence",
  about:
    "Keeps of each clip only what lies in the stretches given for it, as clips of their own, and takes the rest away: `keep` names for each clip the stretches [from, to) of the timeline that hold sound (`POST /api/versions/{id}/sound` finds them). A clip that a link brings in keeps the stretches of the one that it goes along with. Blends stay whole.",
  params: z.object({ clipIds: ClipIds, keep: z.record(Id, Stretches), ...neighbourParams }),
  example: { type: "clear-silence", clipIds: ["clip-1"], keep: { "clip-1": [[0, 24000]] } },
  links: "clipIds",
  apply(tx, { clipIds, keep, neighbours, reach }) {
    const cut: string[] = [];
    const gone: string[] = [];
    for (const id of new Set(clipIds)) {
      const clip = tx.clip(id);
      const own = keep[id] ?? keep[tx.leads.get(id) ?? ""];
      if (!own) throw new EditError(`Say what to keep of ${clip.name || "the clip"}.`, "keep");
      const quiet = gapsBetween(keptOf(tx, clip, own), clip.start, clipEnd(clip));
      if (quiet.length === 0) continue;
      cut.push(clip.name);
      gone.push(...cutOut(tx, clip, quiet));
    }
    if (gone.length === 0) throw new EditError("There is no silence to clear in these clips.", "keep");
    liftClips(tx, gone, neighbours, reach);
    return `Clear silence of ${countNames(cut, "clip")}`;
  },
});
