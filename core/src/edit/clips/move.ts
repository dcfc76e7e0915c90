import { z } from "zod";
import { Id, Position } from "../../model/schema";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { Overlap, settleOverlaps } from "../overlap";

export const move = defineEdit({
  type: "move",
  about:
    "Moves clips together, in time (`by` samples, or the earliest `to` a position) and across tracks (`trackId` for all, or `tracks` lanes down).",
  params: z
    .object({
      clipIds: ClipIds,
      by: z.int().optional(),
      to: Position.optional(),
      trackId: Id.optional(),
      tracks: z.int().default(0).describe("lanes down; negative for up"),
      overlap: Overlap,
    })
    .refine((p) => p.by === undefined || p.to === undefined, { message: "Give `by` or `to`, not both.", path: ["to"] }),
  example: { type: "move", clipIds: ["clip-1"], by: 4800 },
  apply(tx, { clipIds, by, to, trackId, tracks, overlap }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    const first = Math.min(...clips.map((c) => c.start));
    const shift = to !== undefined ? to - first : (by ?? 0);
    if (first + shift < 0) throw new EditError(`The clip would start ${-(first + shift)} samples before zero.`, to === undefined ? "by" : "to");
    const order = tx.before.piece.trackOrder;
    if (trackId) tx.track(trackId);
    for (const clip of clips) {
      const lane = order.indexOf(clip.trackId) + tracks;
      if (!trackId && (lane < 0 || lane >= order.length)) throw new EditError("There is no track that far away.", "tracks");
      tx.setClip({
        ...clip,
        start: clip.start + shift,
        trackId: trackId ?? order[lane],
        blend: clip.blend && clips.some((c) => c.id === clip.blend?.with) ? { ...clip.blend, splice: clip.blend.splice + shift } : clip.blend,
      });
    }
    settleOverlaps(
      tx,
      clips.map((c) => c.id),
      overlap,
    );
    return `Move ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
