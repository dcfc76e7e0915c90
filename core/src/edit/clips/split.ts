import { z } from "zod";
import { fadeLoudPart, fadeQuietPart } from "../../dsp/fades";
import { blendAfter } from "../../model/document";
import { type Clip, clipEnd, Id, Position } from "../../model/schema";
import { countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";

/** Whether a position lies in a clip's blend, its borders included: a cut there would leave a piece that is nothing but blend. */
function inBlend(tx: Transaction, clip: Clip, at: number): boolean {
  return (
    (clip.blend !== null && at - clip.start <= clip.fadeIn.length) ||
    (blendAfter(tx.doc, clip) !== undefined && clipEnd(clip) - at <= clip.fadeOut.length)
  );
}

/** Splits a clip in two at a position inside it; both play, together, the very same samples. Returns the right part. */
export function splitClip(tx: Transaction, clip: Clip, at: number): Clip {
  const head = at - clip.start;
  const tail = clip.length - head;
  if (head <= 0 || tail <= 0) throw new EditError(`${clip.name || "The clip"} has no sample on both sides of ${at}.`, "at");
  if (inBlend(tx, clip, at)) throw new EditError(`${clip.name || "The clip"} can't be split inside its blend; take the blend off first.`, "at");
  const follower = blendAfter(tx.doc, clip);
  const left: Clip = {
    ...clip,
    length: head,
    fadeIn: fadeQuietPart(clip.fadeIn, head),
    fadeOut: fadeLoudPart(clip.fadeOut, tail),
    sync: clip.sync !== null && clip.sync < head ? clip.sync : null,
  };
  const right: Clip = {
    ...clip,
    id: tx.newId(),
    start: at,
    length: tail,
    offset: clip.offset + head,
    fadeIn: fadeLoudPart(clip.fadeIn, head),
    fadeOut: fadeQuietPart(clip.fadeOut, tail),
    blend: null,
    sync: clip.sync !== null && clip.sync >= head ? clip.sync - head : null,
  };
  tx.setClip(left);
  tx.setClip(right);
  if (follower?.blend) tx.setClip({ ...follower, blend: { ...follower.blend, with: right.id } });
  return right;
}

export const split = defineEdit({
  type: "split",
  about: "Splits clips at one or more positions. Name the clips, or the tracks on which whatever lies there is split.",
  params: z.object({
    clipIds: z.array(Id).optional(),
    trackIds: z.array(Id).optional(),
    at: z.union([Position, z.array(Position).min(1)]),
  }),
  example: { type: "split", clipIds: ["clip-1"], at: 24000 },
  apply(tx, { clipIds, trackIds, at }) {
    if (!clipIds?.length && !trackIds?.length) throw new EditError("Name the clips or the tracks to split.", "clipIds");
    const cuts = [...new Set(Array.isArray(at) ? at : [at])].sort((a, b) => a - b);
    const chosen = clipIds?.length
      ? clipIds.map((id) => tx.clip(id))
      : (trackIds ?? []).flatMap((id) => {
          tx.track(id, "trackIds");
          return tx.lane(id).within(cuts[0] - 1, (cuts.at(-1) as number) + 1);
        });
    const names: string[] = [];
    for (const clip of chosen) {
      // On whole tracks, a clip that a cut meets in a blend is left as it is; named by its id it is refused.
      const inside = cuts.filter((p) => p > clip.start && p < clipEnd(clip) && (clipIds?.length || !inBlend(tx, clip, p)));
      let rest = clip;
      for (const p of inside) rest = splitClip(tx, rest, p);
      if (inside.length) names.push(clip.name);
    }
    if (names.length === 0) throw new EditError("No clip lies across that position.", "at");
    return `Split ${countNames(names, "clip")}`;
  },
});
