import type { Clip } from "../schema";

/** The clip's fields put down one by one, but for its place, its blend and the bar it remembers: what an edit of a whole piece changes in thousands of clips. */
function laidDown(clip: Clip, start: number, blend: Clip["blend"], bars: Clip["bars"]): Clip {
  const even: Clip = {
    id: clip.id,
    trackId: clip.trackId,
    sourceId: clip.sourceId,
    start,
    length: clip.length,
    offset: clip.offset,
    name: clip.name,
    color: clip.color,
    gain: clip.gain,
    pan: clip.pan,
    mute: clip.mute,
    layer: clip.layer,
    fadeIn: clip.fadeIn,
    fadeOut: clip.fadeOut,
    blend,
    sync: clip.sync,
    bundle: clip.bundle,
  };
  if (clip.channels !== undefined) even.channels = clip.channels;
  if (bars !== undefined) even.bars = bars;
  if (clip.envelopes !== undefined) even.envelopes = clip.envelopes;
  if (clip.recipe !== undefined) even.recipe = clip.recipe;
  if (clip.conform !== undefined) even.conform = clip.conform;
  if (clip.hits !== undefined) even.hits = clip.hits;
  if (clip.take !== undefined) even.take = clip.take;
  return even;
}

/**
 * The clip with its fields put down one by one, those in `set` as they are there (undefined: without it). JavaScript's engines keep one layout
 * for objects that were made alike, but give one of its own to each copy that got a field more than what it was spread from: thousands of such
 * clips are some ten times slower to look at.
 */
export function evenClip(clip: Clip, set?: Partial<Clip>): Clip {
  const even = laidDown(clip, clip.start, clip.blend, clip.bars);
  const to = even as Record<keyof Clip, unknown>;
  for (const key in set) {
    const field = key as keyof Clip;
    if (set[field] !== undefined) to[field] = set[field];
    // A field that is taken away again would leave a layout of its own behind.
    else if (even[field] !== undefined) return evenClip({ ...clip, ...set });
  }
  return even;
}

/** The clip moved by some samples, and the splice of its blend with it. */
export function movedClip(clip: Clip, by: number): Clip {
  const { blend } = clip;
  return laidDown(clip, clip.start + by, blend && { ...blend, splice: Math.max(0, blend.splice + by) }, clip.bars);
}

/** A copy of the clip with an id of its own, and what of its edges and its bundle a copy may not share. */
export function copiedClip(clip: Clip, { id, blend, fadeIn, fadeOut, bundle }: Pick<Clip, "id" | "blend" | "fadeIn" | "fadeOut" | "bundle">): Clip {
  const copy = laidDown(clip, clip.start, blend, undefined);
  copy.id = id;
  copy.fadeIn = fadeIn;
  copy.fadeOut = fadeOut;
  copy.bundle = bundle;
  return copy;
}
