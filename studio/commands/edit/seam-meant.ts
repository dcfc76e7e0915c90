import type { Outcome } from "@wet-thread/core/edit/registry";
import type { ClipChange } from "@wet-thread/core/edit/transaction";
import type { Document } from "@wet-thread/core/model/document";
import type { Seam } from "@wet-thread/core/seam/seams";
import { onOwnEdit } from "@/state/sync/own-edits";
import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { findSeam, laneSeams } from "@/timeline/model/seam-classes";

/** An edit of more clips than this makes many seams, and none of them more than the others. */
const MOST_CLIPS = 60;

/** Whether two clips meet there. */
const isJoint = (s: Seam): boolean => s.left !== null && s.right !== null && s.left.id !== s.right.id;

/** Whether a clip came to be, went, or lies elsewhere than it did: nothing else makes a seam. */
const isLaid = ({ before: a, after: b }: ClipChange): boolean =>
  !a || !b || a.start !== b.start || a.length !== b.length || a.layer !== b.layer || a.trackId !== b.trackId || a.blend !== b.blend;

/**
 * The seam that an edit made: the earliest joint that was not there before, else the earliest edge, else the first that it moved, which is where
 * something closed or opened. Null where it made none, or very many.
 */
export function seamMade(before: Document, { doc, changes }: Outcome): Seam | null {
  const laid = changes.filter((c): c is ClipChange => c.kind === "clip").filter(isLaid);
  if (laid.length === 0 || laid.length > MOST_CLIPS) return null;
  const tracks = new Set(laid.flatMap(({ before: a, after: b }) => [a?.trackId, b?.trackId]).filter((id) => id !== undefined && doc.tracks.has(id)));
  const [fresh, moved]: [Seam[], Seam[]] = [[], []];
  for (const id of tracks as Set<string>) {
    const [had, now] = [before.tracks.has(id) ? laneSeams(before, id) : [], laneSeams(doc, id)];
    // Before the first place that differs, and behind the last, nothing is to be looked at.
    let [from, end] = [0, 0];
    while (from < Math.min(had.length, now.length) && alike(had[from], now[from])) from++;
    while (end < Math.min(had.length, now.length) - from && alike(had[had.length - 1 - end], now[now.length - 1 - end])) end++;
    const places = new Map(had.slice(from, had.length - end).map((s) => [s.id, s.position]));
    for (const seam of now.slice(from, now.length - end)) {
      const was = places.get(seam.id);
      if (was === undefined) fresh.push(seam);
      else if (was !== seam.position) moved.push(seam);
    }
  }
  const earliest = (list: readonly Seam[]): Seam | null => list.reduce<Seam | null>((a, b) => (a && a.position <= b.position ? a : b), null);
  return earliest(fresh.filter(isJoint)) ?? earliest(fresh) ?? earliest(moved);
}

const alike = (a: Seam, b: Seam): boolean => a.id === b.id && a.position === b.position;

/** Takes note of the seam that each edit makes, until what is returned is called. It counts until the playhead is put elsewhere. */
export const followSeamsMade = (): (() => void) =>
  onOwnEdit((before, outcome) => {
    const seam = seamMade(before, outcome);
    if (seam) setView({ seamMade: { id: seam.id, playhead: view().playhead } });
  });

/** The seam that was just made, where nobody has gone elsewhere since. */
function justMade(): Seam | undefined {
  const { seamMade: made, playhead, playing } = view();
  return made && (playing || made.playhead === playhead) ? findSeam(session().doc, made.id) : undefined;
}

/** The seam that a command means: the chosen one, else the one that was just made. */
export const seamMeant = (): Seam | undefined => findSeam(session().doc, view().seamId) ?? justMade();

/** Where a walk from seam to seam goes on: from the seam that is meant where that is in view, else from the playhead. */
export function walksFrom(): number {
  const { start, width, samplesPerPixel, playhead } = view();
  const seam = seamMeant();
  return seam && seam.position >= start && seam.position <= start + width * samplesPerPixel ? seam.position : playhead;
}
