import { z } from "zod";
import { clipEnd, type Fade } from "../model/schema";
import { fadeLoudPart, fadeQuietPart } from "../dsp/fades";
import type { Transaction } from "./transaction";

/** What a dropped clip does to those it lands on: `layer` lies on top of them, `cover` trims, splits or removes what is beneath. */
export const Overlap = z.enum(["layer", "cover"]).default("layer");
export type Overlap = z.infer<typeof Overlap>;

/** Applies the overlap rule for clips that were just laid where they are; among themselves they keep their layers. */
export function settleOverlaps(tx: Transaction, clipIds: readonly string[], overlap: Overlap): void {
  const dropped = new Set(clipIds);
  const { doc } = tx;
  const beneathOf = (id: string) => {
    const clip = tx.clip(id);
    const blended = new Set([clip.blend?.with]);
    return (doc.lanes.get(clip.trackId)?.within(clip.start, clipEnd(clip)) ?? []).filter((c) => !dropped.has(c.id) && !blended.has(c.id) && c.blend?.with !== id);
  };
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
