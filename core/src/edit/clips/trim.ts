import { z } from "zod";
import { fadeOfLength } from "../../dsp/fades";
import { type Clip, clipEnd, Position } from "../../model/schema";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { Overlap, settleOverlaps } from "../overlap";

/** How far an edge can go, in samples by which it may move: negative is earlier. A clip keeps one sample; its recording's ends hold it. */
export function trimRoom(clip: Clip, edge: "start" | "end", sourceLength: number): { least: number; most: number } {
  return edge === "start"
    ? { least: -Math.min(clip.offset, clip.start), most: clip.length - 1 }
    : { least: 1 - clip.length, most: sourceLength - clip.offset - clip.length };
}

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
  const farFade = fadeOfLength(next[far], Math.min(next[far].length, next.length));
  return {
    ...next,
    sync: next.sync !== null && next.sync >= next.length ? null : next.sync,
    [far]: farFade,
    [near]: fadeOfLength(next[near], Math.min(next[near].length, next.length - farFade.length)),
  };
}

export const trim = defineEdit({
  type: "trim",
  about: "Moves an edge of clips, `by` samples each or `to` one position; what is cut off can be pulled out again.",
  params: z
    .object({ clipIds: ClipIds, edge: z.enum(["start", "end"]), by: z.int().optional(), to: Position.optional(), overlap: Overlap })
    .refine((p) => (p.by === undefined) !== (p.to === undefined), { message: "Give `by` or `to`.", path: ["to"] }),
  example: { type: "trim", clipIds: ["clip-1"], edge: "end", to: 36000 },
  apply(tx, { clipIds, edge, by, to, overlap }) {
    const ids = [...new Set(clipIds)];
    for (const id of ids) {
      const clip = tx.clip(id);
      const shift = by ?? (to as number) - (edge === "start" ? clip.start : clipEnd(clip));
      const length = tx.before.sources.get(clip.sourceId)?.length ?? 0;
      const { least, most } = trimRoom(clip, edge, length);
      if (shift < least || shift > most) {
        const why = (edge === "start" ? shift > most : shift < least)
          ? "nothing would be left of it"
          : edge === "start" && clip.start < clip.offset
            ? "it would start before zero"
            : `its recording has only ${edge === "start" ? -least : most} more samples there`;
        throw new EditError(`${clip.name || "The clip"} can't be trimmed that far: ${why}.`, by === undefined ? "to" : "by");
      }
      tx.setClip(trimmed(clip, edge, shift));
    }
    settleOverlaps(tx, ids, overlap);
    return `Trim ${edge} of ${countNames(
      ids.map((id) => tx.clip(id).name),
      "clip",
    )}`;
  },
});
