import { z } from "zod";
import { fieldsWhere } from "../../model/clip/fields";
import type { Document } from "../../model/document";
import { playedSource } from "../../model/recipe/played-recording";
import { type Bundle, type Clip, clipEnd, type TakeClip, type TakeLane, without } from "../../model/schema";
import { sameFields, unbroken } from "../../seam/continuity";
import { bundleClips } from "../bundles/members";
import { takeBlendOff, takeOut } from "../cutting/cut";
import { healed, sliceOf } from "../cutting/parts";
import { EditError } from "../errors";
import { blendClips, materialAt } from "../laying/crossfade";
import type { Transaction } from "../transaction";

/*
 * Take stacks. The picks of a stack are clips of its track like any other, so that whoever plays, blends or checks them knows nothing of
 * takes; each names the lane that it is from. What is not picked lies in the lanes, which the bundle keeps.
 */

/** How a border between two picks is blended: as long as this, where both have the material. */
export interface BorderLength {
  readonly length: number;
}

/** A bundle that is a take stack. Throws EditError for one that is none. */
export function stackOf(tx: Pick<Transaction, "bundle">, bundleId: string): Bundle & { readonly takes: readonly TakeLane[] } {
  const bundle = tx.bundle(bundleId);
  if (!bundle.takes) throw new EditError(`${bundle.name || "This bundle"} is no take stack.`, "bundleId");
  return bundle as Bundle & { takes: readonly TakeLane[] };
}

/** A lane of a stack. Throws EditError. */
export function laneOf(stack: Bundle & { readonly takes: readonly TakeLane[] }, laneId: string): TakeLane {
  const lane = stack.takes.find((l) => l.id === laneId);
  if (!lane) throw new EditError(`${stack.name || "The stack"} has no lane "${laneId}".`, "laneId");
  return lane;
}

/** Stacks of tracks that are linked to a stack's, which begin where it does and have as many lanes: they are picked from alike. It comes first. */
export function stacksAlike(tx: Transaction, bundleId: string): (Bundle & { readonly takes: readonly TakeLane[] })[] {
  const stack = stackOf(tx, bundleId);
  const link = tx.doc.tracks.get(stack.trackId)?.link;
  if (!tx.links || link === null || link === undefined) return [stack];
  const others = [...tx.doc.bundles.values()].filter(
    (b) => b.id !== stack.id && b.takes?.length === stack.takes.length && b.start === stack.start && tx.doc.tracks.get(b.trackId)?.link === link,
  );
  return [stack, ...(others as (typeof stack)[])];
}

/** The lanes of a stack changed, in all copies that follow it. */
export function setLanes(tx: Transaction, stack: Bundle, takes: readonly TakeLane[]): void {
  for (const b of [...tx.doc.bundles.values()])
    if (b.id === stack.id || (stack.pattern !== null && b.pattern === stack.pattern)) tx.set("bundle", b.id, { ...b, takes: [...takes] });
}

/** A clip of a lane as it would lie on the stack's track. */
export function laidClip(stack: Bundle, lane: TakeLane, { at, ...clip }: TakeClip, id: string, layer: number): Clip {
  return { ...clip, id, trackId: stack.trackId, start: stack.start + at, layer, blend: null, bundle: stack.id, take: lane.id };
}

const LEFT = fieldsWhere("lane", "left");

/** What of a clip goes into a lane. */
export function takeClip(clip: Clip, from: number): TakeClip {
  return { ...without(clip, LEFT), at: clip.start - from };
}

/** Where a pick begins: at its splice, where it is blended. */
const begins = (c: Clip): number => c.blend?.splice ?? c.start;

/** The picks of a stack, in order. */
export const picksOf = (doc: Document, stack: Bundle): Clip[] =>
  bundleClips(doc, stack.id)
    .filter((c) => c.trackId === stack.trackId)
    .sort((a, b) => begins(a) - begins(b));

type Span = readonly [number, number];

