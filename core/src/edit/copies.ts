import { bareFade } from "../dsp/fades";
import { blendAfter, type Document } from "../model/document";
import type { Bundle, Clip } from "../model/schema";
import { bundleTree } from "./bundles/members";
import { type Landing, settleOverlaps } from "./overlap";
import type { Transaction } from "./transaction";

/** Whether the bundles of copies follow their originals from then on. */
export type CopyBundles = "independent" | "linked";

/**
 * Lays copies of clips, given as they shall lie (their ids still the originals'), with ids of their own. Blends and bundles (`wholes`,
 * as they shall lie) that are copied whole are made anew among the copies; anything of which only a part is copied is left out.
 * Returns the new clips' ids.
 */
export function layCopies(
  tx: Transaction,
  clips: readonly Clip[],
  landing: Landing,
  bundles: CopyBundles = "independent",
  wholes: ReadonlyMap<string, Bundle> = copiedBundles(tx, clips),
): string[] {
  const renamed = new Map([...wholes.keys()].map((id) => [id, tx.newId()]));
  for (const [id, whole] of wholes) {
    const inner = whole.parent === null ? undefined : renamed.get(whole.parent);
    const original = tx.doc.bundles.get(id);
    const linked = bundles === "linked" && !inner && original !== undefined;
    const pattern = linked ? (original.pattern ?? id) : null;
    if (linked && original.pattern === null) tx.set("bundle", id, { ...original, pattern });
    const copyId = renamed.get(id) as string;
    tx.set("bundle", copyId, { ...whole, id: copyId, parent: inner ?? tx.inside, pattern });
  }
  const ids = new Map<string, string>();
  for (const { id, bundle } of clips) {
    const inside = bundle === null ? undefined : renamed.get(bundle);
    // In a copy that follows, a clip's id tells its place in the pattern.
    ids.set(id, bundles === "linked" && inside ? `${inside}~${id.slice(id.lastIndexOf("~") + 1)}` : tx.newId());
  }
  const { doc } = tx;
  for (const clip of clips) {
    const partner = clip.blend && ids.get(clip.blend.with);
    const blend = clip.blend && partner ? { ...clip.blend, with: partner } : null;
    tx.copyClip(clip, {
      id: ids.get(clip.id) as string,
      blend,
      fadeIn: clip.blend && !blend ? bareFade(clip.fadeIn) : clip.fadeIn,
      fadeOut: losesFollower(doc, clip, ids) ? bareFade(clip.fadeOut) : clip.fadeOut,
      bundle: (clip.bundle !== null && renamed.get(clip.bundle)) || tx.inside,
    });
  }
  const laid = [...ids.values()];
  settleOverlaps(tx, laid, landing);
  return laid;
}

/** Whether a clip's fade-out is a blend's whose other clip is not copied along. */
function losesFollower(doc: Document, clip: Clip, ids: ReadonlyMap<string, string>): boolean {
  if (clip.fadeOut.length === 0) return false;
  const original = doc.clips.get(clip.id);
  const follower = original && original.fadeOut.length === clip.fadeOut.length ? blendAfter(doc, original) : undefined;
  return follower !== undefined && !ids.has(follower.id);
}

/** The bundles of which every clip is among those copied, as the copies shall lie. */
export function copiedBundles(tx: Pick<Transaction, "doc">, clips: readonly Clip[]): Map<string, Bundle> {
  const found = new Map<string, Bundle>();
  if (!clips.some((c) => c.bundle !== null)) return found;
  const { doc } = tx;
  const order = doc.piece.trackOrder;
  const copied = new Map(clips.map((c) => [c.id, c]));
  const members = new Map<string, Clip[]>();
  for (const clip of doc.clips.values()) if (clip.bundle !== null) members.set(clip.bundle, [...(members.get(clip.bundle) ?? []), clip]);
  for (const bundle of doc.bundles.values()) {
    const all = [...bundleTree(doc, bundle.id)].flatMap((id) => members.get(id) ?? []);
    if (all.length === 0 || !all.every((c) => copied.get(c.id)?.length === c.length)) continue;
    const first = copied.get(all[0].id) as Clip;
    const rows = order.indexOf(first.trackId) - order.indexOf(all[0].trackId);
    found.set(bundle.id, {
      ...bundle,
      start: Math.max(0, bundle.start + first.start - all[0].start),
      trackId: order[order.indexOf(bundle.trackId) + rows] ?? first.trackId,
    });
  }
  return found;
}
