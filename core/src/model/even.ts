import { Clip } from "./schema";

type Optional = { [K in keyof Clip]-?: undefined extends Clip[K] ? K : never }[keyof Clip];

/** The fields that a clip may be without, as the schema names them. */
const OPTIONAL = Object.entries(Clip.shape).flatMap(([key, field]) =>
  field.safeParse(undefined).data === undefined && field.safeParse(undefined).success ? [key] : [],
) as Optional[];

const NOTHING: Partial<Clip> = {};

/**
 * The clip with its fields put down one by one, those in `set` as they are there (undefined: without it). JavaScript's engines keep one layout
 * for objects that were made alike, but give one of its own to each copy that got a field more than what it was spread from: thousands of such
 * clips are some ten times slower to look at.
 */
export function evenClip(clip: Clip, set: Partial<Clip> = NOTHING): Clip {
  const even: Clip = {
    id: clip.id,
    trackId: clip.trackId,
    sourceId: clip.sourceId,
    start: clip.start,
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
    blend: clip.blend,
    sync: clip.sync,
    bundle: clip.bundle,
  };
  const to = even as Record<keyof Clip, unknown>;
  for (const key of OPTIONAL) {
    const value = key in set ? set[key] : clip[key];
    if (value !== undefined) to[key] = value;
  }
  for (const key in set) {
    const value = set[key as keyof Clip];
    if (value !== undefined) to[key as keyof Clip] = value;
  }
  return even;
}
