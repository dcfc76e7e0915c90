import { CLIP_FIELDS, type ClipField } from "../../model/clip/fields";
import { blendAfter, type Document } from "../../model/document";
import { type Bundle, type Clip, without } from "../../model/schema";
import { sameFields } from "../../seam/continuity";
import { unlinked } from "../bundles/divided";
import { bundleClips, bundlesAround, bundleTree, slotOf } from "../bundles/members";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";

/*
 * After every edit bundles are kept true: moved with their clips, alike where they follow each other, gone when empty. What is done inside one of
 * several that follow each other is done in all; what happens to one from outside is its own, and it follows the others no more.
 */
export function passBundles(tx: Transaction): void {
  dropStrayPicks(tx);
  const touched = new Set(tx.changedBundles());
  for (const { before, after } of tx.clipChanges()) for (const c of [before, after]) if (c?.bundle) touched.add(c.bundle);
  if (touched.size === 0) return;
  // Here only bundles are set, and none comes to lie in another: one state of the piece serves all that is asked.
  const { doc: now } = tx;
  for (const id of [...touched]) for (const doc of [now, tx.before]) for (const b of bundlesAround(doc, id)) touched.add(b.id);
  const changed: { bundle: Bundle; inside: boolean }[] = [];
  const order = now.piece.trackOrder;
  for (const id of touched) {
    const bundle = now.bundles.get(id);
    if (!bundle) continue;
    const clips = bundleClips(now, id);
    if (!now.tracks.has(bundle.trackId)) {
      // Its anchor's track is gone: it can follow no other any more.
      if (clips[0]) tx.set("bundle", id, unlinked(tx, { ...bundle, trackId: clips[0].trackId }));
      continue;
    }
    const was = before(tx, bundle);
    const moved = was && rigidMove(order, was, clips);
    const inside = moved === null && isFromInside(tx, now, id, clips);
    const { by, rows } = moved ?? { by: inside || !was ? 0 : movedWithin(was, clips), rows: 0 };
    const placed = { ...bundle, start: bundle.start + by, trackId: order[order.indexOf(bundle.trackId) + rows] ?? bundle.trackId };
    if (placed.start !== bundle.start || placed.trackId !== bundle.trackId) tx.set("bundle", id, placed);
    if (moved === null && bundle.pattern !== null) changed.push({ bundle: placed, inside });
  }
  for (const pattern of new Set(changed.map((c) => c.bundle.pattern as string))) followPattern(tx, pattern, changed);
  dropEmpty(tx, touched);
}

/** The clips of a bundle as they were: before the edit, or when a cut made it. */
function before(tx: Transaction, bundle: Bundle): readonly Clip[] | null {
  return tx.bundleAsMade(bundle.id) ?? (tx.before.bundles.has(bundle.id) ? bundleClips(tx.before, bundle.id) : null);
}

/** Keeps the bundles of one pattern alike after some of them changed. */
function followPattern(tx: Transaction, pattern: string, changed: readonly { bundle: Bundle; inside: boolean }[]): void {
  const own = changed.filter((c) => c.bundle.pattern === pattern);
  const all = [...tx.doc.bundles.values()].filter((b) => b.pattern === pattern);
  if (all.length < 2) return;
  const contents = all.map((b) => contentsOf(tx.doc, b));
  // The same was done to all of them, by time that was put in or a tempo: they follow each other as before.
  if (contents.every((c) => c === contents[0])) return;
  const models = own.filter((c) => c.inside);
  for (const { bundle, inside } of own) if (!inside || models.length > 1) tx.set("bundle", bundle.id, unlinked(tx, bundle));
  if (models.length !== 1) return;
  const [{ bundle: model }] = models;
  for (const copy of [...tx.doc.bundles.values()])
    if (copy.id !== model.id && copy.pattern === pattern) {
      if (blendsOutside(tx.doc, bundleClips(tx.doc, copy.id))) tx.set("bundle", copy.id, unlinked(tx, copy));
      else follow(tx, model, copy);
    }
}

