import { z } from "zod";
import { bareFade } from "../../dsp/fades";
import { hitsBetween } from "../../model/clip/hits";
import { blendAfter } from "../../model/document";
import { playsSame } from "../../model/recipe/played-recording";
import { type Clip, clipEnd, type Fade, Length } from "../../model/schema";
import { takeOut } from "../cutting/cut";
import { withEnd, withStart } from "../cutting/parts";
import type { Transaction } from "../transaction";

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
  attacks: z
    .boolean()
    .default(false)
    .describe(
      "blend: keeps attacks, so that a blend ends before a hit of the later clip that begins within it; where that clip starts at its hit, the blend lies before it",
    ),
};

/** The rule, and how long a blend is where the clips' places do not say it. */
export interface Landing {
  readonly overlap: Overlap;
  readonly blendLength?: number;
  readonly attacks?: boolean;
}

/**
 * Applies the overlap rule for clips that were just laid where they are, one after the other; among themselves they keep their layers,
 * unless `among` says that their edges were moved one by one: then only what each newly covers counts, and two of them that came to overlap are like
 * any other two.
 */
export function resolveOverlaps(tx: Transaction, clipIds: readonly string[], landing: Landing, among = false): void {
  const { overlap } = landing;
  const dropped = new Set(clipIds);
  const was = tx.before.clips;
  const lapped = (a: string, b: string): boolean => {
    const [one, other] = [was.get(a), was.get(b)];
    return one !== undefined && other !== undefined && one.trackId === other.trackId && one.start < clipEnd(other) && other.start < clipEnd(one);
  };
  const beneathOf = (id: string): Clip[] => {
    // Each lands on what the ones before have left; two blends in turn may have taken it away.
    const clip = tx.doc.clips.get(id);
    const lane = clip && tx.doc.lanes.get(clip.trackId);
    if (!clip || !lane?.hasOverlaps) return [];
    return lane
      .within(clip.start, clipEnd(clip))
      .filter(
        (c) =>
          c.id !== id &&
          (among ? !lapped(id, c.id) && (!dropped.has(c.id) || overlap !== "layer") : !dropped.has(c.id)) &&
          clip.blend?.with !== c.id &&
          c.blend?.with !== id,
      );
  };
  if (overlap === "cover") {
    if (among) coverMore(tx, clipIds, dropped, lapped);
    for (const id of clipIds)
      for (const below of beneathOf(id)) {
        const { start, length } = tx.clip(id);
        if (tx.doc.clips.has(below.id)) {
          meet(tx, tx.clip(id), below);
          takeOut(tx, below.id, start, start + length);
        }
      }
    return;
  }
  if (overlap === "blend" && landing.attacks) for (const id of clipIds) keepBlendedAttacks(tx, id);
  if (overlap === "blend")
    for (const id of clipIds) for (const below of beneathOf(id)) if (tx.doc.clips.has(below.id)) blendOver(tx, id, below.id, landing);
  if (among) return void clipIds.forEach((id) => liftOver(tx, id, beneathOf(id), lapped));
  // One lift for all, so that the dropped clips stay as they were to each other.
  let lift = 0;
  for (const id of clipIds) {
    const { layer } = tx.clip(id);
    for (const below of beneathOf(id).filter((c) => !dropped.has(c.id))) if (below.layer >= layer + lift) lift = below.layer + 1 - layer;
  }
  if (lift > 0) for (const id of clipIds) tx.setClip({ ...tx.clip(id), layer: tx.clip(id).layer + lift });
}

/** Lifts a clip whose edge was moved over those that it newly covers, as long as it passes none that lay over it before. */
function liftOver(tx: Transaction, id: string, beneath: readonly Clip[], lapped: (a: string, b: string) => boolean): void {
  const clip = tx.clip(id);
  const layer = Math.max(clip.layer, ...beneath.map((c) => c.layer + 1));
  if (layer === clip.layer) return;
  const over = tx
    .lane(clip.trackId)
    .within(clip.start, clipEnd(clip))
    .some((c) => c.id !== id && c.layer > clip.layer && c.layer <= layer && lapped(id, c.id));
  if (!over) tx.setClip({ ...clip, layer });
}

/** What clips whose edges were moved cover more than before of those that lay beneath them already is taken out of these. */
function coverMore(tx: Transaction, clipIds: readonly string[], dropped: ReadonlySet<string>, lapped: (a: string, b: string) => boolean): void {
  for (const id of clipIds) {
    const [clip, was] = [tx.clip(id), tx.before.clips.get(id)];
    if (!was || was.trackId !== clip.trackId) continue;
    for (const [from, to] of [
      [clip.start, Math.min(was.start, clipEnd(clip))],
      [Math.max(clip.start, clipEnd(was)), clipEnd(clip)],
    ])
      for (const below of from < to ? tx.lane(clip.trackId).within(from, to) : []) {
        if (dropped.has(below.id) || below.layer >= clip.layer || !lapped(id, below.id) || blendsWith(clip, below)) continue;
        meet(tx, clip, below);
        takeOut(tx, below.id, from, to);
      }
  }
}

const blendsWith = (a: Clip, b: Clip): boolean => a.blend?.with === b.id || b.blend?.with === a.id;

/** Two clips change each other where they came to meet: what does not belong together is changed from outside. */
function meet(tx: Transaction, a: Clip, b: Clip): void {
  if (a.bundle !== null && a.bundle === b.bundle) return;
  tx.changeFromOutside(a.id);
  tx.changeFromOutside(b.id);
}

