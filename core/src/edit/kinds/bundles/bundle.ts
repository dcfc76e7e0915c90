import { z } from "zod";
import { Dye, Id, Name, NewId } from "../../../model/schema";
import { makeBundle } from "../../bundles/made-bundle";
import { bundleClips } from "../../bundles/members";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { NOTHING } from "../../law";

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
