import { z } from "zod";
import { fadeOfLength } from "../../dsp/fades";
import { Bend, BlendLaw, BlendPlace, type Clip, clipEnd, FadeShape, Id, Length } from "../../model/schema";
import { defineEdit } from "../definition";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";

/** The part of [splice − before, splice + after) for a length and place. */
export function overlapAround(place: z.infer<typeof BlendPlace>, length: number): { before: number; after: number } {
  const before = place === "after" ? 0 : place === "before" ? length : Math.floor(length / 2);
  return { before, after: length - before };
}

/** How much material each side has beyond a splice, in samples: the left clip's after it, the right clip's before it. */
export function materialAt(left: Clip, right: Clip, splice: number, leftSourceLength: number): { after: number; before: number } {
  return { after: leftSourceLength - left.offset - (splice - left.start), before: right.offset + (splice - right.start) };
}

/** Lets two neighbours overlap by `length` around the splice, as far as their recordings and other fades allow. */
export function blendClips(
  tx: Transaction,
  left: Clip,
  right: Clip,
  splice: number,
  p: { length: number; place: z.infer<typeof BlendPlace>; law: BlendLaw; linked: boolean; shape: FadeShape; bend: number },
): number {
  const has = materialAt(left, right, splice, tx.before.sources.get(left.sourceId)?.length ?? 0);
  const wanted = overlapAround(p.place, p.length);
  // Both sides shrink alike for a centred blend, so that it stays centred.
  const beforeMost = Math.max(0, Math.min(has.before, splice - left.start - left.fadeIn.length, splice));
  const afterMost = Math.max(0, Math.min(has.after, clipEnd(right) - right.fadeOut.length - splice));
  const before = p.place === "centred" ? Math.min(wanted.before, beforeMost, afterMost) : Math.min(wanted.before, beforeMost);
  const after = p.place === "centred" ? Math.min(wanted.after, afterMost, before + (p.length % 2)) : Math.min(wanted.after, afterMost);
  const length = before + after;
  if (length < 1)
    throw new EditError(
      `There is no material to blend: ${left.name || "the left clip"} has ${Math.max(0, has.after)} samples after the splice, ${right.name || "the right clip"} has ${Math.max(0, has.before)} before it.`,
      "length",
    );
  const start = splice - before;
  const fadeOut = fadeOfLength(left.fadeOut, length);
  tx.setClip({
    ...left,
    length: splice + after - left.start,
    fadeOut: p.linked ? { length, shape: p.shape, bend: p.bend } : { ...fadeOut, part: undefined },
  });
  tx.setClip({
    ...right,
    start,
    offset: right.offset + (start - right.start),
    length: clipEnd(right) - start,
    layer: left.layer,
    fadeIn: { length, shape: p.shape, bend: p.bend },
    blend: { with: left.id, law: p.law, place: p.place, splice, linked: p.linked },
  });
  return length;
}

/** The clip pair back at its splice, without the blend. */
export function unblended(tx: Transaction, right: Clip): { left: Clip; right: Clip } {
  if (!right.blend) throw new EditError(`${right.name || "The clip"} has no blend at its start.`, "clipId");
  const left = tx.clip(right.blend.with);
  // A splice that edits left behind falls back to the middle of the overlap.
  const { splice: kept } = right.blend;
  const splice = kept > right.start - 1 && kept <= clipEnd(left) ? kept : Math.floor((right.start + clipEnd(left)) / 2);
  return {
    left: { ...left, length: splice - left.start, fadeOut: { ...left.fadeOut, length: 0, part: undefined } },
    right: {
      ...right,
      start: splice,
      offset: right.offset + (splice - right.start),
      length: clipEnd(right) - splice,
      fadeIn: { ...right.fadeIn, length: 0, part: undefined },
      blend: null,
    },
  };
}

export const setBlend = defineEdit({
  type: "set-blend",
  about: "Crossfades into a clip (`clipId`) from the neighbour that touches or overlaps its start, or changes that crossfade.",
  params: z.object({
    clipId: Id,
    with: Id.optional().describe("the clip that goes out; left out, the one that touches or overlaps the start"),
    length: Length.optional(),
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
      left = { ...left, fadeOut: { ...left.fadeOut, length: 0, part: undefined } };
      right = { ...right, fadeIn: { ...right.fadeIn, length: 0, part: undefined } };
    }
    // An overlap that is there already is taken as it is unless a length is asked for.
    const place = p.place ?? old?.place ?? (overlap > 0 ? "free" : "centred");
    const splice = old ? right.start : overlap > 0 ? right.start + Math.floor(overlap / 2) : right.start;
    const length = p.length ?? (old ? oldLength : overlap);
    if (length < 1) throw new EditError("Give the length of the blend.", "length");
    blendClips(tx, left, right, splice, { length, place, law: p.law ?? old?.law ?? "auto", linked: p.linked ?? old?.linked ?? true, shape, bend });
    return `Blend ${left.name} into ${right.name}`;
  },
});

export const removeBlend = defineEdit({
  type: "remove-blend",
  about: "Takes the crossfade at a clip's start away and puts both clips back to the splice.",
  params: z.object({ clipId: Id }),
  example: { type: "remove-blend", clipId: "clip-4" },
  links: "clipId",
  apply(tx, { clipId }) {
    const { left, right } = unblended(tx, tx.clip(clipId, "clipId"));
    tx.setClip(left);
    tx.setClip(right);
    return `Take blend off ${right.name}`;
  },
});
