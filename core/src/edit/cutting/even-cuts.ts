/** More pieces of one clip than this are surely not meant. */

import type { Clip } from "../../model/schema";

export const MOST_PARTS = 4096;

/** Where a clip is cut into `parts` parts as equal as whole samples allow. */
export const equalCuts = (clip: Clip, parts: number): number[] => [
  ...new Set(Array.from({ length: parts - 1 }, (_, i) => clip.start + Math.round(((i + 1) * clip.length) / parts))),
];

/** Where a clip is cut into pieces of `length` from its start; the last may be shorter. Null for more pieces than are ever meant. */
export function cutsEvery(clip: Clip, length: number): number[] | null {
  const pieces = Math.ceil(clip.length / length);
  return pieces > MOST_PARTS ? null : Array.from({ length: pieces - 1 }, (_, i) => clip.start + (i + 1) * length);
}
