import { z } from "zod";
import { timebaseOf } from "../../../model/document";
import { Conform, StretchKind } from "../../../model/schema";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { conformed, inTime } from "../../remaking/conformed";

export const conform = defineEdit({
  type: "conform",
  law: { sound: "clips", fields: [...WINDOW, "recipe", "conform"] },
  about:
    "Lets clips follow the piece's tempo: with their own `bpm` (quarter notes a minute, a beat lying at `first` in the recording) or their own `beats` (places in the recording), every beat falls on one of the piece to the sample, and does so again whenever the tempo changes. null takes it off, and leaves the clips as they are.",
  params: z.object({
    clipIds: ClipIds,
    conform: Conform.nullable(),
    kind: StretchKind.optional(),
    ...overlapParams,
  }),
  example: { type: "conform", clipIds: ["clip-1"], conform: { bpm: 100, first: 4800 }, kind: "hits" },
  links: "clipIds",
  apply(tx, { clipIds, conform: to, kind, ...landing }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    const names = countNames(
      clips.map((c) => c.name),
      "clip",
    );
    if (to === null) {
      if (clips.every((c) => !c.conform)) throw new EditError("These clips do not follow the tempo.", "clipIds");
      for (const { conform: _, ...clip } of clips) tx.setClip(clip);
      return `Stop ${names} from following the tempo`;
    }
    const { tempo } = timebaseOf(tx.before);
    for (const clip of clips) tx.setClip(conformed(tx, clip, to, tempo, { kind }));
    resolveOverlaps(
      tx,
      inTime(
        tx,
        clips.map((c) => c.id),
      ),
      landing,
      true,
    );
    return `Conform ${names}`;
  },
});
