import { z } from "zod";
import { fadeLoudPart, fadeQuietPart } from "../dsp/fades";
import { blendAfter } from "../model/document";
import { type Clip, clipEnd, type Fade } from "../model/schema";
import type { Transaction } from "./transaction";

/**
 * What a dropped clip does to those it lands on: `layer` lies on top of them, `cover` trims, splits or removes what is beneath, `blend`
 * turns the overlap into a crossfade.
 */
export const Overlap = z.enum(["layer", "cover", "blend"]).default("layer");
export type Overlap = z.infer<typeof Overlap>;

/** Applies the overlap rule for clips that were just laid where they are; among themselves they keep their layers. */
export function settleOverlaps(tx: Transaction, clipIds: readonly string[], overlap: Overlap): void {
  const dropped = new Set(clipIds);
  const { doc } = tx;
  const beneathOf = (id: string) => {
    const clip = tx.clip(id);
    const blended = new Set([clip.blend?.with]);
    return (doc.lanes.get(clip.trackId)?.within(clip.start, clipEnd(clip)) ?? []).filter(
      (c) => !dropped.has(c.id) && !blended.has(c.id) && c.blend?.with !== id,
    );
  };
  if (overlap === "blend") {
    for (const id of clipIds) for (const below of beneathOf(id)) blendOver(tx, id, below.id, dropped);
  }
  if (overlap === "cover") {
    for (const id of clipIds) {
      const { start, length } = tx.clip(id);
      for (const below of beneathOf(id)) clearSpan(tx, below.id, start, start + length);
    }
    return;
  }
  // One lift for all, so that the dropped clips stay as they were to each other.
  let lift = 0;
  for (const id of clipIds) {
    const { layer } = tx.clip(id);
    for (const below of beneathOf(id)) if (below.layer >= layer + lift) lift = below.layer + 1 - layer;
  }
  if (lift > 0) for (const id of clipIds) tx.setClip({ ...tx.clip(id), layer: tx.clip(id).layer + lift });
}

/** Blend over this many seconds where a clip is dropped wholly inside another. */
const INSIDE_SECONDS = 0.012;
const LINKED_AUTO = { law: "auto", place: "free", linked: true } as const;

/** Crossfades two clips that overlap, the left one's end with the right one's start; false where their fades leave no room. */
function joinOverlap(tx: Transaction, left: Clip, right: Clip): boolean {
  const overlap = clipEnd(left) - right.start;
  const free =
    !right.blend && !blendAfter(tx.doc, left) && left.fadeIn.length + overlap <= left.length && overlap + right.fadeOut.length <= right.length;
  if (!free) return false;
  const fade: Fade = { length: overlap, shape: right.fadeIn.length > 0 ? right.fadeIn.shape : "power", bend: right.fadeIn.bend };
  tx.setClip({ ...left, fadeOut: fade });
  tx.setClip({ ...right, fadeIn: fade, blend: { with: left.id, splice: right.start + Math.floor(overlap / 2), ...LINKED_AUTO } });
  return true;
}

/**
 * Turns the overlap of a dropped clip with one beneath into a crossfade. Dropped wholly inside, both its ends blend over a short length;
 * where it covers the other one whole, or fades leave no room, it lies over it.
 */
function blendOver(tx: Transaction, droppedId: string, belowId: string, dropped: ReadonlySet<string>): void {
  const clip = tx.clip(droppedId);
  const below = tx.doc.clips.get(belowId);
  if (!below || dropped.has(belowId)) return;
  const [end, belowEnd] = [clipEnd(clip), clipEnd(below)];
  if (below.start < clip.start && belowEnd <= end) return void joinOverlap(tx, below, clip);
  if (clip.start <= below.start && end < belowEnd) return void joinOverlap(tx, clip, below);
  if (!(below.start < clip.start && end < belowEnd)) return;
  const length = Math.min(Math.round(INSIDE_SECONDS * tx.before.sampleRate), Math.floor(clip.length / 2));
  if (length < 1) return;
  clearSpan(tx, belowId, clip.start + length, end - length);
  const [left, right] = [
    tx.doc.clips.get(belowId),
    tx
      .lane(clip.trackId)
      .within(end - length, end)
      .find((c) => c.start === end - length && c.sourceId === below.sourceId && c.id !== clip.id),
  ];
  if (left) joinOverlap(tx, left, tx.clip(droppedId));
  if (right) joinOverlap(tx, tx.clip(droppedId), right);
}

/** Takes the span [from, to) out of a clip: trims it, splits it, or removes it. */
export function clearSpan(tx: Transaction, clipId: string, from: number, to: number): void {
  const clip = tx.clip(clipId);
  const end = clipEnd(clip);
  if (to <= clip.start || from >= end) return;
  const head = Math.max(0, from - clip.start);
  const tail = Math.max(0, end - to);
  const quiet = (fade: Fade, room: number): Fade => fadeQuietPart(fade, room);
  if (head > 0) tx.setClip({ ...clip, length: head, fadeIn: quiet(clip.fadeIn, head), fadeOut: fadeLoudPart(clip.fadeOut, end - from) });
  if (tail > 0) {
    const rest = {
      ...clip,
      id: head > 0 ? tx.newId() : clip.id,
      start: to,
      offset: clip.offset + (to - clip.start),
      length: tail,
      blend: null,
      sync: null,
      fadeIn: fadeLoudPart(clip.fadeIn, to - clip.start),
      fadeOut: quiet(clip.fadeOut, tail),
    };
    tx.setClip(rest);
  }
  if (head === 0 && tail === 0) tx.set("clip", clipId, null);
}
