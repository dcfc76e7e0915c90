import { type Clip, clipEnd } from "../../model/schema";
import { cutTracks, partFromNeighbours } from "../cutting/cut";
import type { Transaction } from "../transaction";
import { emptyParts, type Neighbours, type Reach, reachGroups, ripple, type TimeChange } from "./neighbours";

/**
 * Takes clips away and closes up as the neighbours' rule says: ripple closes what is empty then, reorder each clip's place with the gap
 * after it. Blends with clips that stay are put back to their splice first.
 */
export function liftClips(tx: Transaction, clipIds: readonly string[], neighbours: Neighbours, reach: Reach): void {
  if (neighbours === "hold") {
    for (const id of clipIds) tx.set("clip", id, null);
    return;
  }
  partFromNeighbours(tx, clipIds);
  const clips = clipIds.map((id) => tx.clip(id));
  const places = clips.map((c) => ({ trackId: c.trackId, from: c.start, to: neighbours === "reorder" ? placeEnd(tx, c) : clipEnd(c) }));
  for (const id of clipIds) tx.set("clip", id, null);
  const changes: TimeChange[] = places.flatMap(({ trackId, from, to }) =>
    emptyParts(tx, trackId, from, to).map((p) => ({ trackId, at: p.to, by: p.from - p.to })),
  );
  ripple(tx, changes, neighbours === "reorder" ? "track" : reach);
}

/** Where the place of a clip in its track's sequence ends: the gap after a clip belongs to it. */
export function placeEnd(tx: Transaction, clip: Clip): number {
  const { clips } = tx.lane(clip.trackId);
  return clips.slice(clips.indexOf(clip) + 1).find((c) => c.start >= clipEnd(clip))?.start ?? clipEnd(clip);
}

/** Opens `length` samples at a position on the tracks in reach of some tracks; clips across it are split there. */
export function openRoom(tx: Transaction, trackIds: Iterable<string>, at: number, length: number, reach: Reach): void {
  const ids = [...new Set(trackIds)];
  cutTracks(tx, reachGroups(tx, ids, reach).flat(), [at]);
  ripple(
    tx,
    ids.map((trackId) => ({ trackId, at, by: length })),
    reach,
  );
}

/** The joint of a track's sequence that lies nearest to a position: the start of a clip or the end of the last one. `apart` don't count. */
export function nearestJoint(tx: Pick<Transaction, "lane">, trackId: string, position: number, apart: ReadonlySet<string> = new Set()): number {
  let best = 0;
  let distance = Number.POSITIVE_INFINITY;
  let end = 0;
  const consider = (joint: number): void => {
    if (Math.abs(joint - position) < distance) {
      distance = Math.abs(joint - position);
      best = joint;
    }
  };
  for (const clip of tx.lane(trackId).clips) {
    if (apart.has(clip.id)) continue;
    consider(clip.start);
    end = Math.max(end, clipEnd(clip));
  }
  // An empty track takes a clip where it is dropped.
  if (end === 0) return position;
  consider(end);
  return best;
}

/** Makes room for clips that come in, as the neighbours' rule says, and returns how far they go to their joint (reorder). */
export function roomFor(tx: Transaction, clips: readonly Clip[], neighbours: Neighbours, reach: Reach, least = 0): number {
  if (neighbours === "hold") return 0;
  if (neighbours === "ripple") {
    makeRoomFor(tx, clips, reach, least);
    return 0;
  }
  const first = clips.reduce((a, b) => (b.start < a.start ? b : a));
  const by = nearestJoint(tx, first.trackId, first.start) - first.start;
  makeRoomFor(
    tx,
    clips.map((c) => ({ ...c, start: c.start + by })),
    "track",
    least,
  );
  return by;
}

/** Opens room for clips as they shall lie: on each group of tracks in reach one opening, from the first to the end of the last. */
export function makeRoomFor(tx: Transaction, clips: readonly Clip[], reach: Reach, least = 0): void {
  for (const group of reachGroups(
    tx,
    clips.map((c) => c.trackId),
    reach,
  )) {
    const own = clips.filter((c) => group.includes(c.trackId));
    const at = Math.min(...own.map((c) => c.start));
    const length = Math.max(least, Math.max(...own.map(clipEnd)) - at);
    openRoom(
      tx,
      own.map((c) => c.trackId),
      at,
      length,
      reach,
    );
  }
}
