import { ownPlace, playedOf, playedPlace, playedSource } from "./played";
import { type Clip, clipEnd, type Hit, type SourceInfo } from "./schema";

/** The least strength of what is as sure and as loud as a hit must be: clips show so much where nothing else was set. */
export const SURE = 0.5;
export const USUAL_SENSITIVITY = 1 - SURE;

type Sources = ReadonlyMap<string, SourceInfo>;

/** What a clip shows of its recording's hits, in the recording's own samples, in order. Where strengths are not known all are shown. */
function ownHits(source: SourceInfo, clip: Pick<Clip, "hits">): readonly Hit[] {
  const { sensitivity = USUAL_SENSITIVITY, added = [], removed = [] } = clip.hits ?? {};
  const found = source.found?.filter((h) => h.strength >= 1 - sensitivity - 1e-9) ?? source.hits?.map((at) => ({ at, strength: 1 })) ?? [];
  if (added.length === 0 && removed.length === 0) return found;
  const without = new Set([...removed, ...added]);
  return [...found.filter((h) => !without.has(h.at)), ...added.filter((at) => at < source.length).map((at) => ({ at, strength: 1 }))].sort(
    (a, b) => a.at - b.at,
  );
}

interface Shown {
  readonly source: SourceInfo;
  readonly recipe: Clip["recipe"];
  readonly list: readonly Hit[];
}
/** By what was set, or by what is played where nothing was: the one that was asked for last. */
const known = new WeakMap<object, Shown>();

/** The hits that a clip has, in samples of what it plays, in order, with their strengths. */
export function hitsOf(sources: Sources, clip: Pick<Clip, "sourceId" | "recipe" | "hits">): readonly Hit[] {
  const source = sources.get(clip.sourceId);
  if (!source) return [];
  // What is made of a recording is an object of its own, which is kept.
  const key = clip.hits ?? (clip.recipe ? playedOf(source, clip.recipe) : source);
  const kept = known.get(key);
  if (kept && kept.source === source && kept.recipe === clip.recipe) return kept.list;
  const own = ownHits(source, clip);
  const list = clip.recipe ? playedAt(source, clip, own) : own;
  known.set(key, { source, recipe: clip.recipe, list });
  return list;
}

/** Hits at their places in what a clip plays; of those that fall on one sample, one. */
function playedAt(source: SourceInfo, clip: Pick<Clip, "recipe">, hits: readonly Hit[]): Hit[] {
  const played = hits.map((h) => ({ ...h, at: playedPlace(source, clip, h.at) })).sort((a, b) => a.at - b.at);
  return played.filter((h, i) => h.at >= 0 && (i === 0 || h.at > played[i - 1].at));
}

/** The first of some hits that lies at a place or after it. */
function firstFrom(hits: readonly Hit[], at: number): number {
  let [low, high] = [0, hits.length];
  while (low < high) {
    const mid = (low + high) >> 1;
    if (hits[mid].at < at) low = mid + 1;
    else high = mid;
  }
  return low;
}

/** The hits of a clip that it plays, with their strengths, at their places on the timeline, in order, in [from, to) of the timeline in samples. */
export function strengthsBetween(sources: Sources, clip: Clip, from: number, to: number): Hit[] {
  const hits = hitsOf(sources, clip);
  const shift = clip.start - clip.offset;
  const end = Math.min(to, clipEnd(clip)) - shift;
  const between: Hit[] = [];
  for (let i = firstFrom(hits, Math.max(from, clip.start) - shift); i < hits.length && hits[i].at < end; i++)
    between.push({ at: hits[i].at + shift, strength: hits[i].strength });
  return between;
}

/** The same without strengths. None where the recording's hits are not known. */
export const hitsBetween = (sources: Sources, clip: Clip, from: number, to: number): number[] =>
  strengthsBetween(sources, clip, from, to).map((h) => h.at);

/** What lies nearest to a place of the timeline among all that was found in a clip's recording, faint or not, within `within` samples; null where nothing does. */
export function attackNear(sources: Sources, clip: Clip, at: number, within: number): number | null {
  const source = sources.get(clip.sourceId);
  const all = source && hitsOf(sources, { sourceId: clip.sourceId, recipe: clip.recipe, hits: source.found ? { sensitivity: 1 } : undefined });
  let nearest: number | null = null;
  for (const h of all ?? []) {
    const place = h.at - clip.offset + clip.start;
    if (Math.abs(place - at) <= within && (nearest === null || Math.abs(place - at) < Math.abs(nearest - at))) nearest = place;
  }
  return nearest;
}

/** A place of the timeline as a sample of a clip's recording itself. */
export const recordedPlace = (sources: Sources, clip: Clip, at: number): number => {
  const source = sources.get(clip.sourceId);
  return source ? ownPlace(source, clip, at - clip.start + clip.offset) : 0;
};

/** Whether a recording's hits are known at all. */
export const hitsKnown = (sources: Sources, clip: Pick<Clip, "sourceId" | "recipe">): boolean => playedSource(sources, clip)?.hits !== undefined;
