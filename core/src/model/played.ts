import type { Clip, SourceInfo } from "./schema";

/*
 * A clip may play not its recording but one that is made from it by its recipe. Everybody who reads samples, hits or lengths for a clip asks
 * here: a derived recording has an id of its own, and is read like any other.
 */

/** Parts a recording's id from the recipe in a derived one's. No id of a recording has it. */
const MARK = "~";
const REVERSED = "r";

/** The id of the recording that a clip plays: its own, or the one that its recipe makes from it. */
export const playedId = (clip: Pick<Clip, "sourceId" | "recipe">): string =>
  clip.recipe?.reverse ? `${clip.sourceId}${MARK}${REVERSED}` : clip.sourceId;

/** What a played id says: the recording that it comes from, and whether it runs backwards. */
export function ofPlayedId(id: string): { readonly sourceId: string; readonly reverse: boolean } {
  const at = id.indexOf(MARK);
  return at < 0 ? { sourceId: id, reverse: false } : { sourceId: id.slice(0, at), reverse: id.slice(at + 1) === REVERSED };
}

/** Sample i of a reversed recording of n samples is sample n − 1 − i; a hit lies where its first sample went, as far as it is there. */
function reversed(source: SourceInfo): SourceInfo {
  const { length, hits } = source;
  return {
    ...source,
    id: `${source.id}${MARK}${REVERSED}`,
    ...(hits && { hits: hits.map((h) => length - 1 - h).reverse() }),
  };
}

const made = new WeakMap<SourceInfo, SourceInfo>();

/** What is known of the recording that a clip plays; undefined where its own is not there. */
export function playedSource(sources: ReadonlyMap<string, SourceInfo>, clip: Pick<Clip, "sourceId" | "recipe">): SourceInfo | undefined {
  const source = sources.get(clip.sourceId);
  if (!source || !clip.recipe?.reverse) return source;
  let derived = made.get(source);
  if (!derived) {
    derived = reversed(source);
    made.set(source, derived);
  }
  return derived;
}

/** Whether two clips play the same recording, made in the same way. */
export const playsSame = (a: Pick<Clip, "sourceId" | "recipe">, b: Pick<Clip, "sourceId" | "recipe">): boolean =>
  a.sourceId === b.sourceId && (a.recipe?.reverse ?? false) === (b.recipe?.reverse ?? false);

/** A place of the recording itself, in samples, as a clip's recipe has it, and the other way round: the recipes there are are their own inverse. */
export const throughRecipe = (source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe">, at: number): number =>
  clip.recipe?.reverse ? source.length - 1 - at : at;
