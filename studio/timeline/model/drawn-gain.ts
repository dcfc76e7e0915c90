import { blendGains, fadeGain } from "@wet-thread/core/dsp/fades";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";

/** A fade that is at least this wide, in CSS pixels, has its curve drawn smoothly above the raster; a narrower one is cut by pixels. */
export const SMOOTH_CURVE = 6;

/** The gain of a clip's fades and blends at a sample of the timeline; likeness is taken as middling, which no eye can tell. */
export function drawnGain(clip: Clip, follower: Clip | undefined, at: number): number {
  let g = 1;
  const i = at - clip.start;
  const j = clipEnd(clip) - 1 - at;
  if (i < clip.fadeIn.length)
    g *= clip.blend?.linked ? blendGains(clip.blend.law, clip.fadeIn, i, clip.fadeIn.length, 0.5).gainIn : fadeGain(clip.fadeIn, i);
  if (j < clip.fadeOut.length) {
    g *= follower?.blend?.linked
      ? blendGains(follower.blend.law, follower.fadeIn, clip.fadeOut.length - 1 - j, clip.fadeOut.length, 0.5).gainOut
      : fadeGain(clip.fadeOut, j);
  }
  return g;
}
