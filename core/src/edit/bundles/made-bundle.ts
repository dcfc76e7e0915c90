import { nameOf } from "../../model/schema";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { bundleClips, isInside, objectOf } from "./members";

/** Makes clips, and the bundles that they form, one bundle inside the open one. Returns its id. */
export function makeBundle(tx: Transaction, clipIds: readonly string[], name: string, id = tx.newId()): string {
  const ids = new Set(clipIds);
  const clips = [...ids].map((id) => tx.clip(id));
  const order = tx.doc.piece.trackOrder;
  if (tx.doc.bundles.has(id)) throw new EditError(`There is already a bundle "${id}".`, "id");
  const objects = new Set(clips.map((c) => objectOf(tx.doc, c, tx.inside)).filter((b) => b !== null));
  const inner = new Set([...objects].map((b) => b.id));
  for (const object of objects) {
    if (bundleClips(tx.doc, object.id).some((c) => !ids.has(c.id)))
      throw new EditError(`Only a part of ${object.name || "a bundle"} is named; take all of it, release it, or open it first.`, "clipIds");
  }
  const bundle = {
    id,
    name: nameOf(name),
    color: null,
    parent: tx.inside,
    pattern: null,
    start: Math.min(...clips.map((c) => c.start)),
    trackId: order[Math.min(...clips.map((c) => order.indexOf(c.trackId)))],
  };
  tx.set("bundle", id, bundle);
  for (const object of objects) tx.set("bundle", object.id, { ...object, parent: id });
  for (const clip of clips) if (clip.bundle === tx.inside || !isInside(tx, clip.bundle, inner)) tx.setClip({ ...clip, bundle: id });
  return id;
}
