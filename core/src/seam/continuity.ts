import { fadesRunOn, withoutLent } from "../dsp/fades";
import { type ClipField, fieldsWhere } from "../model/clip/fields";
import { ownEdge, playsSame, runsBackwards } from "../model/recipe/played-recording";
import { type Clip, clipEnd, type SourceInfo } from "../model/schema";
import { MOST_STRETCH } from "../time/time-map";

/** Whether two values of one field hold the same: they are plain JSON. */
const sameValue = (a: unknown, b: unknown): boolean =>
  a === b || (typeof a === "object" && typeof b === "object" && JSON.stringify(a) === JSON.stringify(b));

/** Whether two clips have some fields alike. */
export const sameFields = (a: Clip, b: Clip, fields: readonly ClipField[]): boolean => fields.every((f) => sameValue(a[f], b[f]));

/** What is heard the same on both sides of a joint; recipes are told by what they make. */
const SAME = fieldsWhere("joint", "same").filter((f) => f !== "recipe");

/** Whether no gain changes at the join: no fade there, or curves that run on through it. */
const fadesAreOne = (left: Clip, right: Clip): boolean =>
  fadesRunOn(left.fadeIn, left.length, right.fadeIn) && fadesRunOn(right.fadeOut, right.length, left.fadeOut);

/** Whether the left clip's recording runs on into the right one sample for sample, gain and all. */
export function unbroken(left: Clip, right: Clip): boolean {
  return (
    clipEnd(left) === right.start &&
    left.offset + left.length === right.offset &&
    !right.blend &&
    playsSame(left, right) &&
    sameFields(left, right, SAME) &&
    fadesAreOne(left, right)
  );
}

/** Whether fades run on through a joint, but for those that its two edges got by themselves. */
const fadesContinue = (left: Clip, right: Clip): boolean =>
  fadesRunOn(left.fadeIn, left.length, withoutLent(right.fadeIn)) && fadesRunOn(right.fadeOut, right.length, withoutLent(left.fadeOut));

/**
 * Whether the audio goes on through the joint of two clips: the same moment of the same recording lies on both sides, whatever gain, pitch or
 * treatment each has, and no fade that somebody set lies between. Where the two are made differently their edges may lie apart by what a sample of
 * the one is in the other.
 */
export function runsOn(sources: ReadonlyMap<string, SourceInfo>, left: Clip, right: Clip): boolean {
  if (clipEnd(left) !== right.start || left.trackId !== right.trackId || left.sourceId !== right.sourceId || left.mute !== right.mute || right.blend)
    return false;
  if (!sameFields(left, right, ["channels"]) || !fadesContinue(left, right)) return false;
  if (playsSame(left, right)) return left.offset + left.length === right.offset;
  const source = sources.get(left.sourceId);
  if (!source || runsBackwards(left.recipe) !== runsBackwards(right.recipe)) return false;
  return Math.abs(ownEdge(source, left, left.offset + left.length) - ownEdge(source, right, right.offset)) <= MOST_STRETCH;
}
