import { z } from "zod";
import { type Clip, clipEnd, Position } from "../../../model/schema";
import { blendSpans, type Cuts, cutApart, cutTracks, inside } from "../../cutting/cut";
import { sliceOf } from "../../cutting/parts";
import { countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { layCopies } from "../../laying/copies";
import { goingParams, placed } from "../../laying/going";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { repeatAfter } from "../../laying/repeats";
import { neighbourParams, type Reach, ripple } from "../../opening/neighbours";
import { makeRoomFor } from "../../opening/openings";
import type { Transaction } from "../../transaction";
import { earlyWords } from "../../words";

/** A time range over tracks. */
const range = { start: Position, end: Position, trackIds: TrackIds };
const forward = (p: { start: number; end: number }): boolean => p.end > p.start;
const BACKWARDS = { message: "A range ends after it starts.", path: ["end"] };

/** Cuts tracks at both edges of a range and returns the clips that then lie in it. */
function cutOut(tx: Transaction, start: number, end: number, trackIds: readonly string[]): Clip[] {
  for (const id of trackIds) tx.track(id, "trackIds");
  cutTracks(tx, trackIds, [start, end]);
  return trackIds.flatMap((id) => tx.lane(id).within(start, end));
}

/** Closes a range on its tracks and those in reach. */
const close = (tx: Transaction, start: number, end: number, trackIds: readonly string[], reach: Reach): void =>
  ripple(
    tx,
    trackIds.map((trackId) => ({ trackId, at: end, by: start - end })),
    reach,
  );

export const deleteRange = defineEdit({
  type: "delete-range",
  law: { sound: "span", fields: WINDOW },
  about:
    "Takes what lies in a range off its tracks, cutting clips at the range's edges. Holding, it is silent then; rippling or reordering, the range closes, gaps in it too.",
  params: z.object({ ...range, ...neighbourParams }).refine(forward, BACKWARDS),
  example: { type: "delete-range", start: 12000, end: 36000, trackIds: ["track-1"] },
  links: "trackIds",
  apply(tx, { start, end, trackIds, neighbours, reach }) {
    for (const clip of cutOut(tx, start, end, trackIds)) tx.set("clip", clip.id, null);
    if (neighbours !== "hold") close(tx, start, end, trackIds, neighbours === "reorder" ? "track" : reach);
    return neighbours === "hold" ? "Clear range" : "Delete range and close";
  },
});

export const splitRange = defineEdit({
  type: "split-range",
  law: { sound: "nowhere", fields: WINDOW },
  about: "Splits clips at both edges of a range. An edge that lies in a blend splits nothing there, with a note.",
  params: z.object(range).refine(forward, BACKWARDS),
  example: { type: "split-range", start: 12000, end: 36000, trackIds: ["track-1", "track-2"] },
  links: "trackIds",
  apply(tx, { start, end, trackIds }) {
    for (const id of trackIds) tx.track(id, "trackIds");
    const inRange = (): Clip[] => trackIds.flatMap((id) => tx.lane(id).within(start, end));
    if (inRange().length === 0) throw new EditError("No clip lies in the range.", "trackIds");
    const { doc } = tx;
    const cuts = inRange().map((clip): Cuts => {
      const blends = blendSpans(doc, clip);
      const across = [start, end].filter((at) => at > clip.start && at < clipEnd(clip));
      if (across.some((at) => inside(blends, at)))
        tx.notes.push(`${clip.name || "A clip"} was not split in its blend, of which a cut would leave a piece that is nothing else.`);
      return { clipId: clip.id, places: across.filter((at) => !inside(blends, at)) };
    });
    cutApart(tx, cuts);
    const clips = inRange();
    return `Split out ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});

export const muteRange = defineEdit({
  type: "mute-range",
  law: { sound: "span", fields: [...WINDOW, "mute"] },
  about: "Splits clips at the edges of a range and mutes, or unmutes, what lies in it.",
  params: z.object({ ...range, mute: z.boolean() }).refine(forward, BACKWARDS),
  example: { type: "mute-range", start: 12000, end: 36000, trackIds: ["track-1"], mute: true },
  links: "trackIds",
  apply(tx, { start, end, trackIds, mute }) {
    const clips = cutOut(tx, start, end, trackIds);
    if (clips.length === 0) throw new EditError("No clip lies in the range.", "trackIds");
    for (const clip of clips) tx.setClip({ ...clip, mute });
    return `${mute ? "Mute" : "Unmute"} range`;
  },
});

export const moveRange = defineEdit({
  type: "move-range",
  law: { sound: "span", fields: [...WINDOW, "trackId"] },
  about:
    "Takes what lies in a range elsewhere, in time and across tracks, gaps kept, or a copy of it. Rippling or reordering, the range closes behind it and opens where it lands.",
  params: z
    .object({ ...range, ...goingParams, copy: z.boolean().default(false), ...overlapParams, ...neighbourParams })
    .refine(forward, BACKWARDS)
    .refine((p) => p.by === undefined || p.to === undefined, { message: "Give `by` or `to`, not both.", path: ["to"] }),
  example: { type: "move-range", start: 12000, end: 36000, trackIds: ["track-1"], to: 144000 },
  links: "trackIds",
  apply(tx, { start, end, trackIds, by, to, trackId, tracks, copy, overlap, blendLength, attacks, neighbours, reach }) {
    const shift = to !== undefined ? to - start : (by ?? 0);
    if (start + shift < 0) throw new EditError(earlyWords("The range", -(start + shift), tx.before.sampleRate), to === undefined ? "by" : "to");
    const ripples = neighbours !== "hold";
    const within = neighbours === "reorder" ? "track" : reach;
    const clips = copy ? slices(tx, start, end, trackIds) : cutOut(tx, start, end, trackIds);
    if (clips.length === 0) throw new EditError("There is nothing in the range.", "trackIds");
    const next = placed(tx, clips, { by: shift, trackId, tracks });
    const lands = [...new Set(next.map((c) => c.trackId))];
    if (ripples && !copy) {
      for (const clip of clips) tx.set("clip", clip.id, null);
      close(tx, start, end, trackIds, within);
    }
    // The whole range takes its room, empty parts at its edges too.
    if (ripples)
      makeRoomFor(
        tx,
        lands.map((id) => ({ ...clips[0], trackId: id, start: start + shift, length: end - start })),
        within,
      );
    if (copy) layCopies(tx, next, { overlap, blendLength, attacks });
    else {
      for (const clip of next) tx.setClip(clip);
      resolveOverlaps(
        tx,
        next.map((c) => c.id),
        { overlap, blendLength, attacks },
      );
    }
    return `${copy ? "Copy" : "Move"} range`;
  },
});

/** The parts of clips that lie in a range; the clips stay whole. */
export function slices(tx: Pick<Transaction, "lane" | "track">, start: number, end: number, trackIds: readonly string[]): Clip[] {
  return trackIds.flatMap((id) => {
    tx.track(id, "trackIds");
    return tx
      .lane(id)
      .within(start, end)
      .map((c) => sliceOf(c, start, end))
      .filter((c) => c !== null);
  });
}

export const repeatRange = defineEdit({
  type: "repeat-range",
  law: { sound: "span", fields: WINDOW },
  about: "Repeats what lies in a range behind it, `times` times or up to `until`, gaps kept.",
  params: z
    .object({
      ...range,
      times: z.int().min(1).max(10_000).optional(),
      until: Position.optional(),
      ...overlapParams,
      ...neighbourParams,
    })
    .refine(forward, BACKWARDS)
    .refine((p) => p.times === undefined || p.until === undefined, { message: "Give `times` or `until`, not both.", path: ["until"] }),
  example: { type: "repeat-range", start: 12000, end: 36000, trackIds: ["track-1"], times: 2 },
  links: "trackIds",
  apply(tx, { start, end, trackIds, times, until, overlap, blendLength, attacks, neighbours, reach }) {
    const clips = slices(tx, start, end, trackIds);
    if (clips.length === 0) throw new EditError("There is nothing in the range.", "trackIds");
    repeatAfter(tx, clips, start, end, { times, until, landing: { overlap, blendLength, attacks }, neighbours, reach, bundles: "independent" });
    return "Repeat range";
  },
});
