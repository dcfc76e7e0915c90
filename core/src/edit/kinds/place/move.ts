import { z } from "zod";
import { blendAfter } from "../../../model/document";
import { type Clip, clipEnd, Id } from "../../../model/schema";
import { partFromNeighbours, takeBlendOff } from "../../cutting/cut";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { goingParams, placed } from "../../laying/going";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { neighbourParams, type Reach, reachGroups, ripple, type TimeChange } from "../../opening/neighbours";
import { liftClips, makeRoomFor, nearestJoint, placeEnd } from "../../opening/openings";
import type { Transaction } from "../../transaction";

export const move = defineEdit({
  type: "move",
  law: { sound: "clips", fields: [...WINDOW, "trackId"], lays: "none" },
  about:
    "Moves clips together, in time (`by` samples, or the earliest `to` a position) and across tracks (`trackId` for all, or `tracks` lanes down). Rippling, what starts after them on their track moves along; to another track they leave no gap and make room. Reordering, they leave their place in the track's sequence and go in before the clip `before`, or at the joint nearest to the position.",
  params: z
    .object({
      clipIds: ClipIds,
      ...goingParams,
      before: Id.nullable().optional().describe("reorder: the clip before which they go in; null for after the last"),
      ...overlapParams,
      ...neighbourParams,
    })
    .refine((p) => p.by === undefined || p.to === undefined, { message: "Give `by` or `to`, not both.", path: ["to"] }),
  example: { type: "move", clipIds: ["clip-1"], by: 4800 },
  links: "clipIds",
  apply(tx, { clipIds, before, overlap, blendLength, attacks, neighbours, reach, ...going }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    const next = placed(tx, clips, going);
    if (neighbours === "reorder") reorder(tx, clips, next, before);
    else {
      if (neighbours === "ripple") rippleMove(tx, clips, next, reach);
      else for (const clip of next) tx.setClip(clip);
      resolveOverlaps(
        tx,
        clips.map((c) => c.id),
        { overlap, blendLength, attacks },
      );
    }
    return `${neighbours === "reorder" ? "Reorder" : "Move"} ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});

/** On their own track, what starts later moves along; those that change track close up behind and make room where they land. */
function rippleMove(tx: Transaction, clips: readonly Clip[], next: readonly Clip[], reach: Reach): void {
  const staying = next.filter((c, i) => c.trackId === clips[i].trackId);
  const leaving = next.filter((c, i) => c.trackId !== clips[i].trackId);
  const ids = new Set(clips.map((c) => c.id));
  if (staying.length) {
    const was = new Map(clips.map((c) => [c.id, c]));
    const by = staying[0].start - (was.get(staying[0].id) as Clip).start;
    const changes: TimeChange[] = [];
    const along = new Map<string, number>();
    const groups = reachGroups(
      tx,
      staying.map((c) => c.trackId),
      reach,
    );
    for (const group of groups) {
      const own = staying.filter((c) => group.includes(c.trackId)).map((c) => was.get(c.id) as Clip);
      const from = Math.min(...own.map(clipEnd));
      changes.push({ trackId: own[0].trackId, at: from, by });
      for (const clip of own) {
        const follower = blendAfter(tx.doc, clip);
        if (follower) along.set(follower.id, from);
      }
    }
    // Marks that lie on the clips go with them.
    ripple(tx, changes, reach, { except: ids, along, marksAt: Math.min(...staying.map((c) => (was.get(c.id) as Clip).start)) });
    for (const clip of staying) tx.setClip(clip);
  }
  if (leaving.length) {
    liftClips(
      tx,
      leaving.map((c) => c.id),
      "ripple",
      reach,
    );
    makeRoomFor(tx, leaving, reach);
    for (const clip of leaving) tx.setClip({ ...clip, blend: keptBlend(clip, leaving) });
  }
}

const keptBlend = (clip: Clip, among: readonly Clip[]): Clip["blend"] =>
  clip.blend && among.some((c) => c.id === clip.blend?.with) ? clip.blend : null;

/** A clip in a sequence with the gap that goes with it. */
interface Place {
  readonly clipId: string;
  readonly gap: number;
  /** Where it was wished for. */
  readonly wish: number;
}

/**
 * The gaps that go with some clips of a track's sequence: the one after each; with what stands at the end of all, where no gap follows,
 * the one before it, so that there and back again is the same.
 */
function gapsOf(tx: Transaction, trackId: string, ids: ReadonlySet<string>): Map<string, number> {
  const { clips } = tx.lane(trackId);
  const gaps = new Map<string, number>();
  for (const clip of clips) {
    if (!ids.has(clip.id)) continue;
    const partner = blendAfter(tx.doc, clip);
    gaps.set(clip.id, (partner ? partner.start : placeEnd(tx, clip)) - clipEnd(clip));
  }
  let first = clips.length;
  while (first > 0 && ids.has(clips[first - 1].id)) first--;
  if (first > 0 && first < clips.length) {
    const ends = clips.slice(0, first).reduce((m, c) => Math.max(m, clipEnd(c)), 0);
    gaps.set(clips[clips.length - 1].id, Math.max(0, clips[first].start - ends));
  }
  return gaps;
}

/** Clips leave their places in their tracks' sequences, which close up, and go in as one block per track, which makes room. */
function reorder(tx: Transaction, clips: readonly Clip[], next: readonly Clip[], before: string | null | undefined): void {
  const ids = new Set(clips.map((c) => c.id));
  const wanted = before ? tx.clip(before, "before") : null;
  if (wanted && ids.has(wanted.id)) throw new EditError("A clip can't go in before itself.", "before");
  const joints = new Map<string, string | null>();
  for (const trackId of new Set(next.map((c) => c.trackId))) {
    const first = Math.min(...next.filter((c) => c.trackId === trackId).map((c) => c.start));
    const at = wanted?.start ?? (before === null ? Number.POSITIVE_INFINITY : nearestJoint(tx, trackId, first, ids));
    const joint = wanted?.trackId === trackId ? wanted : tx.lane(trackId).clips.find((c) => c.start >= at && !ids.has(c.id));
    joints.set(trackId, joint?.id ?? null);
  }
  // Blends at the joints that open are put back to their splice, so that places are told by whole clips.
  partFromNeighbours(tx, [...ids]);
  for (const joint of joints.values()) if (joint) takeBlendOff(tx, joint);
  const gaps = new Map([...new Set(clips.map((c) => c.trackId))].flatMap((trackId) => [...gapsOf(tx, trackId, ids)]));
  const moving = next.map(({ id, trackId, start }): Place & { trackId: string } => ({ clipId: id, trackId, wish: start, gap: gaps.get(id) ?? 0 }));
  const lengths = new Map(moving.map((m) => [m.clipId, tx.clip(m.clipId)]));
  liftClips(tx, [...ids], "reorder", "track");
  for (const [trackId, joint] of joints) {
    const block = moving.filter((m) => m.trackId === trackId).sort((a, b) => a.wish - b.wish);
    const lane = tx.lane(trackId).clips;
    const end = lane.reduce((m, c) => Math.max(m, clipEnd(c)), 0);
    const last = block[block.length - 1];
    // Behind the last clip the block's own last gap stands in front of it.
    // All that there is on a track stays where it begins.
    const alone = Math.min(
      ...block.map((m) => ((lengths.get(m.clipId) as Clip).trackId === trackId ? (lengths.get(m.clipId) as Clip).start : Number.POSITIVE_INFINITY)),
    );
    const start = joint ? tx.clip(joint).start : lane.length > 0 ? end + last.gap : Number.isFinite(alone) ? alone : block[0].wish;
    const room = block.reduce((sum, m) => sum + (lengths.get(m.clipId) as Clip).length + m.gap, 0);
    if (joint) ripple(tx, [{ trackId, at: start, by: room }], "track");
    let at = start;
    for (const { clipId, gap } of block) {
      const clip = lengths.get(clipId) as Clip;
      const blend = clip.blend && { ...clip.blend, splice: clip.blend.splice + at - clip.start };
      tx.setClip({ ...clip, trackId, start: at, blend });
      at += clip.length + gap;
    }
  }
}
