import type { Bundle } from "../../model/schema";
import type { Transaction } from "../transaction";
import { bundleClips, bundlesAround } from "./members";

/** A bundle that follows no other any more, said in a note. */
export function unlinked(tx: Transaction, bundle: Bundle): Bundle {
  if (bundle.pattern === null) return bundle;
  const follows = [...tx.doc.bundles.values()].some((b) => b.id !== bundle.id && b.pattern === bundle.pattern);
  if (follows) tx.notes.push(`${bundle.name || "A bundle"} follows its copies no more: it was changed from outside.`);
  return { ...bundle, pattern: null };
}

/** Divides every bundle, outside the open one, that lies on both sides of a cut and has no clip across it: the later clips form a new one. */
export function divideBundlesAt(tx: Transaction, places: readonly number[], bundleIds: Iterable<string>): void {
  const { doc } = tx;
  const open = new Set(bundlesAround(doc, tx.inside).map((b) => b.id));
  // From the last place back, so that the bundle that is named is always the one that is still to be divided.
  const order = [...new Set(places)].sort((a, b) => b - a);
  for (const id of bundleIds) {
    const bundle = doc.bundles.get(id);
    if (!bundle || open.has(id)) continue;
    let clips = bundleClips(doc, id);
    for (const at of order) {
      const later = clips.filter((c) => c.start >= at);
      if (later.length === 0 || later.length === clips.length || clips.some((c) => c.start < at && c.start + c.length > at)) continue;
      const start = Math.min(...later.map((c) => c.start));
      // Both parts of a take stack keep all its lanes, where they lay.
      const takes = bundle.takes?.map((lane) => ({ ...lane, clips: lane.clips.map((c) => ({ ...c, at: c.at - (start - bundle.start) })) }));
      const right: Bundle = { ...bundle, id: tx.newId(), pattern: null, start, ...(takes && { takes }) };
      if (takes) tx.notes.push(`${bundle.name || "The take stack"} is two take stacks now, each with all its takes.`);
      tx.set("bundle", id, unlinked(tx, bundle));
      tx.set("bundle", right.id, right);
      // Bundles further in are given up on the right: their clips count as the new one's own.
      const own = later.map((clip) => ({ ...tx.clip(clip.id), bundle: right.id }));
      for (const clip of own) tx.setClip(clip);
      tx.bundleIsMade(right.id, own);
      clips = clips.filter((c) => c.start < at);
    }
  }
}