/** Where a lane has sound, as spans of the timeline. */
const soundOf = (stack: Bundle, lane: TakeLane): Span[] =>
  lane.clips.map((c) => [Math.max(0, stack.start + c.at), stack.start + c.at + c.length] as const).filter(([from, to]) => to > from);

/** What is left of some spans without others. */
export function spansWithout(spans: readonly Span[], taken: readonly Span[]): Span[] {
  let rest = [...spans];
  for (const [a, b] of taken)
    rest = rest.flatMap(([from, to]): Span[] => [[from, Math.min(to, a)] as const, [Math.max(from, b), to] as const].filter(([x, y]) => y > x));
  return rest;
}

/** What two picks must have alike to be one: all but where they lie. What somebody did to one of them alone stays with it. */
const ALIKE = fieldsWhere("cut", "both");

/** Whether one clip's sound runs on into the other's, with all that is done to it: they are one pick. */
const isOnePick = (left: Clip, right: Clip): boolean => unbroken(left, right) && sameFields(left, right, ALIKE);

/** A blend between two picks, as it was before they were touched. */
interface Held {
  readonly left: Clip;
  readonly right: Clip;
}

/**
 * Changes the picks of a stack while none of them is blended, each at its splices; then puts together what runs on, gives every border that
 * is still there its blend back, and lays new ones at those that are new.
 */
export function repick(tx: Transaction, stackId: string, border: BorderLength, work: () => void): void {
  const before = picksOf(tx.doc, stackOf(tx, stackId));
  const held = new Map<number, Held>();
  for (const right of before) {
    const left = right.blend && tx.doc.clips.get(right.blend.with);
    if (left && right.blend) held.set(right.blend.splice, { left, right });
  }
  for (const c of before) if (tx.doc.clips.get(c.id)?.blend) takeBlendOff(tx, c.id);
  const bare = new Set(borders(tx, stackId).map(({ at }) => at));
  for (const at of held.keys()) bare.delete(at);
  work();
  joinUp(tx, stackId);
  for (const { left, right, at } of borders(tx, stackId)) {
    const was = held.get(at);
    if (was && was.left.take === left.take && was.right.take === right.take) reblend(tx, left.id, right.id, was);
    // A border that somebody left bare, or took the blend off, stays so.
    else if (!bare.has(at)) blendBorder(tx, left.id, right.id, border.length);
  }
}

/** Where two picks meet. */
function borders(tx: Transaction, stackId: string): { left: Clip; right: Clip; at: number }[] {
  const picks = picksOf(tx.doc, tx.bundle(stackId));
  return picks.flatMap((right, i) => (i > 0 && clipEnd(picks[i - 1]) === right.start ? [{ left: picks[i - 1], right, at: right.start }] : []));
}

/** Puts picks together that run on into each other. */
function joinUp(tx: Transaction, stackId: string): void {
  let last: Clip | null = null;
  for (const clip of picksOf(tx.doc, tx.bundle(stackId))) {
    if (last && isOnePick(last, clip)) {
      tx.set("clip", clip.id, null);
      const whole = healed(last, clip);
      tx.setClip(whole);
      last = whole;
    } else last = clip;
  }
}

/** Lays a blend as it was, as far as both sides still have the material. */
function reblend(tx: Transaction, leftId: string, rightId: string, { left: wasLeft, right: was }: Held): void {
  const [left, right] = [tx.clip(leftId), tx.clip(rightId)];
  const { splice, law, place, linked } = was.blend as NonNullable<Clip["blend"]>;
  const reach = { before: splice - was.start, after: clipEnd(wasLeft) - splice };
  try {
    const length = blendClips(tx, left, right, splice, {
      length: reach.before + reach.after,
      reach,
      place: "free",
      law,
      linked,
      shape: was.fadeIn.shape,
      bend: was.fadeIn.bend,
    });
    const now = tx.clip(rightId);
    if (now.blend) tx.setClip({ ...now, blend: { ...now.blend, place }, ...(length === was.fadeIn.length && { fadeIn: was.fadeIn }) });
    if (length === wasLeft.fadeOut.length) tx.setClip({ ...tx.clip(leftId), fadeOut: wasLeft.fadeOut });
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
  }
}

