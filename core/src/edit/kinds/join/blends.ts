import { z } from "zod";
import { bareFade } from "../../../dsp/fades";
import { playedSource } from "../../../model/recipe/played-recording";
import { Bend, BlendLaw, BlendPlace, type Clip, clipEnd, FadeShape, Id, Length, Position } from "../../../model/schema";
import { formatLength } from "../../../time/format";
import { takeBlendOff, unblended } from "../../cutting/cut";
import { withEnd, withStart } from "../../cutting/parts";
import { countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { blendClips, materialAt } from "../../laying/crossfade";
import type { Transaction } from "../../transaction";
import { beyondWords } from "../../words";

/** Two neighbours with their edit point elsewhere: the one is longer by what the other is shorter. Throws EditError without material. */
function spliceMoved(tx: Transaction, left: Clip, right: Clip, from: number, to: number): { left: Clip; right: Clip } {
  const by = to - from;
  const has = materialAt(left, right, from, playedSource(tx.before.sources, left)?.length ?? 0);
  if (by > has.after || -by > has.before)
    throw new EditError(
      `The splice can't go there with ${by > 0 ? left.name || "the left clip" : right.name || "the right clip"}: ${beyondWords(Math.max(0, by > 0 ? has.after : has.before), tx.before.sampleRate)}.`,
      "splice",
    );
  if (from - left.start + by - left.fadeIn.length < 1 || clipEnd(right) - right.fadeOut.length - from - by < 1)
    throw new EditError("The splice can't go past the clips' other fades.", "splice");
  return {
    left: withEnd(left, clipEnd(left) + by),
    right: withStart(right, right.start + by),
  };
}

/** A joint of two clips that touch, or blend. */
interface Joint {
  readonly left: Clip;
  readonly right: Clip;
  readonly splice: number;
}

/** The joint on a track inside a span that lies nearest to its middle; undefined where there is none. `joints`: how many there are. */
function jointIn(tx: Transaction, trackId: string, start: number, end: number): { joint: Joint | undefined; joints: number } {
  const found: Joint[] = [];
  for (const clip of tx.lane(trackId).within(start, end)) {
    const left = clip.blend
      ? tx.doc.clips.get(clip.blend.with)
      : tx
          .lane(trackId)
          .within(clip.start - 1, clip.start)
          .find((c) => clipEnd(c) === clip.start);
    if (!left) continue;
    const apart = clip.blend ? unblended(tx, clip) : { left, right: clip };
    if (apart.right.start > start && apart.right.start < end) found.push({ ...apart, splice: apart.right.start });
  }
  const off = ({ splice }: Joint): number => Math.abs(splice - (start + end) / 2);
  return { joint: found.sort((a, b) => off(a) - off(b))[0], joints: found.length };
}

export const blendRange = defineEdit({
  type: "blend-range",
  law: { sound: "span", fields: WINDOW },
  about:
    "On each track, crossfades the clips that meet inside a range, at the joint nearest to its middle, over the range, as far as their recordings have material; the splice stays where it is. What came to be shorter, or could not be, is noted.",
  params: z
    .object({
      start: Position,
      end: Position,
      trackIds: TrackIds,
      law: BlendLaw.default("auto"),
      shape: FadeShape.default("power"),
      bend: Bend.default(0),
    })
    .refine((p) => p.end > p.start, { message: "A range ends after it starts.", path: ["end"] }),
  example: { type: "blend-range", start: 47000, end: 49000, trackIds: ["track-1"] },
  links: "trackIds",
  apply(tx, { start, end, trackIds, law, shape, bend }) {
    const names: string[] = [];
    const { sampleRate } = tx.before;
    let failed: EditError | null = null;
    for (const trackId of trackIds) {
      const on = tx.track(trackId, "trackIds").name || "A track";
      const { joint, joints } = jointIn(tx, trackId, start, end);
      if (!joint) continue;
      const { left, right, splice } = joint;
      try {
        const length = blendClips(tx, { ...left, fadeOut: bareFade(left.fadeOut) }, { ...right, fadeIn: bareFade(right.fadeIn) }, splice, {
          length: end - start,
          place: "free",
          law,
          linked: true,
          shape,
          bend,
          reach: { before: splice - start, after: end - splice },
          mayHide: true,
        });
        names.push(right.name);
        if (length < end - start)
          tx.notes.push(
            `${on}: the blend is ${formatLength(length, sampleRate)} long, as far as there is material, not ${formatLength(end - start, sampleRate)}.`,
          );
        if (joints > 1) tx.notes.push(`${on}: ${joints - 1} of ${joints} joints in the range were left, which takes one blend.`);
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        failed = error;
        tx.notes.push(`${on}: ${error.message}`);
      }
    }
    if (names.length === 0) throw failed ?? new EditError("No two clips meet in the range.", "trackIds");
    return `Blend over range, ${countNames(names, "seam")}`;
  },
});

export const setBlend = defineEdit({
  type: "set-blend",
  law: { sound: "clips", fields: WINDOW },
  about: "Crossfades into a clip (`clipId`) from the neighbour that touches or overlaps its start, or changes that crossfade.",
  params: z.object({
    clipId: Id,
    with: Id.optional().describe("the clip that goes out; left out, the one that touches or overlaps the start"),
    length: Length.optional(),
    splice: Position.optional().describe("moves the splice there, and the overlap with it, as far as both recordings have material"),
    place: BlendPlace.optional(),
    law: BlendLaw.optional(),
    linked: z.boolean().optional(),
    shape: FadeShape.optional(),
    bend: Bend.optional(),
  }),
  example: { type: "set-blend", clipId: "clip-2", length: 480, place: "centred", law: "auto", shape: "power", bend: 0 },
  links: "clipId",
  apply(tx, p) {
    let right = tx.clip(p.clipId, "clipId");
    const old = right.blend;
    const oldLength = right.fadeIn.length;
    const shape = p.shape ?? right.fadeIn.shape;
    const bend = p.bend ?? right.fadeIn.bend;
    let left: Clip;
    let overlap = 0;
    if (old) {
      const apart = unblended(tx, right);
      left = apart.left;
      right = apart.right;
    } else {
      const near = tx
        .lane(right.trackId)
        .within(right.start - 1, right.start + 1)
        .filter((c) => c.id !== right.id && c.start <= right.start && clipEnd(c) >= right.start && clipEnd(c) <= clipEnd(right));
      const found = p.with ? near.find((c) => c.id === p.with) : near.sort((a, b) => b.layer - a.layer || b.start - a.start)[0];
      if (!found) throw new EditError(`No clip touches the start of ${right.name || "the clip"}.`, "clipId");
      left = found;
      overlap = clipEnd(left) - right.start;
      left = { ...left, fadeOut: bareFade(left.fadeOut) };
      right = { ...right, fadeIn: bareFade(right.fadeIn) };
    }
    // An overlap that is there already is taken as it is unless a length is asked for.
    const place = p.place ?? old?.place ?? (overlap > 0 ? "free" : "centred");
    const splice = old ? right.start : overlap > 0 ? right.start + Math.floor(overlap / 2) : right.start;
    const length = p.length ?? (old ? oldLength : overlap);
    if (length < 1) throw new EditError("Give the length of the blend.", "length");
    if (p.splice !== undefined && p.splice !== splice) {
      ({ left, right } = spliceMoved(tx, left, right, splice, p.splice));
      tx.setClip(left);
      tx.setClip(right);
    }
    blendClips(tx, left, right, p.splice ?? splice, {
      length,
      place,
      law: p.law ?? old?.law ?? "auto",
      linked: p.linked ?? old?.linked ?? true,
      shape,
      bend,
      mayHide: true,
    });
    return `Blend ${left.name} into ${right.name}`;
  },
});

export const removeBlend = defineEdit({
  type: "remove-blend",
  law: { sound: "clips", fields: WINDOW, lays: "none" },
  about: "Takes the crossfade at a clip's start away and puts both clips back to the splice.",
  params: z.object({ clipId: Id }),
  example: { type: "remove-blend", clipId: "clip-4" },
  links: "clipId",
  apply(tx, { clipId }) {
    const right = tx.clip(clipId, "clipId");
    if (!right.blend) throw new EditError(`${right.name || "The clip"} has no blend at its start.`, "clipId");
    takeBlendOff(tx, clipId);
    return `Take blend off ${right.name}`;
  },
});
