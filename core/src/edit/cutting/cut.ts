import { bareFade } from "../../dsp/fades";
import { blendAfter, type Document } from "../../model/document";
import { type Clip, clipEnd } from "../../model/schema";
import { divideBundlesAt } from "../bundles/divided";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { cutInTwo, withEnd, withStart } from "./parts";

/*
 * The one cut. Whatever parts a clip comes here, so that fades, sync point, blends and bundles are kept in one way: a fade stays with its
 * own edge and is divided where the cut falls into it; the sync point stays with the sample that it marks; the later clip of a blend
 * follows the part that keeps the end; bundles that a cut leaves on both sides become two.
 */

/** The stretch in which a clip overlaps the one that it takes over from, and that in which the next takes over from it. */
export function blendSpans(doc: Document, clip: Clip): { readonly from: number; readonly to: number; readonly rightId: string }[] {
  const spans = clip.blend ? [{ from: clip.start, to: clip.start + clip.fadeIn.length, rightId: clip.id }] : [];
  const follower = blendAfter(doc, clip);
  if (follower) spans.push({ from: follower.start, to: clipEnd(clip), rightId: follower.id });
  return spans;
}

/** Whether a position lies in one of some blends, its borders included: a cut there would leave a piece that is nothing but blend. */
export const inside = (blends: readonly { readonly from: number; readonly to: number }[], at: number): boolean =>
  blends.some((s) => at >= s.from && at <= s.to);

/** A clip and where it is to be cut, in order, each inside it. */
export interface Cuts {
  readonly clipId: string;
  readonly places: readonly number[];
}

/**
 * Cuts clips, each at its places, as if the cuts had been made one by one in any order. Returns for each clip the ids of its pieces in
 * order; the first keeps the clip's own. No place may lie outside its clip or in a blend. Throws EditError.
 */
export function cutClips(tx: Transaction, cuts: readonly Cuts[]): string[][] {
  // Where blends lie does not change by cuts, only who holds them: one look serves all.
  const { doc } = tx;
  return cuts.map(({ clipId, places }) => {
    let rest = tx.clip(clipId);
    const was = doc.clips.get(clipId) as Clip;
    const follower = places.length ? blendAfter(doc, was) : undefined;
    const ids = [clipId];
    for (const at of places) {
      if (at <= rest.start || at >= clipEnd(rest)) throw new EditError(`${rest.name || "The clip"} has no sample on both sides of ${at}.`, "at");
      const [left, right] = cutInTwo(rest, at - rest.start, tx.newId());
      tx.edges.comesFrom(right.id, "end", left.id, "end");
      tx.edges.isNew(left.id, "end");
      tx.edges.isNew(right.id, "start");
      tx.setClip(left);
      ids.push(right.id);
      rest = right;
    }
    if (places.length) tx.setClip(rest);
    if (follower) {
      const now = tx.clip(follower.id);
      if (now.blend) tx.setClip({ ...now, blend: { ...now.blend, with: rest.id } });
    }
    return ids;
  });
}

/** Cuts clips as `cutClips` does, and divides the bundles that are cut through. */
export function cutApart(tx: Transaction, cuts: readonly Cuts[]): string[][] {
  const bundles = new Set(cuts.flatMap(({ clipId, places }) => (places.length ? (tx.clip(clipId).bundle ?? []) : [])));
  const ids = cutClips(tx, cuts);
  if (bundles.size) divideBundlesAt(tx, [...new Set(cuts.flatMap((c) => c.places))], bundles);
  return ids;
}

/**
 * Cuts everything on some tracks at some places, and divides the bundles that lie on both sides of one. Blends there are put back to
 * their splice first.
 */
