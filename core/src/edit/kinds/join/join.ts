import { z } from "zod";
import { fieldsWhere } from "../../../model/clip/fields";
import type { Clip } from "../../../model/schema";
import { sameFields, unbroken } from "../../../seam/continuity";
import { makeBundle } from "../../bundles/made-bundle";
import { healed, showHitsAlike } from "../../cutting/parts";
import { countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";

/** What clips must have alike to be one. */
const SAME = fieldsWhere("join", "same");

export const join = defineEdit({
  type: "join",
  law: { sound: "nowhere", fields: [...WINDOW, "hits"] },
  about:
    "Joins clips of one track without rendering: where they run on unbroken into one clip again, else into one container, a bundle that is handled as one and can be released.",
  params: z.object({ clipIds: z.array(z.string()).min(2, "Name at least two clips to join.") }),
  example: { type: "join", clipIds: ["clip-1", "clip-2"] },
  links: "clipIds",
  apply(tx, { clipIds }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id)).sort((a, b) => a.start - b.start || a.layer - b.layer);
    const byTrack = new Map<string, Clip[]>();
    for (const clip of clips) byTrack.set(clip.trackId, [...(byTrack.get(clip.trackId) ?? []), clip]);
    for (const [trackId, own] of byTrack) {
      if (own.length < 2) throw new EditError(`On ${tx.track(trackId).name} there is only one clip; joining takes two on one track.`, "clipIds");
    }
    for (const own of byTrack.values()) {
      const isOne = (left: Clip, right: Clip): boolean => unbroken(left, right) && sameFields(left, right, SAME) && showHitsAlike(left, right);
      if (!own.every((c, i) => i === 0 || isOne(own[i - 1], c))) {
        makeBundle(
          tx,
          own.map((c) => c.id),
          own[0].name,
        );
        continue;
      }
      const follower = tx.lane(own[0].trackId).clips.find((c) => c.blend?.with === own.at(-1)?.id);
      let one = own[0];
      for (const next of own.slice(1)) one = healed(one, next);
      for (const gone of own.slice(1)) tx.set("clip", gone.id, null);
      tx.setClip(one);
      if (follower?.blend) tx.setClip({ ...follower, blend: { ...follower.blend, with: one.id } });
    }
    return `Join ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
