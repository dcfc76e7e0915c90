import { hashOf } from "../../base/digest";
import type { Document } from "../../model/document";
import type { Bundle, Clip } from "../../model/schema";
import type { Transaction } from "../transaction";

/** Ids longer than this are told by a digest inside a pattern, so that copies of copies of copies have ids that can be kept. */
const LONG_ID = 64;

/** What a clip or bundle is inside a bundle that follows others: its id, without that of the copy that it was made for. */
export const slotOf = (id: string, bundleId: string): string => {
  const own = id.startsWith(`${bundleId}~`) ? id.slice(bundleId.length + 1) : id;
  return own.length > LONG_ID ? hashOf(own) : own;
};

/** The bundles around a clip or bundle, innermost first. */
export function bundlesAround(doc: Pick<Document, "bundles">, innermost: string | null): Bundle[] {
  const list: Bundle[] = [];
  for (let id = innermost; id !== null; ) {
    const bundle = doc.bundles.get(id);
    if (!bundle || list.includes(bundle)) break;
    list.push(bundle);
    id = bundle.parent;
  }
  return list;
}

/** The outermost bundle of a clip that lies within `open` (null: of all). It is what the clip counts as, seen from there; null for the clip itself. */
export function objectOf(doc: Pick<Document, "bundles">, clip: Clip, open: string | null): Bundle | null {
  const around = bundlesAround(doc, clip.bundle);
  const at = open === null ? around.length : around.findIndex((b) => b.id === open);
  // A clip outside the open bundle counts as its outermost bundle.
  return around[(at < 0 ? around.length : at) - 1] ?? null;
}

const inner = new WeakMap<Document["bundles"], Map<string, Bundle[]>>();

/** The bundles that lie directly in each. */
function innerBundles(bundles: Document["bundles"]): Map<string, Bundle[]> {
  let found = inner.get(bundles);
  if (!found) {
    found = new Map();
    for (const b of bundles.values()) {
      if (b.parent === null) continue;
      const list = found.get(b.parent);
      if (list) list.push(b);
      else found.set(b.parent, [b]);
    }
    inner.set(bundles, found);
  }
  return found;
}

/** A bundle with all those inside it. */
export function bundleTree(doc: Pick<Document, "bundles">, bundleId: string): Set<string> {
  const tree = new Set([bundleId]);
  const children = innerBundles(doc.bundles);
  if (children.size > 0) for (const id of tree) for (const b of children.get(id) ?? []) tree.add(b.id);
  return tree;
}

const members = new WeakMap<Document["clips"], Map<string, Clip[]>>();

/** The clips that lie directly in each bundle: one look at all clips serves all bundles. */
function bundledClips(clips: Document["clips"]): Map<string, Clip[]> {
  let found = members.get(clips);
  if (!found) {
    found = new Map();
    for (const clip of clips.values()) {
      if (clip.bundle === null) continue;
      const list = found.get(clip.bundle);
      if (list) list.push(clip);
      else found.set(clip.bundle, [clip]);
    }
    members.set(clips, found);
  }
  return found;
}

/** All clips of a bundle and of those inside it, in no order. */
export function bundleClips(doc: Pick<Document, "bundles" | "clips">, bundleId: string): Clip[] {
  const clips = bundledClips(doc.clips);
  return [...bundleTree(doc, bundleId)].flatMap((id) => clips.get(id) ?? []);
}

/** Clip ids with those of all bundles that any of them belongs to, as seen from the open bundle. */
export function withBundles(doc: Document, clipIds: Iterable<string>, open: string | null): Set<string> {
  const ids = new Set<string>();
  const taken = new Set<string>();
  for (const id of clipIds) {
    const clip = doc.clips.get(id);
    if (!clip) continue;
    const object = clip.bundle === null ? null : objectOf(doc, clip, open);
    if (!object) ids.add(id);
    else if (!taken.has(object.id)) {
      taken.add(object.id);
      for (const member of bundleClips(doc, object.id)) ids.add(member.id);
    }
  }
  return ids;
}

export const isInside = (tx: Transaction, bundleId: string | null, roots: ReadonlySet<string>): boolean =>
  [...roots].some((root) => bundleId !== null && bundleTree(tx.doc, root).has(bundleId));
