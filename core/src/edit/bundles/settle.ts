import type { Bundle, Clip } from "../../model/schema";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { bundleClips, bundlesAround, bundleTree, slotOf } from "./members";

/** Keeps bundles true after an edit: moved with their clips, alike where they follow each other, gone when empty. */
export function settleBundles(tx: Transaction): void {
  dropStrayPicks(tx);
  const touched = new Set(tx.changedBundles());
  for (const { before, after } of tx.clipChanges()) for (const c of [before, after]) if (c?.bundle) touched.add(c.bundle);
  if (touched.size === 0) return;
  for (const id of [...touched]) for (const b of bundlesAround(tx.doc, id)) touched.add(b.id);
  const changedInside: Bundle[] = [];
  for (const id of touched) {
    const bundle = tx.doc.bundles.get(id);
    if (!bundle || !tx.before.bundles.has(id)) continue;
    if (!tx.doc.tracks.has(bundle.trackId)) {
      // Its anchor's track is gone: it can follow no other any more.
      const [first] = bundleClips(tx.doc, id);
      if (first) tx.set("bundle", id, { ...bundle, trackId: first.trackId, pattern: null });
      continue;
    }
    const moved = rigidMove(tx, id);
    if (moved === null) {
      if (bundle.pattern !== null) changedInside.push(bundle);
    } else if (moved.by !== 0 || moved.rows !== 0) {
      const order = tx.doc.piece.trackOrder;
      tx.set("bundle", id, {
        ...bundle,
        start: Math.max(0, bundle.start + moved.by),
        trackId: order[order.indexOf(bundle.trackId) + moved.rows] ?? bundle.trackId,
      });
    }
  }
  for (const bundle of changedInside) {
    // Several of one pattern changed at once can't both be the model: each goes its own way.
    if (changedInside.some((b) => b !== bundle && b.pattern === bundle.pattern)) tx.set("bundle", bundle.id, { ...bundle, pattern: null });
    else for (const other of [...tx.doc.bundles.values()]) if (other.id !== bundle.id && other.pattern === bundle.pattern) follow(tx, bundle, other);
  }
  for (const id of touched) dropIfEmpty(tx, id);
}

/** A clip that left its take stack, or whose stack or lane is gone, is a clip like any other. */
function dropStrayPicks(tx: Transaction): void {
  const lanes = (id: string | null): ReadonlySet<string> => new Set((id === null ? undefined : tx.doc.bundles.get(id))?.takes?.map((l) => l.id));
  for (const { after } of tx.clipChanges()) {
    if (after?.take === undefined) continue;
    const now = tx.doc.clips.get(after.id);
    if (!now || now.take === undefined || lanes(now.bundle).has(now.take)) continue;
    const { take: _, ...plain } = now;
    tx.setClip(plain);
  }
}

/** How far all clips of a bundle went together, in samples and tracks; null when they did anything else. */
function rigidMove(tx: Transaction, bundleId: string): { by: number; rows: number } | null {
  const order = tx.doc.piece.trackOrder;
  const before = new Map(bundleClips(tx.before, bundleId).map((c) => [c.id, c]));
  const after = bundleClips(tx.doc, bundleId);
  // Gone altogether it changes nothing in those that are like it.
  if (after.length === 0) return { by: 0, rows: 0 };
  if (before.size !== after.length) return null;
  let move: { by: number; rows: number } | null = null;
  for (const now of after) {
    const was = before.get(now.id);
    if (!was) return null;
    const by = now.start - was.start;
    const rows = order.indexOf(now.trackId) - order.indexOf(was.trackId);
    if (move && (move.by !== by || move.rows !== rows)) return null;
    move = { by, rows };
    if (contentOf(was) !== contentOf(now)) return null;
  }
  return move ?? { by: 0, rows: 0 };
}

/** What of a clip is the same in all copies of a bundle. */
const contentOf = ({ start: _, trackId: __, layer: ___, blend, ...rest }: Clip): string => JSON.stringify([rest, blend && { ...blend, splice: 0 }]);

