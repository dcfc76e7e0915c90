import { z } from "zod";
import { playedSource } from "../../../model/recipe/played-recording";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { beyondWords } from "../../words";

export const shiftInside = defineEdit({
  type: "shift-inside",
  law: { sound: "clips", fields: WINDOW, lays: "none" },
  about: "Shifts the audio inside the fixed edges of clips, `by` samples: positive plays it later, negative earlier.",
  params: z.object({ clipIds: ClipIds, by: z.int() }),
  example: { type: "shift-inside", clipIds: ["clip-1"], by: 240 },
  links: "clipIds",
  apply(tx, { clipIds, by }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    for (const clip of clips) {
      const after = (playedSource(tx.before.sources, clip)?.length ?? 0) - clip.offset - clip.length;
      if (by > clip.offset || -by > after) {
        throw new EditError(
          `${clip.name || "The clip"} can't be shifted that far inside: ${beyondWords(by > 0 ? clip.offset : after, tx.before.sampleRate)}.`,
          "by",
        );
      }
      tx.setClip({ ...clip, offset: clip.offset - by });
      tx.edges.stay(clip.id);
    }
    return `Shift inside ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
