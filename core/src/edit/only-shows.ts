import { alike } from "../model/alike";
import type { Change } from "../model/document";
import type { Clip, Track } from "../model/schema";

/** What of a track only shows it, or lets it be heard by itself. */
const SHOWN_OF_TRACK: ReadonlySet<keyof Track> = new Set(["height", "solo"]);

/** A clip without the word whether its processors are by-passed, and without where a tail that is by-passed lets its window begin. */
const bareWords = ({ recipe, ...clip }: Clip): unknown => ({
  ...clip,
  recipe: recipe && { ...recipe, treat: recipe.treat && bareChain(recipe.treat) },
});
const bareChain = ({ chain, tail: _, ...rest }: NonNullable<NonNullable<Clip["recipe"]>["treat"]>): unknown => ({
  ...rest,
  chain: chain.map((p) => ({ ...p, on: true })),
});

/**
 * Whether changes only show or listen (heights, solo, by-pass): they are kept with the version, but are no step of its history, and end no redo
 * (semantics, History).
 */
export const onlyShows = (changes: readonly Change[]): boolean =>
  changes.length > 0 &&
  changes.every((c) => {
    if (!c.before || !c.after) return false;
    if (c.kind === "track") {
      const [was, is] = [c.before, c.after];
      return (Object.keys({ ...was, ...is }) as (keyof Track)[]).every((k) => SHOWN_OF_TRACK.has(k) || alike(was[k], is[k]));
    }
    return c.kind === "clip" && alike(bareWords(c.before), bareWords(c.after));
  });
