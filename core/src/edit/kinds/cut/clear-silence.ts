import { z } from "zod";
import { gapsBetween, type Interval, unionOf } from "../../../analysis/silence";
import { type Clip, clipEnd, Id, Position } from "../../../model/schema";
import { blendSpans, type Cuts, cutClips } from "../../cutting/cut";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { soundTogether } from "../../links/sound-together";
import { neighbourParams } from "../../opening/neighbours";
import { liftClips } from "../../opening/openings";
import type { Transaction } from "../../transaction";

const MOST_STRETCHES = 10_000;
const Stretches = z
  .array(z.tuple([Position, Position]).refine(([from, to]) => to > from, "A stretch ends after it begins."))
  .max(MOST_STRETCHES)
  .refine((list) => list.every(([from], i) => i === 0 || from > list[i - 1][1]), "Stretches are in order and apart from each other.");

/** What stays of a clip: its stretches, and its blends whole, since a cut inside one would leave nothing but blend. */
function keptOf(tx: Transaction, clip: Clip, keep: readonly Interval[]): Interval[] {
  const [start, end] = [clip.start, clipEnd(clip)];
  const clipped = (from: number, to: number): Interval => [Math.max(from, start), Math.min(to, end)];
  const blends = blendSpans(tx.doc, clip).map((s) => clipped(s.from - 1, s.to + 1));
  const within = keep.map(([from, to]) => clipped(from, to)).filter(([from, to]) => to > from);
  return unionOf([within, blends]);
}

export const clearSilence = defineEdit({
  type: "clear-silence",
  law: { sound: "clips", fields: WINDOW },
  about:
    "Keeps of each clip only what lies in the stretches given for it, as clips of their own, and takes the rest away: `keep` names for each clip the stretches [from, to) of the timeline that hold sound (`POST /api/versions/{id}/sound` finds them). A clip that a link brings in keeps the stretches of the one that it goes along with; sound on one of several linked tracks is sound on all. Blends stay whole.",
  params: z.object({ clipIds: ClipIds, keep: z.record(Id, Stretches), ...neighbourParams }),
  example: { type: "clear-silence", clipIds: ["clip-1"], keep: { "clip-1": [[0, 24000]] } },
  links: "clipIds",
  apply(tx, { clipIds, keep, neighbours, reach }) {
    const cut: string[] = [];
    const cuts: Cuts[] = [];
    const quietOf: (readonly Interval[])[] = [];
    const ids = [...new Set(clipIds)];
    const asked = new Map<string, readonly Interval[]>();
    for (const id of ids) {
      const own = keep[id] ?? keep[tx.leads.get(id) ?? ""];
      if (!own) throw new EditError(`Say what to keep of ${tx.clip(id).name || "the clip"}.`, "keep");
      asked.set(id, own);
    }
    const kept = tx.links ? soundTogether(tx.doc, asked) : asked;
    for (const id of ids) {
      const clip = tx.clip(id);
      const own = kept.get(id) ?? [];
      const quiet = gapsBetween(keptOf(tx, clip, own), clip.start, clipEnd(clip));
      if (quiet.length === 0) continue;
      cut.push(clip.name);
      const places = [...new Set(quiet.flat())].filter((p) => p > clip.start && p < clipEnd(clip));
      cuts.push({ clipId: id, places });
      quietOf.push(quiet);
    }
    const gone = cutClips(tx, cuts).flatMap((ids, i) => ids.filter((id) => quietOf[i].some(([from]) => from === tx.clip(id).start)));
    if (gone.length === 0) throw new EditError("There is no silence to clear in these clips.", "keep");
    liftClips(tx, gone, neighbours, reach);
    return `Clear silence of ${countNames(cut, "clip")}`;
  },
});
