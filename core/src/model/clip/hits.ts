import { firstWhere } from "../../base/sorted";
import { playedOf, playedPlace } from "../recipe/played-recording";
import { type Clip, clipEnd, type Hit, type SourceInfo } from "../schema";

/** The least strength of what is as sure and as loud as a hit must be: clips show so much where nothing else was set. */
export const SURE = 0.5;
export const USUAL_SENSITIVITY = 1 - SURE;

type Sources = ReadonlyMap<string, SourceInfo>;
/** What a clip, or a part of a take, must be known by to tell where its hits lie. */
export type HasHits = Pick<Clip, "sourceId" | "recipe" | "hits" | "start" | "offset" | "length">;

/** Those of a recording's hits that a clip shows by themselves, in the recording's own samples, in order. Where strengths are not known all are. */
export function foundHits(source: SourceInfo, hits: Clip["hits"]): readonly Hit[] {
  const { sensitivity = USUAL_SENSITIVITY, cleared = false } = hits ?? {};
  if (cleared) return [];
  return source.found?.filter((h) => h.strength >= 1 - sensitivity - 1e-9) ?? source.hits?.map((at) => ({ at, strength: 1 })) ?? [];
}

/** All that a clip shows, in its recording's own samples, in order: of those found what was not taken away, and what was added. */
export function ownHits(source: SourceInfo, clip: Pick<Clip, "hits">): readonly Hit[] {
  const { added = [], removed = [] } = clip.hits ?? {};
  const found = foundHits(source, clip.hits);
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

/** Which of the hits of a clip it plays within [from, to) of the timeline in samples: from one index up to another, and by how much they lie later there. */
export function playedHits(
  sources: Sources,
  clip: HasHits,
  from: number,
  to: number,
): { hits: readonly Hit[]; first: number; end: number; shift: number } {
  const hits = hitsOf(sources, clip);
  const shift = clip.start - clip.offset;
  const indexOf = (at: number): number => firstWhere(hits.length, (i) => hits[i].at >= at - shift);
  const first = indexOf(Math.max(from, clip.start));
  return { hits, first, end: Math.max(first, indexOf(Math.min(to, clipEnd(clip)))), shift };
}

/** The hits of a clip that it plays, at their places on the timeline, in order, in [from, to) of the timeline in samples. None where its recording's are not known. */
export function hitsBetween(sources: Sources, clip: HasHits, from: number, to: number): number[] {
  const { hits, first, end, shift } = playedHits(sources, clip, from, to);
  return hits.slice(first, end).map((h) => h.at + shift);
}

const ALL: Clip["hits"] = { sensitivity: 1 };

/** What lies nearest to a place of the timeline among all that was found in a clip's recording, faint or not, within `within` samples; null where nothing does. */
export function attackNear(sources: Sources, clip: Clip, at: number, within: number): number | null {
  const near = hitsBetween(sources, { ...clip, hits: ALL }, at - within, at + within + 1);
  return near.length > 0 ? near.reduce((a, b) => (Math.abs(b - at) < Math.abs(a - at) ? b : a)) : null;
}

/** Whether the hits of a clip's recording are known at all. */
export const hitsKnown = (sources: Sources, clip: Pick<Clip, "sourceId">): boolean => sources.get(clip.sourceId)?.hits !== undefined;
