import { z } from "zod";
import { fadeLoudPart, fadeQuietPart } from "../../dsp/fades";
import { blendAfter } from "../../model/document";
import { type Clip, clipEnd, Id, Length, Position } from "../../model/schema";
import { divideBundlesAt } from "../bundles/settle";
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

/** Where a clip is cut into `parts` parts as equal as whole samples allow. */
export const equalCuts = (clip: Clip, parts: number): number[] =>
  Array.from({ length: parts - 1 }, (_, i) => clip.start + Math.round(((i + 1) * clip.length) / parts));

/** Where a clip is cut into pieces of `length` from its start; the last may be shorter. */
export const cutsEvery = (clip: Clip, length: number): number[] =>
  Array.from({ length: Math.ceil(clip.length / length) - 1 }, (_, i) => clip.start + (i + 1) * length);

/** More pieces than this are surely not meant. */
const MOST_PARTS = 4096;

export const split = defineEdit({
  type: "split",
  about:
    "Splits clips at one or more positions, in equal `parts`, or `every` so many samples from their start. Name the clips, or the tracks on which whatever lies there is split. With `pad`, each cut lies that many samples earlier, for hits that come early.",
  params: z
    .object({
      clipIds: z.array(Id).optional(),
      trackIds: z.array(Id).optional(),
      at: z.union([Position, z.array(Position).min(1)]).optional(),
      parts: z.int().min(2).max(MOST_PARTS).optional(),
      every: Length.optional(),
      pad: z.int().min(0).default(0),
    })
    .refine((p) => [p.at, p.parts, p.every].filter((x) => x !== undefined).length === 1, {
      message: "Give one of `at`, `parts` and `every`.",
      path: ["at"],
    })
    .refine((p) => p.at !== undefined || (p.clipIds?.length ?? 0) > 0, { message: "Name the clips to part equally.", path: ["clipIds"] }),
  example: { type: "split", clipIds: ["clip-1"], at: 24000 },
  links: "clipIds",
  apply(tx, { clipIds, trackIds, at, parts, every, pad }) {
    if (!clipIds?.length && !trackIds?.length) throw new EditError("Name the clips or the tracks to split.", "clipIds");
    const given = at === undefined ? [] : Array.isArray(at) ? at : [at];
    const chosen = clipIds?.length
      ? [...new Set(clipIds)].map((id) => tx.clip(id))
      : [...new Set(trackIds)].flatMap((id) => {
          tx.track(id, "trackIds");
          return tx.lane(id).within(Math.min(...given) - pad - 1, Math.max(...given) + 1);
        });
    const names: string[] = [];
    const cutAt = new Set<number>();
    const bundles = new Set<string>();
    for (const clip of chosen) {
      if (every !== undefined && clip.length / every > MOST_PARTS)
        throw new EditError(`${clip.name || "The clip"} would fall into more than ${MOST_PARTS} pieces.`, "every");
      const cuts = parts !== undefined ? equalCuts(clip, parts) : every !== undefined ? cutsEvery(clip, every) : given;
      const padded = [...new Set(cuts.map((p) => p - pad))].sort((a, b) => a - b);
      // On whole or linked tracks, a clip that a cut meets in a blend is left as it is; named by its id it is refused.
      const inside = padded.filter(
        (p) => p > clip.start && p < clipEnd(clip) && ((clipIds?.length && !tx.leads.has(clip.id)) || !inBlend(tx, clip, p)),
      );
      let rest = clip;
      for (const p of inside) {
        rest = splitClip(tx, rest, p);
        cutAt.add(p);
      }
      if (inside.length) names.push(clip.name);
      if (inside.length && clip.bundle) bundles.add(clip.bundle);
    }
    if (names.length === 0) throw new EditError("No clip lies across that position.", "at");
    for (const p of [...cutAt].sort((a, b) => b - a)) if (bundles.size) divideBundlesAt(tx, p, bundles);
    return `Split ${countNames(names, "clip")}`;
  },
});
