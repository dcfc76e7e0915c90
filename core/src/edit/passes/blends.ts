import { bareFade, fadeOfLength } from "../../dsp/fades";
import { blendAfter } from "../../model/document";
import { playsSame } from "../../model/recipe/played-recording";
import { type Clip, clipEnd } from "../../model/schema";
import { withEnd, withStart } from "../cutting/parts";
import type { Transaction } from "../transaction";

/*
 * After every edit: each blend is refitted to an overlap that changed, and ended where its clips came apart.
 */
export function passBlends(tx: Transaction): void {
  const rights = new Set<string>();
  for (const { id, before, after } of tx.clipChanges()) {
    if (after?.blend || before?.blend) rights.add(id);
    // A blend's earlier clip fades out.
    const follower =
      before && before.fadeOut.length > 0 && tx.before.lanes.get(before.trackId)?.hasBlends ? blendAfter(tx.before, before) : undefined;
    if (follower) rights.add(follower.id);
  }
  for (const id of rights) {
    const right = tx.clipNow(id);
    if (!right) endTail(tx, tx.before.clips.get(id));
    if (!right?.blend) continue;
    const left = tx.clipNow(right.blend.with);
    const overlap = left ? clipEnd(left) - right.start : 0;
    const holds = left && left.trackId === right.trackId && overlap > 0 && left.start <= right.start && clipEnd(left) <= clipEnd(right);
    if (holds && left.fadeIn.length + overlap <= left.length && overlap + right.fadeOut.length <= right.length) {
      tx.setClip({ ...right, fadeIn: fadeOfLength(right.fadeIn, overlap) });
      tx.setClip({ ...left, fadeOut: fadeOfLength(left.fadeOut, overlap) });
    } else endBlend(tx, left, right);
  }
}

/** Puts what is left of a blend back to its splice, each clip to the moment of its own recording that lay there; the edges are new. */
function endBlend(tx: Transaction, left: Clip | null, right: Clip): void {
  const was = tx.before.clips.get(right.id);
  const wasLeft = was?.blend ? tx.before.clips.get(was.blend.with) : undefined;
  const back = withStart(right, Math.max(right.start, spliceIn(right, was ?? right, was)));
  // What an edit cut away beyond the splice stays away.
  const next = back.length >= 1 ? back : right;
  tx.setClip({ ...next, fadeIn: bareFade(right.fadeIn), blend: null });
  tx.edges.isNew(right.id, "start");
  if (left && left.fadeOut.length > 0) endAt(tx, left, wasLeft && was ? spliceIn(left, wasLeft, was) : clipEnd(left));
}

/** Puts the end of what a blend went out from, whose later clip is gone, back to its splice. */
function endTail(tx: Transaction, was: Clip | undefined): void {
  const wasLeft = was?.blend ? tx.before.clips.get(was.blend.with) : undefined;
  if (!was || !wasLeft) return;
  // A cut may have left the end to a piece of its own.
  const isTail = (c: Clip | null): c is Clip =>
    c !== null && playsSame(c, wasLeft) && c.offset + c.length === wasLeft.offset + wasLeft.length && c.fadeOut.length === wasLeft.fadeOut.length;
  const own = tx.clipNow(wasLeft.id);
  const tail = isTail(own) ? own : tx.clipChanges().find((c) => !c.before && isTail(c.after))?.after;
  if (tail) endAt(tx, tail, spliceIn(tail, wasLeft, was));
}

function endAt(tx: Transaction, left: Clip, splice: number): void {
  const end = Math.min(clipEnd(left), splice);
  tx.setClip({ ...(end > left.start ? withEnd(left, end) : left), fadeOut: bareFade(left.fadeOut) });
  tx.edges.isNew(left.id, "end");
}

/** Where in a clip, as it lies now, the moment of its recording is at which the splice of a blend lay. */
const spliceIn = (now: Clip, was: Clip, right: Clip | undefined): number =>
  right?.blend ? now.start + (was.offset + right.blend.splice - was.start) - now.offset : now.start;
