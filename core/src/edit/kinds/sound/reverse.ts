import { z } from "zod";
import { blendAfter } from "../../../model/document";
import { type Clip, clipEnd, Position } from "../../../model/schema";
import { cutTracks, takeBlendOff } from "../../cutting/cut";
import { ClipIds, countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { turnedRound } from "../../remaking/turned-round";

export const reverse = defineEdit({
  type: "reverse",
  law: { sound: "clips", fields: [...WINDOW, "recipe"], lays: "none" },
  about:
    "Plays the windows of clips backwards, or forwards again: start, length and fades stay, envelopes turn with the sound. The recording is not changed.",
  params: z.object({ clipIds: ClipIds }),
  example: { type: "reverse", clipIds: ["clip-1"] },
  links: "clipIds",
  apply(tx, { clipIds }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    for (const clip of clips) tx.setClip(turnedRound(tx, clip));
    return `Reverse ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});

export const reverseRange = defineEdit({
  type: "reverse-range",
  law: { sound: "span", fields: [...WINDOW, "recipe"] },
  about:
    "Turns what lies in a range round, across the borders of clips: what came last comes first, each clip backwards, its fades at the other side. Clips are cut only at the range's edges; blends in it are put back to their splice.",
  params: z
    .object({ start: Position, end: Position, trackIds: TrackIds })
    .refine((p) => p.end > p.start, { message: "A range ends after it starts.", path: ["end"] }),
  example: { type: "reverse-range", start: 12000, end: 36000, trackIds: ["track-1"] },
  links: "trackIds",
  apply(tx, { start, end, trackIds }) {
    for (const id of trackIds) tx.track(id, "trackIds");
    cutTracks(tx, trackIds, [start, end]);
    const inside = (): Clip[] => trackIds.flatMap((id) => tx.lane(id).within(start, end));
    for (const { id } of inside()) {
      if (tx.doc.clips.get(id)?.blend) takeBlendOff(tx, id);
      const now = tx.doc.clips.get(id);
      const follower = now && blendAfter(tx.doc, now);
      if (follower) takeBlendOff(tx, follower.id);
    }
    const clips = inside();
    if (clips.length === 0) throw new EditError("No clip lies in the range.", "trackIds");
    for (const clip of clips) {
      const { bars: _, ...next } = turnedRound(tx, clip);
      tx.setClip({ ...next, start: start + end - clipEnd(clip), fadeIn: clip.fadeOut, fadeOut: clip.fadeIn });
      tx.edges.turn(clip.id);
    }
    return `Reverse range, ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
