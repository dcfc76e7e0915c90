import { z } from "zod";
import { ClipIds, countNames, defineEdit } from "../definition";

export const deleteClips = defineEdit({
  type: "delete",
  about: "Deletes clips; their places stay empty.",
  params: z.object({ clipIds: ClipIds }),
  example: { type: "delete", clipIds: ["clip-2"] },
  apply(tx, { clipIds }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    for (const { id } of clips) tx.set("clip", id, null);
    return `Delete ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
