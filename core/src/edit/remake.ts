import { fadeOfLength } from "../dsp/fades";
import { type Making, madeLength, makingOf, mapOf, ownWindow } from "../model/played";
import { type Clip, type Recipe, Recipe as RecipeSchema, type SourceInfo } from "../model/schema";
import { madeAt } from "../time/time-map";
import { fadeKept } from "./clips/trim";
import { EditError } from "./errors";
import { fadeRoom } from "./parts";
import type { Transaction } from "./transaction";

/** A clip's recording. Throws EditError where it is not there. */
export function recordingOf(tx: Transaction, clip: Clip): SourceInfo {
  const source = tx.before.sources.get(clip.sourceId);
  if (!source) throw new EditError(`The recording of ${clip.name || "the clip"} is not there.`, "clipIds");
  return source;
}

function gcd(a: number, b: number): number {
  while (b) [a, b] = [b, a % b];
  return a;
}

/** A recipe that makes something and turns it round or not, in the simplest figures; undefined where it would do nothing. Throws EditError. */
export function recipeOf(making: Making | undefined, reverse: true | undefined, path: string): Recipe | undefined {
  const { pitch, warp } = making ?? {};
  let { stretch } = making ?? {};
  if (stretch) {
    const g = gcd(stretch.from, stretch.to);
    stretch = { kind: stretch.kind, from: stretch.from / g, to: stretch.to / g };
    // A stretch that changes nothing is kept for its kind only, where pitch goes by it.
    if (stretch.from === stretch.to && (!pitch || stretch.kind !== "hits")) stretch = undefined;
  }
  const recipe = { ...(reverse && { reverse }), ...(stretch && { stretch }), ...(warp && { warp }), ...(pitch && { pitch }) };
  if (Object.keys(recipe).length === 0) return undefined;
  const read = RecipeSchema.safeParse(recipe);
  if (!read.success) throw new EditError(read.error.issues[0].message, path);
  return read.data;
}

/**
 * A clip with another recipe, showing the same moments of its recording, its start where it was: edges of the window are mapped and rounded
 * once each, lengths follow. Fades keep their lengths as far as they fit; the sync point stays with its sound.
 */
export function remade(source: SourceInfo, clip: Clip, recipe: Recipe | undefined, path: string): Clip {
  const window = ownWindow(source, clip);
  return placedWindow(source, clip, recipe, window.from, window.to, path);
}

/** A clip with another recipe that shows the recording from one moment to another. */
export function placedWindow(source: SourceInfo, clip: Clip, recipe: Recipe | undefined, ownFrom: number, ownTo: number, path: string): Clip {
  const { recipe: _, ...rest } = clip;
  const whole = madeLength(source.length, recipe);
  const map = mapOf(recipe);
  const from = Math.max(0, Math.min(whole - 1, madeAt(map, ownFrom)));
  const to = Math.max(from + 1, Math.min(whole, madeAt(map, ownTo)));
  const length = to - from;
  // The sync point stays with its sound.
  const sync = clip.sync === null ? null : Math.min(length - 1, Math.floor((clip.sync * length) / clip.length));
  if (clip.start + length > Number.MAX_SAFE_INTEGER) throw new EditError(`${clip.name || "The clip"} would reach further than can be counted.`, path);
  return withLength({ ...rest, offset: recipe?.reverse ? whole - to : from, sync, ...(recipe && { recipe }) }, clip.length, length);
}

/** A clip of another length than it had, its fades as long as they were where they fit. */
function withLength(clip: Clip, was: number, length: number): Clip {
  const next = { ...clip, length };
  const fadeOut = fadeKept(was, clip.fadeOut, length);
  const fadeIn = fadeOfLength(clip.fadeIn, Math.max(0, Math.min(clip.fadeIn.length, fadeRoom(next, fadeOut))));
  return { ...next, fadeIn, fadeOut };
}

/** What of a clip's recipe is made, with other parts of it. */
export const makingWith = (clip: Clip, part: Partial<Making>): Making => ({ ...makingOf(clip.recipe), ...part });
