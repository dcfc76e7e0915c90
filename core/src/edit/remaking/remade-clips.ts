import type { z } from "zod";
import { blendAfter } from "../../model/document";
import { type Clip, clipEnd } from "../../model/schema";
import { EditError } from "../errors";
import { overlapParams, resolveOverlaps } from "../laying/overlap";
import { neighbourParams, ripple, type TimeChange } from "../opening/neighbours";
import type { Transaction } from "../transaction";
import { earlyWords } from "../words";

/** What an edit that makes clips longer or shorter is told of neighbours and overlaps. */
export const landingParams = { ...overlapParams, ...neighbourParams };

/** Lays clips that became longer or shorter: neighbours and overlaps as the mode line says, linked clips in step with those they follow. */
export function layRemade(
  tx: Transaction,
  next: readonly Clip[],
  edge: "start" | "end",
  { overlap, blendLength, attacks, neighbours, reach }: z.output<z.ZodObject<typeof landingParams>>,
): void {
  const ripples = neighbours !== "hold";
  const changes: TimeChange[] = [];
  const along = new Map<string, number>();
  const made = new Map(next.map((c) => [c.id, c]));
  for (const clip of next) {
    const was = tx.clip(clip.id);
    const lead = tx.leads.get(clip.id);
    const [before, after] = lead ? [tx.clip(lead), made.get(lead)] : [was, clip];
    let start = edge === "start" && !ripples ? clipEnd(was) - clip.length : was.start;
    if (after && before.id !== clip.id) {
      const from = edge === "start" && !ripples ? clipEnd(before) - after.length : before.start;
      start = from + Math.round(((was.start - before.start) * after.length) / before.length);
    }
    if (start < 0) throw new EditError(earlyWords(clip.name || "The clip", -start, tx.before.sampleRate), "length");
    changes.push({ trackId: was.trackId, at: clipEnd(was), by: clip.length - was.length });
    const follower = blendAfter(tx.before, was);
    if (ripples && follower) along.set(follower.id, clipEnd(was));
    // What is given another length by hand follows no tempo any more.
    const { bars: _, conform: __, ...rest } = clip;
    made.set(clip.id, { ...rest, start, ...(start === was.start && was.bars && { bars: was.bars }) });
  }
  for (const clip of made.values()) tx.setClip(clip);
  if (ripples)
    ripple(
      tx,
      changes.filter((c) => c.by !== 0),
      neighbours === "reorder" ? "track" : reach,
      { along },
    );
  const inOrder = [...made.values()].sort((a, b) => a.start - b.start).map((c) => c.id);
  resolveOverlaps(tx, inOrder, { overlap, blendLength, attacks }, true);
}
