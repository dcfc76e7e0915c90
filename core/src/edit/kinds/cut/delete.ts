import { z } from "zod";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { WINDOW } from "../../law";
import { neighbourParams } from "../../opening/neighbours";
import { liftClips } from "../../opening/openings";

export const deleteClips = defineEdit({
  type: "delete",
  law: { sound: "clips", fields: WINDOW, lays: "none" },
  about:
    "Deletes clips. Holding, their places stay empty; rippling, what is later closes up over what is empty then; reordering, over their places in the sequence, gaps included.",
  params: z.object({ clipIds: ClipIds, ...neighbourParams }),
  example: { type: "delete", clipIds: ["clip-2"] },
  links: "clipIds",
  apply(tx, { clipIds, neighbours, reach }) {
    const ids = [...new Set(clipIds)];
    const names = ids.map((id) => tx.clip(id).name);
    liftClips(tx, ids, neighbours, reach);
    return `Delete ${countNames(names, "clip")}${neighbours === "hold" ? "" : " and close"}`;
  },
});
