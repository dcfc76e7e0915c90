import { z } from "zod";
import { isLent, keptFade } from "../../../dsp/fades";
import { blendAfter } from "../../../model/document";
import { Bend, type Clip, clipEnd, type Fade, FadeShape, Position } from "../../../model/schema";
import { fadeRoom } from "../../cutting/parts";
import { ClipIds, countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import type { Transaction } from "../../transaction";

const sides = { in: "fadeIn", out: "fadeOut" } as const;

/**
 * Sets one fade of a clip; growing past the other fade stops there. What is asked for and is there already changes nothing, so that what a
 * cut left of a fade stays. False, with a note, where the edge is blended and its length would change: the blend decides that.
 */
function layFade(tx: Transaction, clip: Clip, edge: "in" | "out", fade: { length?: number; shape?: Fade["shape"]; bend?: number }): boolean {
  const old = clip[sides[edge]];
  const other = clip[sides[edge === "in" ? "out" : "in"]];
  const length = Math.min(fade.length ?? old.length, fadeRoom(clip, other));
  const [shape, bend] = [fade.shape ?? old.shape, fade.bend ?? old.bend];
  if (length === old.length && shape === old.shape && bend === old.bend) {
    // What was lent is meant from now on.
    if (isLent(old)) tx.setClip({ ...clip, [sides[edge]]: keptFade(old) });
    return true;
  }
  const blended = edge === "in" ? clip.blend : blendAfter(tx.doc, clip);
  if (blended && length !== old.length) {
    tx.notes.push(`${clip.name || "A clip"} is blended there, and the blend decides the length, so it was left.`);
    return false;
  }
  tx.setClip({ ...clip, [sides[edge]]: { length, shape, bend } });
  return true;
}

export const setFade = defineEdit({
  type: "set-fade",
  law: { sound: "clips", fields: ["fadeIn", "fadeOut"], lays: "none" },
  about:
    "Sets the fade-in or fade-out of clips; what is left out stays. A fade stops where it meets the clip's other fade. Clips that are blended at that edge are left, with a note.",
  params: z.object({
    clipIds: ClipIds,
    edge: z.enum(["in", "out"]),
    length: z.int().min(0).optional(),
    shape: FadeShape.optional(),
    bend: Bend.optional(),
  }),
  example: { type: "set-fade", clipIds: ["clip-1"], edge: "in", length: 480, shape: "s", bend: 0 },
  links: "clipIds",
  apply(tx, { clipIds, edge, ...fade }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    const done = clips.filter((clip) => layFade(tx, clip, edge, fade));
    if (done.length === 0) throw new EditError(tx.notes[0], "length");
    return `Fade ${edge} ${countNames(
      done.map((c) => c.name),
      "clip",
    )}`;
  },
});

export const fadeRange = defineEdit({
  type: "fade-range",
  law: { sound: "span", fields: ["fadeIn", "fadeOut"], lays: "none" },
  about:
    "Fades each track over a range: out, the last clip that ends in the range fades from the range's start to its own end; in, the first that starts in it fades up to the range's end.",
  params: z
    .object({ start: Position, end: Position, trackIds: TrackIds, edge: z.enum(["in", "out"]), shape: FadeShape.optional(), bend: Bend.optional() })
    .refine((p) => p.end > p.start, { message: "A range ends after it starts.", path: ["end"] }),
  example: { type: "fade-range", start: 24000, end: 480000, trackIds: ["track-1"], edge: "out" },
  links: "trackIds",
  apply(tx, { start, end, trackIds, edge, shape, bend }) {
    const names: string[] = [];
    for (const trackId of trackIds) {
      const inside = tx.track(trackId, "trackIds") && tx.lane(trackId).within(start, end);
      const reaches = inside.filter((c) => (edge === "out" ? clipEnd(c) <= end && !blendAfter(tx.doc, c) : c.start >= start && !c.blend));
      if (reaches.length === 0) continue;
      const clip = edge === "out" ? reaches.reduce((a, b) => (clipEnd(b) >= clipEnd(a) ? b : a)) : reaches[0];
      const length = edge === "out" ? clipEnd(clip) - Math.max(start, clip.start) : Math.min(end, clipEnd(clip)) - clip.start;
      layFade(tx, clip, edge, { length, shape, bend });
      names.push(clip.name);
    }
    if (names.length === 0) throw new EditError(edge === "out" ? "No clip ends in the range." : "No clip starts in the range.", "trackIds");
    return `Fade ${edge} over range, ${countNames(names, "clip")}`;
  },
});
