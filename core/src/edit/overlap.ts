import { z } from "zod";
import { bareFade } from "../dsp/fades";
import { blendAfter } from "../model/document";
import { type Clip, clipEnd, type Fade, Length } from "../model/schema";
import { takeOut } from "./cut";
import type { Transaction } from "./transaction";

/**
 * What a dropped clip does to those it lands on: `layer` lies on top of them, `cover` trims, splits or removes what is beneath, `blend`
 * turns the overlap into a crossfade.
 */
export const Overlap = z.enum(["layer", "cover", "blend"]).default("layer");
export type Overlap = z.infer<typeof Overlap>;

export const overlapParams = {
  overlap: Overlap.describe("what becomes of clips beneath"),
  blendLength: Length.optional().describe(
    "blend: the length at both ends of a clip dropped wholly inside another; left out, that of new edges' fade",
  ),
};
/** The rule, and how long a blend is where the clips' places do not say it. */
export interface Landing {
  readonly overlap: Overlap;
  readonly blendLength?: number;
}

/** Applies the overlap rule for clips that were just laid where they are, one after the other; among themselves they keep their layers. */
export function settleOverlaps(tx: Transaction, clipIds: readonly string[], { overlap, blendLength }: Landing): void {
  const dropped = new Set(clipIds);
  const beneathOf = (id: string): Clip[] => {
    // Each lands on what the ones before have left.
    const clip = tx.clip(id);
    return (tx.doc.lanes.get(clip.trackId)?.within(clip.start, clipEnd(clip)) ?? []).filter(
      (c) => !dropped.has(c.id) && clip.blend?.with !== c.id && c.blend?.with !== id,
    );
  };
  if (overlap === "cover") {
    for (const id of clipIds) {
      const { start, length } = tx.clip(id);
      for (const below of beneathOf(id)) if (tx.doc.clips.has(below.id)) takeOut(tx, below.id, start, start + length);
    }
    return;
  }
  if (overlap === "blend")
    for (const id of clipIds) for (const below of beneathOf(id)) if (tx.doc.clips.has(below.id)) blendOver(tx, id, below.id, blendLength);
  // One lift for all, so that the dropped clips stay as they were to each other.
  let lift = 0;
  for (const id of clipIds) {
    const { layer } = tx.clip(id);
    for (const below of beneathOf(id)) if (below.layer >= layer + lift) lift = below.layer + 1 - layer;
  }
  if (lift > 0) for (const id of clipIds) tx.setClip({ ...tx.clip(id), layer: tx.clip(id).layer + lift });
}

/** Blend over this many seconds where a clip is dropped wholly inside another and no length is set. */
const INSIDE_SECONDS = 0.012;
const LINKED_AUTO = { law: "auto", place: "free", linked: true } as const;

/** Crossfades two clips that overlap, the left one's end with the right one's start; false where their fades leave no room. */
function joinOverlap(tx: Transaction, left: Clip, right: Clip): boolean {
  const overlap = clipEnd(left) - right.start;
  const free =
    overlap > 0 &&
    left.start <= right.start &&
    clipEnd(left) <= clipEnd(right) &&
    !right.blend &&
    !blendAfter(tx.doc, left) &&
    left.fadeIn.length + overlap <= left.length &&
    overlap + right.fadeOut.length <= right.length;
  if (!free) return false;
  const shape = right.fadeIn.length > 0 ? right.fadeIn : { shape: "power" as const, bend: right.fadeIn.bend };
  const fade: Fade = { ...bareFade(shape), length: overlap };
  tx.setClip({ ...left, fadeOut: fade });
  tx.setClip({ ...right, fadeIn: fade, blend: { with: left.id, splice: right.start + Math.floor(overlap / 2), ...LINKED_AUTO } });
  return true;
}

/**
 * Turns the overlap of a dropped clip with one beneath into a crossfade. Dropped wholly inside, both its ends blend over the set length;
 * where it covers the other one whole, or fades leave no room, it lies over it.
 */
function blendOver(tx: Transaction, droppedId: string, belowId: string, blendLength: number | undefined): void {
  const clip = tx.clip(droppedId);
  const below = tx.clip(belowId);
  const [end, belowEnd] = [clipEnd(clip), clipEnd(below)];
  if (below.start < clip.start && belowEnd <= end) return void joinOverlap(tx, below, clip);
  if (clip.start <= below.start && end < belowEnd) return void joinOverlap(tx, clip, below);
  if (!(below.start < clip.start && end < belowEnd)) return;
  const set = blendLength ?? (tx.edge.length || Math.round(INSIDE_SECONDS * tx.before.sampleRate));
  const length = Math.min(set, Math.floor(clip.length / 2));
  const free = !clip.blend && !blendAfter(tx.doc, clip) && below.fadeIn.length + length <= clip.start + length - below.start;
  if (length < 1 || !free || below.fadeOut.length + length > belowEnd - end + length) return;
  const beside = new Set(tx.lane(clip.trackId).clips.map((c) => c.id));
  takeOut(tx, belowId, clip.start + length, end - length);
  const left = tx.doc.clips.get(belowId);
  const right = tx
    .lane(clip.trackId)
    .within(end - length, end)
    .find((c) => c.start === end - length && c.sourceId === below.sourceId && !beside.has(c.id));
  if (left) joinOverlap(tx, left, tx.clip(droppedId));
  if (right) joinOverlap(tx, tx.clip(droppedId), right);
}