/** What a bundle holds, counted from its own place. */
function contentsOf(doc: Document, bundle: Bundle): string {
  const row = (trackId: string): number => doc.piece.trackOrder.indexOf(trackId) - doc.piece.trackOrder.indexOf(bundle.trackId);
  const list = bundleClips(doc, bundle.id).map(
    ({ id, start, trackId, layer: _, bars: __, blend, bundle: inner, ...rest }) =>
      [
        slotOf(id, bundle.id),
        start - bundle.start,
        row(trackId),
        blend && { ...blend, with: slotOf(blend.with, bundle.id), splice: blend.splice - bundle.start },
        inner === bundle.id || inner === null ? null : slotOf(inner, bundle.id),
        rest,
      ] as const,
  );
  return JSON.stringify(list.sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** Whether some clips blend with others than themselves. */
function blendsOutside(doc: Document, clips: readonly Clip[]): boolean {
  const own = new Set(clips.map((c) => c.id));
  return clips.some((c) => {
    const after = c.fadeOut.length > 0 ? blendAfter(doc, c) : undefined;
    return (c.blend && !own.has(c.blend.with)) || (after && !own.has(after.id));
  });
}

/** Whether what changed in a bundle was done inside it: to clips of it that were named, and not by what came to lie on them from elsewhere. */
function isFromInside(tx: Transaction, doc: Document, bundleId: string, clips: readonly Clip[]): boolean {
  const tree = bundleTree(doc, bundleId);
  if (clips.some((c) => tx.isFromOutside(c.id)) || blendsOutside(doc, clips)) return false;
  if (bundlesAround(doc, tx.inside).some((b) => tree.has(b.id))) return true;
  const named = (id: string): boolean => tx.named.has(id) || tx.leads.has(id);
  return [...tree].some(named) || clips.some((c) => named(c.id)) || bundleClips(tx.before, bundleId).some((c) => named(c.id));
}

/** By how far the sound of a bundle's clips went, told by the earliest one that plays as it did: its place follows, whatever edges did. */
function movedWithin(was: readonly Clip[], now: readonly Clip[]): number {
  const then = new Map(was.map((c) => [c.id, c]));
  for (const clip of [...now].sort((a, b) => a.start - b.start)) {
    const old = then.get(clip.id);
    if (old && old.recipe === clip.recipe && old.sourceId === clip.sourceId) return clip.start - clip.offset - (old.start - old.offset);
  }
  return 0;
}

/** A clip that left its take stack, or whose stack or lane is gone, is a clip like any other. */
function dropStrayPicks(tx: Transaction): void {
  const { doc } = tx;
  const lanes = new Map<string, ReadonlySet<string>>();
  const lanesOf = (id: string): ReadonlySet<string> => {
    const known = lanes.get(id) ?? new Set(doc.bundles.get(id)?.takes?.map((l) => l.id));
    lanes.set(id, known);
    return known;
  };
  for (const { after } of tx.clipChanges()) {
    if (after?.take === undefined || (after.bundle !== null && lanesOf(after.bundle).has(after.take))) continue;
    tx.setClip(without(after, ["take"]) as Clip);
  }
}

/** How far all clips of a bundle went together, in samples and tracks; null when they did anything else. */
function rigidMove(order: readonly string[], was: readonly Clip[], after: readonly Clip[]): { by: number; rows: number } | null {
  const before = new Map(was.map((c) => [c.id, c]));
  // Gone altogether it changes nothing in those that are like it.
  if (after.length === 0) return { by: 0, rows: 0 };
  if (before.size !== after.length) return null;
  let move: { by: number; rows: number } | null = null;
  for (const now of after) {
    const was = before.get(now.id);
    if (!was) return null;
    const by = now.start - was.start;
    const rows = now.trackId === was.trackId ? 0 : order.indexOf(now.trackId) - order.indexOf(was.trackId);
    if (move && (move.by !== by || move.rows !== rows)) return null;
    move ??= { by, rows };
    if (!isSameInside(was, now)) return null;
  }
  return move ?? { by: 0, rows: 0 };
}

/** What of a clip is the same in all copies of a bundle. */
const CONTENT = (Object.keys(CLIP_FIELDS) as ClipField[]).filter((f) => !["start", "trackId", "layer", "blend"].includes(f));
const isSameInside = (a: Clip, b: Clip): boolean =>
  sameFields(a, b, CONTENT) && (a.blend === b.blend || JSON.stringify({ ...a.blend, splice: 0 }) === JSON.stringify({ ...b.blend, splice: 0 }));

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
      tx.set("bundle", idIn(id), { ...child, id: idIn(id), parent: bundleIn(child.parent), pattern: null, start: child.start + by });
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

/** Takes bundles away in which nothing is left, and those around them that are empty then. */
function dropEmpty(tx: Transaction, ids: Iterable<string>): void {
  const { doc } = tx;
  for (const id of ids) if (doc.bundles.has(id) && bundleClips(doc, id).length === 0) tx.set("bundle", id, null);
}
