import { z } from "zod";
import { Dye, Id, Name, NewId, nameOf } from "../../model/schema";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { NOTHING } from "../law";
import type { Transaction } from "../transaction";
import { bundleClips, bundleTree, objectOf } from "./members";

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

const isInside = (tx: Transaction, bundleId: string | null, roots: ReadonlySet<string>): boolean =>
  [...roots].some((root) => bundleId !== null && bundleTree(tx.doc, root).has(bundleId));

export const bundle = defineEdit({
  type: "bundle",
  law: { sound: "nowhere", fields: ["bundle", "take"], lays: "none" },
  about: "Makes clips one object: outside they are handled as one, inside they stay what they are. Bundles may lie in bundles.",
  params: z.object({ id: NewId.optional(), clipIds: ClipIds, name: Name.optional() }),
  links: "clipIds",
  example: { type: "bundle", id: "bundle-new", clipIds: ["clip-1", "clip-3"], name: "Looms" },
  apply(tx, { id, clipIds, name }) {
    const names = clipIds.map((id) => tx.clip(id).name);
    makeBundle(tx, clipIds, name ?? `${names[0]}${names.length > 1 ? ` and ${names.length - 1} more` : ""}`, id);
    return `Bundle ${countNames(names, "clip")}`;
  },
});

export const release = defineEdit({
  type: "release",
  law: { sound: "nowhere", fields: ["bundle", "take"], lays: "none" },
  about: "Releases a bundle: its clips, and bundles inside it, are on their own again.",
  params: z.object({ bundleId: Id }),
  links: "bundleId",
  example: { type: "release", bundleId: "bundle-1" },
  apply(tx, { bundleId }) {
    const gone = tx.bundle(bundleId);
    for (const clip of bundleClips(tx.doc, bundleId)) if (clip.bundle === bundleId) tx.setClip({ ...clip, bundle: gone.parent });
    for (const inner of tx.doc.bundles.values()) if (inner.parent === bundleId) tx.set("bundle", inner.id, { ...inner, parent: gone.parent });
    tx.set("bundle", bundleId, null);
    return `Release ${gone.name || "bundle"}`;
  },
});

export const setBundle = defineEdit({
  type: "set-bundle",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Renames or colours a bundle, or makes it independent of the copies that it follows.",
  params: z.object({ bundleId: Id, name: Name.optional(), color: Dye.nullable().optional(), independent: z.literal(true).optional() }),
  example: { type: "set-bundle", bundleId: "bundle-1", name: "Looms, one bar" },
  apply(tx, { bundleId, name, color, independent }) {
    const old = tx.bundle(bundleId);
    tx.set("bundle", bundleId, {
      ...old,
      name: name ?? old.name,
      color: color === undefined ? old.color : color,
      pattern: independent ? null : old.pattern,
    });
    return `${independent ? "Make independent" : name !== undefined ? "Rename" : "Colour"} ${name ?? old.name}`;
  },
});
