import { z } from "zod";
import { bareFade } from "../../dsp/fades";
import { blendAfter, type Document } from "../../model/document";
import { Blend, Bundle, Clip } from "../../model/schema";
import { bundleClips, bundlesAround, slotOf } from "../bundles/members";
import type { Transaction } from "../transaction";
import { type Landing, resolveOverlaps } from "./overlap";

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
  const isLinked = (id: string): boolean => bundles === "linked" && tx.doc.bundles.has(id);
  /** The outermost of the bundles around one that are copied whole. */
  const outermost = (id: string): string => {
    let top = id;
    for (let at = wholes.get(id); at?.parent != null && wholes.has(at.parent); at = wholes.get(at.parent)) top = at.parent;
    return top;
  };
  const renamed = new Map<string, string>();
  for (const id of wholes.keys()) if (outermost(id) === id) renamed.set(id, tx.newId());
  /** In a copy that follows, an id tells the place in the pattern. */
  const idInCopy = (top: string, id: string): string => `${renamed.get(top)}~${slotOf(id, top)}`;
  for (const id of wholes.keys()) {
    const top = outermost(id);
    if (top !== id) renamed.set(id, isLinked(top) ? idInCopy(top, id) : tx.newId());
  }
  for (const [id, whole] of wholes) {
    const inner = whole.parent === null ? undefined : renamed.get(whole.parent);
    const original = tx.doc.bundles.get(id);
    const pattern = !inner && original && isLinked(id) ? (original.pattern ?? id) : null;
    if (pattern !== null && original?.pattern === null) tx.set("bundle", id, { ...original, pattern });
    const copyId = renamed.get(id) as string;
    tx.set("bundle", copyId, { ...whole, id: copyId, parent: inner ?? tx.inside, pattern });
  }
  const taken = new Set<string>();
  const laid = clips.map(({ id, bundle }): string => {
    const top = bundle !== null && renamed.has(bundle) ? outermost(bundle) : null;
    const own = top !== null && isLinked(top) ? idInCopy(top, id) : tx.newId();
    // Of two that came with one id each gets its own.
    const free = taken.has(own) ? tx.newId() : own;
    taken.add(free);
    // What follows another is like it, edges too.
    if (free === own && top !== null && isLinked(top)) for (const side of ["start", "end"] as const) tx.edges.isKept(free, side);
    return free;
  });
  const ids = new Map(clips.map(({ id }, i) => [id, laid[i]]).reverse() as [string, string][]);
  const { doc } = tx;
  clips.forEach((clip, i) => {
    const partner = clip.blend && ids.get(clip.blend.with);
    const blend = clip.blend && partner && ids.get(clip.id) === laid[i] ? { ...clip.blend, with: partner } : null;
    tx.copyClip(clip, {
      id: laid[i],
      blend,
      fadeIn: clip.blend && !blend ? bareFade(clip.fadeIn) : clip.fadeIn,
      fadeOut: losesFollower(doc, clip, ids) ? bareFade(clip.fadeOut) : clip.fadeOut,
      bundle: (clip.bundle !== null && renamed.get(clip.bundle)) || tx.inside,
    });
  });
  resolveOverlaps(tx, laid, landing);
  tx.laid.push(...laid);
  return laid;
}

/** Whether a clip's fade-out is a blend's whose other clip is not copied along. */
function losesFollower(doc: Document, clip: Clip, ids: ReadonlyMap<string, string>): boolean {
  if (clip.fadeOut.length === 0) return false;
  const original = doc.clips.get(clip.id);
  const follower = original && original.fadeOut.length === clip.fadeOut.length ? blendAfter(doc, original) : undefined;
  return follower !== undefined && !ids.has(follower.id);
}

/** The bundles that some clips lie in, at any depth. */
const bundlesOf = (doc: Document, clips: readonly Clip[]): Set<Bundle> =>
  new Set([...new Set(clips.map((c) => c.bundle))].flatMap((id) => bundlesAround(doc, id)));

/** The bundles of which every clip is among those copied, as the copies shall lie. */
export function copiedBundles(tx: Pick<Transaction, "doc">, clips: readonly Clip[]): Map<string, Bundle> {
  const found = new Map<string, Bundle>();
  if (!clips.some((c) => c.bundle !== null)) return found;
  const { doc } = tx;
  const order = doc.piece.trackOrder;
  const copied = new Map(clips.map((c) => [c.id, c]));
  for (const bundle of bundlesOf(doc, clips)) {
    const all = bundleClips(doc, bundle.id);
    if (all.length === 0 || !all.every((c) => copied.get(c.id)?.length === c.length)) continue;
    const first = copied.get(all[0].id) as Clip;
    const rows = order.indexOf(first.trackId) - order.indexOf(all[0].trackId);
    found.set(bundle.id, {
      ...bundle,
      start: bundle.start + first.start - all[0].start,
      trackId: order[order.indexOf(bundle.trackId) + rows] ?? first.trackId,
    });
  }
  return found;
}

/** A clip to paste: as clips are, its start counted from the place of pasting, its id only its name among the others. */
export const PastedClip = Clip.extend({ start: z.int(), blend: Blend.extend({ splice: z.int() }).nullable() });
export type PastedClip = z.infer<typeof PastedClip>;

/** A bundle that was copied whole, its start counted from the place of pasting as those of its clips. */
export const PastedBundle = Bundle.extend({ start: z.int() });
export type PastedBundle = z.infer<typeof PastedBundle>;

/** Bundles as they shall lie, their starts shifted like their clips. */
export const laidBundles = (bundles: readonly PastedBundle[], by: number): Map<string, Bundle> =>
  new Map(bundles.map((b) => [b.id, { ...b, start: b.start + by }]));
