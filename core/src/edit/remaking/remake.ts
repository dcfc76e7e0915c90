import { fadeOfLength } from "../../dsp/fades";
import { madeLength, ownEdge, ownPlace, ownWindow, playedEdge, playedPlace } from "../../model/recipe/played-recording";
import { type Clip, type Recipe, Recipe as RecipeSchema, type SourceInfo } from "../../model/schema";
import { commonDivisor } from "../../time/rational";
import { fadeKept, fadeRoom } from "../cutting/parts";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";

/** A clip's recording. Throws EditError where it is not there. */
export function recordingOf(tx: Transaction, clip: Clip): SourceInfo {
  const source = tx.before.sources.get(clip.sourceId);
  if (!source) throw new EditError(`The recording of ${clip.name || "the clip"} is not there.`, "clipIds");
  return source;
}

/** What a recipe does to time and pitch. */
export type Timing = Pick<Recipe, "stretch" | "warp" | "pitch" | "pitchLine">;

/** What a clip's recipe does to pitch alone; undefined where it does nothing to it. */
export function pitchingOf({ recipe }: Pick<Clip, "recipe">): Pick<Recipe, "pitch" | "pitchLine"> | undefined {
  const { pitch, pitchLine } = recipe ?? {};
  return pitch || pitchLine ? { ...(pitch && { pitch }), ...(pitchLine && { pitchLine }) } : undefined;
}

/** What a clip's recipe does to time and pitch; undefined where it does nothing to them. */
export function timingOf({ recipe }: Pick<Clip, "recipe">): Timing | undefined {
  const { stretch, warp } = recipe ?? {};
  const pitched = pitchingOf({ recipe });
  return stretch || warp || pitched ? { ...(stretch && { stretch }), ...(warp && { warp }), ...pitched } : undefined;
}

/** The recipe of a clip with other time and pitch, in the simplest figures; undefined where it would do nothing. Throws EditError. */
export function retimed(source: SourceInfo, { recipe: had }: Pick<Clip, "recipe">, timing: Timing | undefined, path: string): Recipe | undefined {
  const { pitch, pitchLine, warp } = timing ?? {};
  let { stretch } = timing ?? {};
  if (stretch) {
    const g = commonDivisor(stretch.from, stretch.to);
    stretch = { kind: stretch.kind, from: stretch.from / g, to: stretch.to / g };
    // A stretch that changes nothing is kept for its kind only, where pitch goes by it.
    if (stretch.from === stretch.to && (!(pitch || pitchLine) || stretch.kind !== "hits")) stretch = undefined;
  }
  const { reverse, treat, turned } = had ?? {};
  const time: Timing = { ...(stretch && { stretch }), ...(warp && { warp }), ...(pitch && { pitch }), ...(pitchLine && { pitchLine }) };
  // A treatment stays on the sound it was laid on.
  const bare = { ...(had && { recipe: { ...had, treat: undefined, turned: undefined } }) };
  const next = { recipe: { ...time, ...(reverse && { reverse }) } };
  const edges = treat && [treat.window.from, treat.window.to].map((edge) => Math.max(0, playedEdge(source, next, ownEdge(source, bare, edge))));
  const window = edges && { from: Math.min(...edges), to: Math.max(Math.min(...edges) + 1, ...edges) };
  return readRecipe(
    { ...time, ...(reverse && { reverse }), ...(treat && window && { treat: { ...treat, window } }), ...(turned && { turned }) },
    path,
  );
}

/** A recipe that was put together; undefined where it would do nothing. Throws EditError. */
export function readRecipe(recipe: Recipe, path: string): Recipe | undefined {
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
  // Where no moment goes elsewhere, the window is what it was, to the sample.
  if (keepsTime(clip.recipe, recipe)) {
    const { recipe: _, ...rest } = clip;
    return { ...rest, ...(recipe && { recipe }) };
  }
  const window = ownWindow(source, clip);
  return placedWindow(source, clip, recipe, window.from, window.to, path);
}

/** Whether two recipes lay every moment of a recording at the same place. */
function keepsTime(a: Recipe | undefined, b: Recipe | undefined): boolean {
  const ratio = ({ from, to }: { from: number; to: number } = { from: 1, to: 1 }): number => to / from;
  const warped = (r: Recipe | undefined): string => JSON.stringify(r?.warp?.points ?? null);
  return (
    ratio(a?.stretch) === ratio(b?.stretch) &&
    warped(a) === warped(b) &&
    a?.reverse === b?.reverse &&
    a?.turned === b?.turned &&
    a?.treat?.tail === b?.treat?.tail
  );
}

/** A clip with another recipe that shows the recording from one moment to another. */
export function placedWindow(source: SourceInfo, clip: Clip, recipe: Recipe | undefined, ownFrom: number, ownTo: number, path: string): Clip {
  const { recipe: _, ...rest } = clip;
  const whole = madeLength(source.length, recipe);
  const edges = [ownFrom, ownTo].map((edge) => playedEdge(source, { recipe }, edge));
  const from = Math.max(0, Math.min(whole - 1, ...edges));
  const to = Math.max(from + 1, Math.min(whole, Math.max(...edges)));
  const length = to - from;
  // The sync point stays with its sound.
  const synced = clip.sync === null ? null : playedPlace(source, { recipe }, ownPlace(source, clip, clip.offset + clip.sync)) - from;
  const sync = synced === null ? null : Math.max(0, Math.min(length - 1, synced));
  if (clip.start + length > Number.MAX_SAFE_INTEGER) throw new EditError(`${clip.name || "The clip"} would reach further than can be counted.`, path);
  return withLength({ ...rest, offset: from, sync, ...(recipe && { recipe }) }, clip.length, length);
}

/** A clip of another length than it had, its fades as long as they were where they fit. */
function withLength(clip: Clip, was: number, length: number): Clip {
  const next = { ...clip, length };
  const fadeOut = fadeKept(was, clip.fadeOut, length);
  const fadeIn = fadeOfLength(clip.fadeIn, Math.max(0, Math.min(clip.fadeIn.length, fadeRoom(next, fadeOut))));
  return { ...next, fadeIn, fadeOut };
}
