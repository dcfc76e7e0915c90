import { z } from "zod";
import { type Clip, Id, Position } from "../../model/schema";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { earlyWords } from "../words";

/** Where clips go: in time by a distance or the earliest to a position, and down some lanes or all to one. */
export const goingParams = {
  by: z.int().optional(),
  to: Position.optional(),
  trackId: Id.optional(),
  tracks: z.int().default(0).describe("lanes down; negative for up"),
};

export interface Going {
  readonly by?: number;
  readonly to?: number;
  readonly trackId?: string;
  readonly tracks: number;
}

/** The clips as they shall lie. Throws EditError where one would start before zero or lie on no track. */
export function placed(tx: Transaction, clips: readonly Clip[], { by, to, trackId, tracks }: Going): Clip[] {
  // What links brought in goes along; only what was named sets the distance.
  const named = clips.filter((c) => !tx.leads.has(c.id));
  const shift = to !== undefined ? to - Math.min(...named.map((c) => c.start)) : (by ?? 0);
  const early = Math.min(...clips.map((c) => c.start)) + shift;
  if (early < 0) throw new EditError(earlyWords("The clip", -early, tx.before.sampleRate), to === undefined ? "by" : "to");
  const order = tx.before.piece.trackOrder;
  if (trackId) tx.track(trackId);
  return clips.map((clip) => {
    const led = tx.leads.has(clip.id);
    const row = order.indexOf(clip.trackId) + (led ? 0 : tracks);
    if (row < 0 || row >= order.length) throw new EditError("There is no track that far away.", "tracks");
    const blend =
      clip.blend && clips.some((c) => c.id === clip.blend?.with) ? { ...clip.blend, splice: Math.max(0, clip.blend.splice + shift) } : clip.blend;
    return { ...clip, start: clip.start + shift, trackId: trackId && !led ? trackId : order[row], blend };
  });
}