/** Makes `copy` like `model`, shifted to its own place. Throws EditError where it has no room. */
function follow(tx: Transaction, model: Bundle, copy: Bundle): void {
  const { doc } = tx;
  const order = doc.piece.trackOrder;
  const by = copy.start - model.start;
  const rows = order.indexOf(copy.trackId) - order.indexOf(model.trackId);
  const had = new Map<string, string>();
  const old = bundleClips(doc, copy.id);
  const oldTree = bundleTree(doc, copy.id);
  for (const { id } of old) had.set(slotOf(id, copy.id), id);
  for (const id of oldTree) had.set(slotOf(id, copy.id), id);
  const idIn = (id: string): string => had.get(slotOf(id, model.id)) ?? `${copy.id}~${slotOf(id, model.id)}`;
  const tree = bundleTree(doc, model.id);
  const bundleIn = (id: string | null): string | null => (id === model.id ? copy.id : id !== null && tree.has(id) ? idIn(id) : null);
  const members = bundleClips(doc, model.id);
  const ids = new Set(members.map((c) => c.id));
  for (const { id } of old) if (!members.some((m) => idIn(m.id) === id)) tx.set("clip", id, null);
  for (const id of oldTree) if (id !== copy.id && ![...tree].some((t) => t !== model.id && idIn(t) === id)) tx.set("bundle", id, null);
  for (const id of tree) {
    const child = doc.bundles.get(id) as Bundle;
    if (id !== model.id)
      tx.set("bundle", idIn(id), { ...child, id: idIn(id), parent: bundleIn(child.parent), pattern: null, start: Math.max(0, child.start + by) });
  }
  const lies = new Map(old.map((c) => [slotOf(c.id, copy.id), c.trackId]));
  /** Which track of the copy stands for one of the model: told by the clips that both had, so that the order of tracks does not matter. */
  const stands = new Map<string, string>();
  for (const member of bundleClips(tx.before, model.id)) {
    const other = lies.get(slotOf(member.id, model.id));
    if (other !== undefined) stands.set(member.trackId, other);
  }
  for (const member of members) {
    const trackId = stands.get(member.trackId) ?? order[order.indexOf(member.trackId) + rows];
    if (member.start + by < 0 || trackId === undefined)
      throw new EditError(`${copy.name || "A bundle"} follows this one and has no room for it; make it independent first.`, "clipIds");
    const blend =
      member.blend && ids.has(member.blend.with) ? { ...member.blend, with: idIn(member.blend.with), splice: member.blend.splice + by } : null;
    tx.setClip({ ...member, id: idIn(member.id), trackId, start: member.start + by, bundle: bundleIn(member.bundle), blend });
  }
}

function dropIfEmpty(tx: Transaction, bundleId: string): void {
  for (let id: string | null = bundleId; id !== null; ) {
    const bundle: Bundle | undefined = tx.doc.bundles.get(id);
    if (!bundle || bundleClips(tx.doc, id).length > 0) return;
    tx.set("bundle", id, null);
    id = bundle.parent;
  }
}

/** Divides every bundle, outside the open one, that lies on both sides of a cut and has no clip across it: the later clips form a new one. */
export function divideBundlesAt(tx: Transaction, places: readonly number[], bundleIds: Iterable<string>): void {
  const open = new Set(bundlesAround(tx.doc, tx.inside).map((b) => b.id));
  // From the last place back, so that the bundle that is named is always the one that is still to be divided.
  const order = [...new Set(places)].sort((a, b) => b - a);
  for (const id of bundleIds) {
    const bundle = tx.doc.bundles.get(id);
    if (!bundle || open.has(id)) continue;
    let clips = bundleClips(tx.doc, id);
    for (const at of order) {
      const later = clips.filter((c) => c.start >= at);
      if (later.length === 0 || later.length === clips.length || clips.some((c) => c.start < at && c.start + c.length > at)) continue;
      const start = Math.min(...later.map((c) => c.start));
      // Both parts of a take stack keep all its lanes, where they lay.
      const takes = bundle.takes?.map((lane) => ({ ...lane, clips: lane.clips.map((c) => ({ ...c, at: c.at - (start - bundle.start) })) }));
      const right: Bundle = { ...bundle, id: tx.newId(), pattern: null, start, ...(takes && { takes }) };
      tx.set("bundle", id, { ...bundle, pattern: null });
      tx.set("bundle", right.id, right);
      // Bundles further in are given up on the right: their clips count as the new one's own.
      for (const clip of later) tx.setClip({ ...tx.clip(clip.id), bundle: right.id });
      clips = clips.filter((c) => c.start < at);
    }
  }
}
