import type { z } from "zod";
import { playedSource } from "../../model/recipe/played-recording";
import { type BlendLaw, type BlendPlace, type Clip, clipEnd, type FadeShape } from "../../model/schema";
import { formatLength } from "../../time/format";
import { takeOut } from "../cutting/cut";
import { withEnd, withStart } from "../cutting/parts";
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
  p: {
    length: number;
    place: z.infer<typeof BlendPlace>;
    law: BlendLaw;
    linked: boolean;
    shape: FadeShape;
    bend: number;
    /** For a free place: how far the overlap reaches on both sides of the splice. */
    reach?: { before: number; after: number };
    /** Clips that one of the two hides may be put away, where both could not share a layer otherwise. */
    mayHide?: boolean;
  },
): number {
  const has = materialAt(left, right, splice, playedSource(tx.before.sources, left)?.length ?? 0);
  const wanted = p.reach ?? overlapAround(p.place, p.length);
  // Both sides shrink alike for a centred blend, so that it stays centred.
  const beforeMost = Math.max(0, Math.min(has.before, splice - left.start - left.fadeIn.length, splice));
  const afterMost = Math.max(0, Math.min(has.after, clipEnd(right) - right.fadeOut.length - splice));
  const before = p.place === "centred" ? Math.min(wanted.before, beforeMost, afterMost) : Math.min(wanted.before, beforeMost);
  const after = p.place === "centred" ? Math.min(wanted.after, afterMost, before + (p.length % 2)) : Math.min(wanted.after, afterMost);
  const length = before + after;
  if (length < 1)
    throw new EditError(
      `There is no material to blend: ${left.name || "the left clip"} has ${formatLength(Math.max(0, has.after), tx.before.sampleRate)} after the splice, ${right.name || "the right clip"} has ${formatLength(Math.max(0, has.before), tx.before.sampleRate)} before it.`,
      "length",
    );
  const start = splice - before;
  const shape = p.linked ? p : left.fadeOut;
  const layer = sharedLayer(tx, left, right, p.mayHide ?? false);
  tx.setClip({ ...withEnd({ ...left, layer }, splice + after), fadeOut: { length, shape: shape.shape, bend: shape.bend } });
  tx.setClip({
    ...withStart(right, start),
    layer,
    fadeIn: { length, shape: p.shape, bend: p.bend },
    blend: { with: left.id, law: p.law, place: p.place, splice, linked: p.linked },
  });
  return length;
}

/**
 * The layer that two clips blend on: that of the earlier one, or of the later one, whichever changes nothing of what lies over or under either
 * of them. Where both would, what the higher of the two hides is put away, and said; where nothing may be, EditError is thrown.
 */
function sharedLayer(tx: Transaction, left: Clip, right: Clip, mayHide: boolean): number {
  if (left.layer === right.layer) return left.layer;
  const [low, high] = left.layer < right.layer ? [left, right] : [right, left];
  const between = (clip: Clip): Clip[] =>
    tx
      .lane(clip.trackId)
      .within(clip.start, clipEnd(clip))
      .filter((c) => c.id !== left.id && c.id !== right.id && c.layer >= low.layer && c.layer <= high.layer);
  const partner = (c: Clip): boolean => c.blend?.with === high.id || high.blend?.with === c.id;
  const hidden = between(high).filter((c) => !partner(c));
  if (hidden.length === 0) return low.layer;
  if (between(low).length === 0) return high.layer;
  if (!mayHide)
    throw new EditError(
      `${hidden[0].name || "A clip"} lies between the layers of the two: nothing that is hidden is put away for a blend here.`,
      "length",
    );
  for (const c of hidden) takeOut(tx, c.id, Math.max(c.start, high.start), Math.min(clipEnd(c), clipEnd(high)));
  tx.notes.push(
    `What ${high.name || "the higher clip"} hid of ${hidden.length === 1 ? hidden[0].name || "a clip" : `${hidden.length} clips`} was put away, so that the two share a layer.`,
  );
  return low.layer;
}