export function cutTracks(tx: Transaction, trackIds: Iterable<string>, places: readonly number[]): void {
  const tracks = [...new Set(trackIds)];
  for (const at of places) for (const trackId of tracks) unblendAt(tx, trackId, at);
  const { doc } = tx;
  const cuts = new Map<string, number[]>();
  const bundles = new Set<string>();
  // A take stack is one thing where none of its takes has sound, too.
  for (const b of doc.bundles.values()) if (b.takes && tracks.includes(b.trackId)) bundles.add(b.id);
  for (const at of [...new Set(places)].sort((a, b) => a - b))
    for (const trackId of tracks)
      for (const clip of doc.lanes.get(trackId)?.within(at - 1, at + 1) ?? []) {
        if (clip.bundle !== null) bundles.add(clip.bundle);
        if (clip.start >= at || clipEnd(clip) <= at) continue;
        const own = cuts.get(clip.id);
        if (own) own.push(at);
        else cuts.set(clip.id, [at]);
      }
  cutClips(
    tx,
    [...cuts].map(([clipId, own]) => ({ clipId, places: own })),
  );
  if (bundles.size) divideBundlesAt(tx, places, bundles);
}

/** Takes the span [from, to) out of a clip: trims it, splits it, or removes it. Blends that the span touches are put back to their splice first. */
export function takeOut(tx: Transaction, clipId: string, from: number, to: number): void {
  for (const { rightId, ...span } of blendSpans(tx.doc, tx.clip(clipId))) if (from < span.to && to > span.from) takeBlendOff(tx, rightId);
  const clip = tx.doc.clips.get(clipId);
  if (!clip || to <= clip.start || from >= clipEnd(clip)) return;
  // What is left keeps the clip's id where it is one piece.
  if (from <= clip.start && to < clipEnd(clip)) {
    tx.edges.isNew(clipId, "start");
    return tx.setClip(cutInTwo(clip, to - clip.start, clipId)[1]);
  }
  const places = [from, to].filter((p) => p > clip.start && p < clipEnd(clip));
  const [ids] = cutClips(tx, [{ clipId, places }]);
  tx.set("clip", ids[from > clip.start ? 1 : 0], null);
}

/** The clip pair of a blend back at its splice, without it. Either may be left without a sample. Throws EditError where there is no blend. */
export function unblended(tx: Pick<Transaction, "clip">, right: Clip): { left: Clip; right: Clip } {
  if (!right.blend) throw new EditError(`${right.name || "The clip"} has no blend at its start.`, "clipId");
  const left = tx.clip(right.blend.with);
  // A splice that edits left behind falls back to the middle of the overlap.
  const { splice: kept } = right.blend;
  const splice = kept > right.start - 1 && kept <= clipEnd(left) ? kept : Math.floor((right.start + clipEnd(left)) / 2);
  return {
    left: { ...withEnd(left, splice), fadeOut: bareFade(left.fadeOut) },
    right: { ...withStart(right, splice), fadeIn: bareFade(right.fadeIn), blend: null },
  };
}

/** Takes the blend at a clip's start off, both clips back at the splice, their edges new. Does nothing where there is none. */
export function takeBlendOff(tx: Transaction, clipId: string): void {
  const clip = tx.clip(clipId);
  if (!clip.blend) return;
  const goingOut = tx.clip(clip.blend.with).fadeOut;
  const { left, right } = unblended(tx, clip);
  for (const part of [left, right]) {
    if (part.length >= 1) tx.setClip(part);
    else tx.set("clip", part.id, null);
  }
  // What stood bare before two edges got a blend by themselves stands so again.
  if (goingOut.bare === left.offset + left.length) tx.edges.isKept(left.id, "end");
  else tx.edges.isNew(left.id, "end");
  if (clip.fadeIn.bare === right.offset) tx.edges.isKept(right.id, "start");
  else tx.edges.isNew(right.id, "start");
}

/** Puts the clips of every blend that a position lies in, or on the border of, back to their splice. */
export function unblendAt(tx: Transaction, trackId: string, at: number): void {
  for (const clip of tx.lane(trackId).within(at - 1, at + 1)) {
    if (clip.blend && clip.start <= at && at <= clip.start + clip.fadeIn.length) takeBlendOff(tx, clip.id);
  }
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
