import { fadeLoudPart, fadeQuietPart } from "../dsp/fades";
import { blendAfter } from "../model/document";
import { type Clip, clipEnd } from "../model/schema";
import { unblended } from "./clips/blends";
import { splitClip } from "./clips/split";
import type { Transaction } from "./transaction";

/** Puts the clips of every blend that a position lies in, or on the border of, back to their splice. */
export function unblendAt(tx: Transaction, trackId: string, at: number): void {
  for (const clip of tx.lane(trackId).within(at - 1, at + 1)) {
    if (clip.blend && clip.start <= at && at <= clip.start + clip.fadeIn.length) takeBlendOff(tx, clip.id);
  }
}

/** Takes the blend at a clip's start off, both clips back at the splice. Does nothing where there is none. */
export function takeBlendOff(tx: Transaction, clipId: string): void {
  const clip = tx.clip(clipId);
  if (!clip.blend) return;
  const { left, right } = unblended(tx, clip);
  if (left.length >= 1) tx.setClip(left);
  else tx.set("clip", left.id, null);
  if (right.length >= 1) tx.setClip(right);
  else tx.set("clip", right.id, null);
}

/** Takes the blends on both sides of clips off, except those between two of them. */
export function partFromNeighbours(tx: Transaction, clipIds: readonly string[]): void {
  const among = new Set(clipIds);
  for (const id of clipIds) {
    const clip = tx.doc.clips.get(id);
    if (!clip) continue;
    if (clip.blend && !among.has(clip.blend.with)) takeBlendOff(tx, id);
    const follower = blendAfter(tx.doc, tx.clip(id));
    if (follower && !among.has(follower.id)) takeBlendOff(tx, follower.id);
  }
}

/** Splits every clip of some tracks that lies across a position; blends there are put back to their splice first. */
export function cutTracksAt(tx: Transaction, trackIds: Iterable<string>, at: number): void {
  const all = [...trackIds];
  for (const trackId of all) unblendAt(tx, trackId, at);
  // What is set shows when it is next looked for: one look at all tracks, then all cuts.
  const across = all.flatMap((trackId) => tx.lane(trackId).within(at, at + 1));
  for (const clip of across) if (clip.start < at && clipEnd(clip) > at) splitClip(tx, clip, at);
}

/** The part of a clip inside [from, to), with what is left of its fades; null when there is none. Its blend goes with it only if kept whole. */
export function sliceOf(clip: Clip, from: number, to: number): Clip | null {
  const head = Math.max(0, from - clip.start);
  const tail = Math.max(0, clipEnd(clip) - to);
  const length = clip.length - head - tail;
  if (length < 1) return null;
  if (head === 0 && tail === 0) return clip;
  return {
    ...clip,
    start: clip.start + head,
    offset: clip.offset + head,
    length,
    sync: clip.sync !== null && clip.sync >= head && clip.sync < head + length ? clip.sync - head : null,
    fadeIn: fadeQuietPart(fadeLoudPart(clip.fadeIn, head), length),
    fadeOut: fadeQuietPart(fadeLoudPart(clip.fadeOut, tail), length),
    blend: head === 0 ? clip.blend : null,
  };
}
