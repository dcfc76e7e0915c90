import { z } from "zod";
import { fadeOfLength } from "../../../dsp/fades";
import { blendAfter } from "../../../model/document";
import { playedSource } from "../../../model/recipe/played-recording";
import { type Clip, clipEnd, Position } from "../../../model/schema";
import { fadeKept, fadeRoom } from "../../cutting/parts";
import { rippleRoom, trimRoom } from "../../cutting/trim-reach";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { neighbourParams, ripple, type TimeChange } from "../../opening/neighbours";
import { beyondWords } from "../../words";

/** The clip with one edge moved. Its fades keep their lengths, shortened only where they no longer fit. */
export function trimmed(clip: Clip, edge: "start" | "end", by: number): Clip {
  const next =
    edge === "start"
      ? {
          ...clip,
          start: clip.start + by,
          offset: clip.offset + by,
          length: clip.length - by,
          sync: clip.sync === null ? null : Math.max(0, clip.sync - by),
        }
      : { ...clip, length: clip.length + by };
  const near = edge === "start" ? "fadeIn" : "fadeOut";
  const far = edge === "start" ? "fadeOut" : "fadeIn";
  const farFade = fadeKept(clip.length, next[far], next.length);
  return {
    ...next,
    sync: next.sync !== null && next.sync >= next.length ? null : next.sync,
    [far]: farFade,
    [near]: fadeOfLength(next[near], Math.max(0, Math.min(next[near].length, fadeRoom(next, farFade)))),
  };
}

export const trim = defineEdit({
  type: "trim",
  law: { sound: "clips", fields: WINDOW, lays: "none" },
  about:
    "Moves an edge of clips, `by` samples each or `to` one position; what is cut off can be pulled out again. Rippling or reordering, what starts at or after the old end moves along; a start then stays where it is and the rest is pulled in.",
  params: z
    .object({
      clipIds: ClipIds,
      edge: z.enum(["start", "end"]),
      by: z.int().optional(),
      to: Position.optional(),
      ...overlapParams,
      ...neighbourParams,
    })
    .refine((p) => (p.by === undefined) !== (p.to === undefined), { message: "Give `by` or `to`.", path: ["to"] }),
  example: { type: "trim", clipIds: ["clip-1"], edge: "end", to: 36000 },
  links: "clipIds",
  apply(tx, { clipIds, edge, by, to, overlap, blendLength, attacks, neighbours, reach }) {
    const ids = [...new Set(clipIds)];
    const ripples = neighbours !== "hold";
    const changes: TimeChange[] = [];
    const along = new Map<string, number>();
    const edgeOf = (clip: Clip): number => (edge === "start" ? clip.start : clipEnd(clip));
    // A clip that a link brought in is trimmed as far as its lead, at its own place.
    const shifts = ids.map((id) => by ?? (to as number) - edgeOf(tx.clip(tx.leads.get(id) ?? id)));
    ids.forEach((id, i) => {
      const clip = tx.clip(id);
      const shift = shifts[i];
      const length = playedSource(tx.before.sources, clip)?.length ?? 0;
      const { least, most } = (ripples ? rippleRoom : trimRoom)(clip, edge, length);
      if (shift < least || shift > most) {
        const why = (edge === "start" ? shift > most : shift < least)
          ? "nothing would be left of it"
          : edge === "start" && !ripples && clip.start < clip.offset
            ? "it would start before zero"
            : beyondWords(edge === "start" ? -least : most, tx.before.sampleRate);
        throw new EditError(`${clip.name || "The clip"} can't be trimmed that far: ${why}.`, by === undefined ? "to" : "by");
      }
      const old = clipEnd(clip);
      const next = trimmed(clip, edge, shift);
      tx.setClip(ripples ? { ...next, start: edge === "start" ? clip.start : next.start } : next);
      if (!ripples) return;
      changes.push({ trackId: clip.trackId, at: old, by: edge === "start" ? -shift : shift });
      const follower = blendAfter(tx.before, clip);
      if (follower) along.set(follower.id, old);
    });
    if (ripples) ripple(tx, changes, neighbours === "reorder" ? "track" : reach, { along });
    const inOrder = [...ids].sort((a, b) => tx.clip(a).start - tx.clip(b).start);
    resolveOverlaps(tx, inOrder, { overlap, blendLength, attacks }, true);
    return `Trim ${edge} of ${countNames(
      ids.map((id) => tx.clip(id).name),
      "clip",
    )}`;
  },
});
