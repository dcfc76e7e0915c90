import { fadeGrown, fadeLoudPart, fadeMadeWhole, fadeOfLength, fadeQuietPart } from "../../dsp/fades";
import { isCutShort } from "../../model/clip/fade-curves";
import { type Clip, clipEnd, type Fade, without } from "../../model/schema";

/** Both parts of a clip that is cut `into` samples from its start; they play, together, the very same samples. */
export function cutInTwo(clip: Clip, into: number, rightId: string): [Clip, Clip] {
  const tail = clip.length - into;
  const { bars: _, ...kept } = clip;
  return [
    {
      ...clip,
      length: into,
      fadeIn: fadeQuietPart(clip.fadeIn, into),
      fadeOut: fadeLoudPart(clip.fadeOut, tail),
      sync: clip.sync !== null && clip.sync < into ? clip.sync : null,
    },
    {
      ...kept,
      id: rightId,
      start: clip.start + into,
      length: tail,
      offset: clip.offset + into,
      fadeIn: fadeLoudPart(clip.fadeIn, into),
      fadeOut: fadeQuietPart(clip.fadeOut, tail),
      blend: null,
      sync: clip.sync !== null && clip.sync >= into ? clip.sync - into : null,
    },
  ];
}

/** Hits of two pieces of one clip: what was set on either. */
function hitsOfBoth(left: Clip["hits"], right: Clip["hits"]): Clip["hits"] {
  const both = (which: "added" | "removed"): number[] => [...new Set([...(left?.[which] ?? []), ...(right?.[which] ?? [])])].sort((a, b) => a - b);
  const [added, removed] = [both("added"), both("removed")];
  const { sensitivity, cleared } = left ?? {};
  const hits = {
    ...(sensitivity !== undefined && { sensitivity }),
    ...(cleared && { cleared }),
    ...(added.length > 0 && { added }),
    ...(removed.length > 0 && { removed }),
  };
  return Object.keys(hits).length > 0 ? hits : undefined;
}

/** Whether two pieces show their recording's hits alike, but for those that were set by hand. */
export const showHitsAlike = (left: Clip, right: Clip): boolean =>
  left.hits?.sensitivity === right.hits?.sensitivity && left.hits?.cleared === right.hits?.cleared;

/** The one clip that two which run on unbroken were before they were split. */
export function healed(left: Clip, right: Clip): Clip {
  const hits = hitsOfBoth(left.hits, right.hits);
  return {
    ...without(left, ["hits"]),
    length: left.length + right.length,
    fadeIn: fadeMadeWhole(left.fadeIn, left.length, right.fadeIn),
    fadeOut: fadeMadeWhole(right.fadeOut, right.length, left.fadeOut),
    sync: left.sync ?? (right.sync === null ? null : left.length + right.sync),
    ...(hits && { hits }),
  };
}

/**
 * The room for a fade at one side of a clip: up to its other fade. One that a cut left in the middle of its curve fills its whole part; there
 * the two may lie over each other and multiply.
 */
export function fadeRoom(clip: Pick<Clip, "length">, far: Fade): number {
  return isCutShort(far) && far.length === clip.length ? clip.length : clip.length - far.length;
}

/** The part of a clip inside [from, to), with what is left of its fades; null when there is none. Its blend goes with it only with its start. */
export function sliceOf(clip: Clip, from: number, to: number): Clip | null {
  if (to <= clip.start || from >= clipEnd(clip) || to <= from) return null;
  let slice = clip;
  if (from > clip.start) slice = cutInTwo(slice, from - clip.start, clip.id)[1];
  if (to < clipEnd(clip)) slice = cutInTwo(slice, to - slice.start, clip.id)[0];
  return slice;
}

/** A clip with its start elsewhere, its sound staying where it lies: the sync point marks the same sample as far as it is still there. */
export function withStart(clip: Clip, start: number): Clip {
  const by = start - clip.start;
  if (by === 0) return clip;
  const sync = clip.sync === null || clip.sync < by ? null : clip.sync - by;
  return { ...clip, start, offset: clip.offset + by, length: clip.length - by, sync };
}

/** A clip with its end elsewhere. */
export const withEnd = (clip: Clip, end: number): Clip =>
  end === clipEnd(clip) ? clip : { ...clip, length: end - clip.start, sync: clip.sync !== null && clip.sync < end - clip.start ? clip.sync : null };

/** The fade of the edge that stays: kept while it fits; what a cut left of one goes on with its curve where its part grew, and is cut where it shrank. */
export function fadeKept(was: number, fade: Fade, is: number): Fade {
  if (fade.length === was && isCutShort(fade)) return is > was ? fadeGrown(fade, is) : fadeQuietPart(fade, is);
  return fadeOfLength(fade, Math.min(fade.length, is));
}
