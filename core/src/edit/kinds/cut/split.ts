import { z } from "zod";
import { firstAtOrAfter, firstWhere } from "../../../base/sorted";
import { clipEnd, Id, Length, Position } from "../../../model/schema";
import { blendSpans, type Cuts, cutApart, inside } from "../../cutting/cut";
import { cutsEvery, equalCuts, MOST_PARTS } from "../../cutting/even-cuts";
import { countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";

/** More places than this are too much for one request. */
export const MOST_PLACES = 20_000;

const IN_BLEND = "lies in its blend; a cut there would leave a piece that is nothing but blend, so take the blend off first";

export const split = defineEdit({
  type: "split",
  law: { sound: "nowhere", fields: [...WINDOW] },
  about:
    "Splits clips at one or more positions, in equal `parts`, or `every` so many samples from their start. Name the clips, or the tracks on which whatever lies there is split. With `pad`, each cut lies that many samples earlier, for hits that come early. A place inside a blend is refused for a clip that is named, passed over, with a note, on whole or linked tracks.",
  params: z
    .object({
      clipIds: z.array(Id).optional(),
      trackIds: z.array(Id).optional(),
      at: z.union([Position, z.array(Position).min(1).max(MOST_PLACES)]).optional(),
      parts: z.int().min(2).max(MOST_PARTS).optional(),
      every: Length.optional(),
      pad: z.int().min(0).default(0),
      syncs: z
        .boolean()
        .default(false)
        .describe("with a pad, the place before which each piece was cut becomes its sync point, so that a hit is what is moved and snapped"),
    })
    .refine((p) => [p.at, p.parts, p.every].filter((x) => x !== undefined).length === 1, {
      message: "Give one of `at`, `parts` and `every`.",
      path: ["at"],
    })
    .refine((p) => p.at !== undefined || (p.clipIds?.length ?? 0) > 0, { message: "Name the clips to part equally.", path: ["clipIds"] }),
  example: { type: "split", clipIds: ["clip-1"], at: 24000 },
  links: "clipIds",
  apply(tx, { clipIds, trackIds, at, parts, every, pad, syncs }) {
    if (!clipIds?.length && !trackIds?.length) throw new EditError("Name the clips or the tracks to split.", "clipIds");
    const given = at === undefined ? [] : [...new Set(Array.isArray(at) ? at : [at])].map((p) => p - pad).sort((a, b) => a - b);
    const { doc } = tx;
    const chosen = clipIds?.length
      ? [...new Set(clipIds)].map((id) => tx.clip(id))
      : [...new Set(trackIds)].flatMap((id) => {
          tx.track(id, "trackIds");
          return tx.lane(id).within(given[0] - 1, given[given.length - 1] + 1);
        });
    const names: string[] = [];
    const cuts: Cuts[] = [];
    let passed = 0;
    for (const clip of chosen) {
      const own = parts !== undefined ? equalCuts(clip, parts) : every !== undefined ? cutsEvery(clip, every) : given;
      if (own === null) throw new EditError(`${clip.name || "The clip"} would fall into more than ${MOST_PARTS} pieces.`, "every");
      const padded =
        own === given ? between(given, clip.start, clipEnd(clip)) : between(own, clip.start + pad, clipEnd(clip) + pad).map((p) => p - pad);
      const blends = blendSpans(doc, clip);
      const free = padded.filter((p) => !inside(blends, p));
      if (free.length < padded.length) {
        const place = padded.find((p) => inside(blends, p));
        if (clipIds?.length && !tx.leads.has(clip.id))
          throw new EditError(`${clip.name || "The clip"} can't be split at ${place}: that ${IN_BLEND}.`, "at");
        tx.notes.push(`${clip.name || "A clip"} was not split at ${place}: that ${IN_BLEND}.`);
        passed++;
      }
      if (free.length === 0) continue;
      names.push(clip.name);
      cuts.push({ clipId: clip.id, places: free });
    }
    if (cuts.length === 0) throw new EditError(passed > 0 ? tx.notes[0] : "No clip lies across that position.", "at");
    const pieces = cutApart(tx, cuts);
    if (syncs && pad > 0)
      for (const id of pieces.flatMap((ids) => ids.slice(1))) {
        const piece = tx.clip(id);
        if (pad < piece.length) tx.setClip({ ...piece, sync: pad });
      }
    return `Split ${countNames(names, "clip")}`;
  },
});

/** Those of some places, in order, that lie inside (from, to). */
function between(places: readonly number[], from: number, to: number): number[] {
  const first = firstWhere(places.length, (i) => places[i] > from);
  return places.slice(first, Math.max(first, firstAtOrAfter(places, to)));
}
