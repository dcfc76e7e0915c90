import type { z } from "zod";
import { Clip, without } from "../schema";
import { fieldsWhere, maskOf } from "./fields";

/*
 * A part of a clip that is kept beside its recording under a name of its own, to be laid again later, anywhere: a window on the recording with
 * what is done to its sound. Where it lay, what lay under it and whose bundle it was are left behind; what is hidden beyond its edges is not.
 */
const LEFT = fieldsWhere("part", "left");
export const KeptPart = Clip.omit(maskOf(LEFT))
  .extend({ id: Clip.shape.id })
  .refine((p) => p.name.length > 0, { message: "A part that is kept has a name.", path: ["name"] });
export type KeptPart = z.infer<typeof KeptPart>;

/** What of a clip is kept under a name. */
export function keptPart(clip: Clip, id: string, name: string): KeptPart {
  return { ...without(clip, LEFT), id, name, mute: false };
}

/** The parts of a recording with some more; of two with one id the later counts, in the place of the earlier. */
export const withParts = (now: readonly KeptPart[], more: readonly KeptPart[]): KeptPart[] => [
  ...new Map([...now, ...more].map((p) => [p.id, p])).values(),
];

/** Parts of one recording that are kept at most. */
export const MOST_PARTS = 2000;

/** The clip that a kept part is when it is laid on a track: at a start, on the lowest layer. */
export const clipOfPart = (sourceId: string, part: KeptPart, trackId: string, start: number): Clip => ({
  ...part,
  sourceId,
  trackId,
  start,
  layer: 0,
  blend: null,
  bundle: null,
});