/** Takes a span out of all picks of a stack. To be called while none is blended. */
export function clearPicks(tx: Transaction, stackId: string, from: number, to: number): void {
  for (const old of picksOf(tx.doc, tx.bundle(stackId))) if (old.start < to && clipEnd(old) > from) takeOut(tx, old.id, from, to);
}

/**
 * Picks a stretch from a lane: where it has sound there, what was picked makes room; where it has none, the earlier picks stay. To be called
 * while no pick is blended. Returns whether anything was picked.
 */
export function pickFrom(tx: Transaction, stackId: string, laneId: string, start: number, end: number): boolean {
  const stack = stackOf(tx, stackId);
  const lane = laneOf(stack, laneId);
  const layer = Math.max(0, ...picksOf(tx.doc, stack).map((c) => c.layer));
  let any = false;
  for (const clip of lane.clips) {
    const whole = laidClip(stack, lane, clip, "pick", layer);
    const slice = sliceOf(whole, Math.max(0, start), end);
    if (!slice) continue;
    // An id is taken before room is made: what is cut there takes some too.
    const id = tx.newId();
    clearPicks(tx, stackId, slice.start, clipEnd(slice));
    tx.setClip({ ...slice, id });
    if (slice.start > whole.start) tx.edges.isNew(id, "start");
    if (clipEnd(slice) < clipEnd(whole)) tx.edges.isNew(id, "end");
    any = true;
  }
  return any;
}

/**
 * A stretch that is to be picked, and with it what would be left of the picks at its ends where that is shorter than the blend of a border: it
 * could not be blended on both sides, and would be heard raw. To be called while no pick is blended.
 */
export function withSlivers(tx: Transaction, stackId: string, start: number, end: number, border: number): [number, number] {
  let [from, to] = [start, end];
  for (const { start: a, length } of picksOf(tx.doc, tx.bundle(stackId))) {
    if (a < start && start < a + length && start - a < border) from = a;
    if (a < end && end < a + length && a + length - end < border) to = a + length;
  }
  return [from, to];
}

/**
 * Blends a border: around it where both sides have the material, else to the side where one of them has; where none has any it stays an edge
 * like any other.
 */
export function blendBorder(tx: Transaction, leftId: string, rightId: string, most: number): void {
  const [left, right] = [tx.clip(leftId), tx.clip(rightId)];
  if (clipEnd(left) !== right.start) return;
  // Each of the two has another border, and room for both.
  const length = Math.min(most, left.length, right.length);
  if (length < 1) return;
  const has = materialAt(left, right, right.start, playedSource(tx.before.sources, left)?.length ?? 0);
  const half = Math.ceil(length / 2);
  const place = has.after >= half && has.before >= half ? "centred" : has.after >= has.before ? "after" : "before";
  try {
    blendClips(tx, left, right, right.start, { length, place, law: "auto", linked: true, shape: "power", bend: 0 });
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
  }
}

/** Picks from the first lane that has sound there, where nothing of a stack is picked but some lane has sound. To be called while no pick is blended. */
export function fillHoles(tx: Transaction, stackId: string): void {
  const stack = stackOf(tx, stackId);
  for (const lane of stack.takes) {
    const holes = spansWithout(
      soundOf(stack, lane),
      picksOf(tx.doc, stack).map((c) => [c.start, clipEnd(c)] as const),
    );
    for (const [from, to] of holes) pickFrom(tx, stackId, lane.id, from, to);
  }
}

/** Length of the blend at a border between picks, in samples. */
export const BorderLength = z
  .int()
  .min(0)
  .max(10_000_000)
  .default(480)
  .describe("length of the blend at each border between picks, where both sides have material; 0 leaves them bare");