/** Blend over this many seconds where a clip is dropped wholly inside another and no length is set. */
const INSIDE_SECONDS = 0.012;
const LINKED_AUTO = { law: "auto", place: "free", linked: true } as const;

/** A clip whose hit comes no later than this after its start starts at it. */
const AT_ITS_HIT_SECONDS = 0.001;

/** Where two clips that overlap are to blend: over the overlap, or with `attacks` before the first hit of the later one in it. */
function blendSpan(tx: Transaction, left: Clip, right: Clip, { attacks }: Landing, set: number): { from: number; to: number } {
  const whole = { from: right.start, to: clipEnd(left) };
  const [hit] = attacks ? hitsBetween(tx.before.sources, right, whole.from, whole.to) : [];
  if (hit === undefined) return whole;
  if (hit - right.start >= AT_ITS_HIT_SECONDS * tx.before.sampleRate) return { from: right.start, to: hit };
  // It starts at its hit: the blend lies before, in what is hidden of it, as far as that and the earlier clip reach.
  const most = Math.min(right.offset + hit - right.start, hit - left.start - left.fadeIn.length);
  const length = Math.max(0, Math.min(set, whole.to - whole.from, most));
  // What is hidden may hold a hit of its own, which nobody wants to hear coming in.
  const hidden = hitsBetween(tx.before.sources, withStart(right, hit - length), hit - length, hit).at(-1);
  return { from: hidden === undefined ? hit - length : hidden + 1, to: hit };
}

/** Crossfades two clips that overlap, the left one's end with the right one's start; false where their fades leave no room. */
function joinOverlap(tx: Transaction, left: Clip, right: Clip, landing: Landing): boolean {
  const fits =
    left.start <= right.start && clipEnd(left) > right.start && clipEnd(left) <= clipEnd(right) && !right.blend && !blendAfter(tx.doc, left);
  if (!fits) return false;
  meet(tx, left, right);
  const { from, to } = blendSpan(tx, left, right, landing, setLength(tx, landing));
  const overlap = to - from;
  const [out, into] = [withEnd(left, to), withStart(right, from)];
  if (out.length < 1 || out.fadeIn.length + overlap > out.length || overlap + into.fadeOut.length > into.length) return false;
  if (overlap < 1) {
    // No material before the attack: the earlier clip ends where it begins.
    tx.setClip({ ...out, fadeOut: bareFade(left.fadeOut) });
    return true;
  }
  const shape = right.fadeIn.length > 0 ? right.fadeIn : { shape: "power" as const, bend: right.fadeIn.bend };
  const fade: Fade = { ...bareFade(shape), length: overlap };
  tx.setClip({ ...out, fadeOut: fade });
  // Where the clip now begins before its hit, the hit stays what it is placed and snapped by.
  const sync = from < right.start && into.sync === null ? to - from : into.sync;
  tx.setClip({ ...into, sync, fadeIn: fade, blend: { with: left.id, splice: from + Math.floor(overlap / 2), ...LINKED_AUTO } });
  return true;
}

/** Blends that a clip was in already have come to be longer or shorter with it: none goes over a hit of its later clip. */
function keepBlendedAttacks(tx: Transaction, id: string): void {
  const clip = tx.doc.clips.get(id);
  for (const right of clip ? [clip, blendAfter(tx.doc, clip)] : []) {
    const left = right?.blend && tx.doc.clips.get(right.blend.with);
    if (!right || !left || left.trackId !== right.trackId) continue;
    const [hit] = hitsBetween(tx.before.sources, right, right.start + 1, clipEnd(left));
    if (hit !== undefined && hit > left.start) tx.setClip(withEnd(left, hit));
  }
}

/** The length of a blend where the clips' places do not say it. */
export const setLength = (tx: Transaction, { blendLength }: Landing): number =>
  blendLength ?? (tx.edge.length || Math.round(INSIDE_SECONDS * tx.before.sampleRate));

/**
 * Turns the overlap of a dropped clip with one beneath into a crossfade. Dropped wholly inside, both its ends blend over the set length;
 * where it covers the other one whole, or fades leave no room, it lies over it.
 */
function blendOver(tx: Transaction, droppedId: string, belowId: string, landing: Landing): void {
  const clip = tx.clip(droppedId);
  const below = tx.clip(belowId);
  const [end, belowEnd] = [clipEnd(clip), clipEnd(below)];
  if (below.start < clip.start && belowEnd <= end) return void joinOverlap(tx, below, clip, landing);
  if (clip.start <= below.start && end < belowEnd) return void joinOverlap(tx, clip, below, landing);
  if (!(below.start < clip.start && end < belowEnd)) return;
  // At least one sample of what lies beneath goes, so that it falls into two.
  const length = Math.min(setLength(tx, landing), Math.floor((clip.length - 1) / 2));
  const free = !clip.blend && !blendAfter(tx.doc, clip) && below.fadeIn.length + length <= clip.start + length - below.start;
  if (length < 1 || !free || below.fadeOut.length + length > belowEnd - end + length) return;
  const beside = new Set(tx.lane(clip.trackId).clips.map((c) => c.id));
  takeOut(tx, belowId, clip.start + length, end - length);
  const left = tx.doc.clips.get(belowId);
  const right = tx
    .lane(clip.trackId)
    .within(end - length, end)
    .find((c) => c.start === end - length && playsSame(c, below) && !beside.has(c.id));
  if (left) joinOverlap(tx, left, tx.clip(droppedId), landing);
  if (right) joinOverlap(tx, tx.clip(droppedId), right, landing);
}
