import { hashOf, written } from "../../base/digest";
import { commonDivisor } from "../../time/rational";
import { evenMap, madeAt, momentRecorded, recordedAt, type TimeMap, warpedMap } from "../../time/time-map";
import { type Clip, type EnvelopePoint, MOST_PITCH, type Recipe, type SourceInfo, type StretchKind } from "../schema";
import { ringsOn } from "./treatment";

/*
 * A clip may play not its recording but one that is made from it by its recipe. Everybody who reads samples, hits or lengths for a clip asks
 * here: a derived recording has an id of its own, and is read like any other. What is stretched, warped or pitched is *made* first, and may
 * then be turned round, which needs no work.
 */

/** Parts a recording's id from the recipe in a derived one's. No id of a recording has it. */
const MARK = "~";
const MADE = "m";
const REVERSED = "r";

type Played = Pick<Clip, "sourceId" | "recipe">;

/** The part of a recipe for which samples must be worked out. */
export type Making = Pick<Recipe, "stretch" | "warp" | "pitch" | "pitchLine" | "treat" | "reverse">;

/** Whether a recipe turns what is made round in the end: before a treatment turning is a part of what is made. */
const isTurned = (recipe: Recipe | undefined): boolean => (recipe?.treat ? recipe.turned : recipe?.reverse) ?? false;

/** The same making is written in the same way, whatever figures say it. */
function canonical({ stretch, warp, pitch, pitchLine, treat, reverse }: Making): string {
  const g = stretch ? commonDivisor(stretch.from, stretch.to) : 1;
  const time = stretch ? [stretch.kind, stretch.from / g, stretch.to / g] : warp ? [warp.kind, ...warp.points.flatMap((p) => [p.from, p.to])] : [];
  // Where nothing rings on, what a chain makes does not depend on the window it was laid on.
  const treated = treat ? [reverse ?? false, treat.chain, ...(ringsOn(treat.chain) ? [treat.window.from, treat.window.to, treat.tail] : [])] : [];
  const bent = pitchLine ? [pitchLine.flatMap((p) => [p.at, p.value, p.hold ?? false])] : [];
  return written([time, pitch ?? 0, ...bent, ...treated]);
}

const suffixes = new WeakMap<Recipe, string>();

/** What a recipe puts behind a recording's id: `~m` and a digest of what is made, `r` where it is turned round; nothing where it does nothing. */
function suffixOf(recipe: Recipe): string {
  let suffix = suffixes.get(recipe);
  if (suffix === undefined) {
    const made = makingOf(recipe);
    const what = `${made ? MADE + hashOf(canonical(made)) : ""}${isTurned(recipe) ? REVERSED : ""}`;
    suffix = what && MARK + what;
    suffixes.set(recipe, suffix);
  }
  return suffix;
}

/** What of a recipe must be made; undefined where nothing must. */
export function makingOf(recipe: Recipe | undefined): Making | undefined {
  const { stretch, warp, pitch, pitchLine, treat, reverse } = recipe ?? {};
  // A line along zero bends nothing.
  const bends = pitchLine?.some((p) => p.value !== 0);
  if (!(stretch || warp || pitch || bends || treat)) return undefined;
  return {
    ...(stretch && { stretch }),
    ...(warp && { warp }),
    ...(pitch && { pitch }),
    ...(bends && { pitchLine }),
    ...(treat && { treat, ...(reverse && { reverse }) }),
  };
}

/** The id of the recording that a clip plays: its own, or the one that its recipe makes from it. */
export const playedId = (clip: Played): string => (clip.recipe ? clip.sourceId + suffixOf(clip.recipe) : clip.sourceId);

/** The id of what is made for a clip, forwards; its recording's own where nothing is. */
export const madeId = (clip: Played): string => ofPlayedId(playedId(clip)).forwards;

/** What a played id says: the recording that it comes from, what of it is read forwards, and whether it is turned round. */
export function ofPlayedId(id: string): { readonly sourceId: string; readonly forwards: string; readonly reverse: boolean } {
  const at = id.indexOf(MARK);
  if (at < 0) return { sourceId: id, forwards: id, reverse: false };
  const sourceId = id.slice(0, at);
  const reverse = id.endsWith(REVERSED);
  const whole = reverse ? id.slice(0, -1) : id;
  return { sourceId, forwards: whole.length > at + 1 ? whole : sourceId, reverse };
}

/** Whether an id names a recording whose samples are worked out. */
export const isMade = (id: string): boolean => id.includes(MARK + MADE);

const maps = new WeakMap<Making, TimeMap>();
const PLAIN = evenMap(1, 1);

/** Where moments of the recording lie in what a recipe makes, before it is turned round. */
export function mapOf(recipe: Making | undefined): TimeMap {
  if (!recipe?.stretch && !recipe?.warp) return PLAIN;
  let map = maps.get(recipe);
  if (!map) {
    map = recipe.warp ? warpedMap(recipe.warp.points) : evenMap(recipe.stretch?.from ?? 1, recipe.stretch?.to ?? 1);
    maps.set(recipe, map);
  }
  return map;
}

export const LINE_KINDS = ["gain", "pan", "pitch"] as const;
export type LineKind = (typeof LINE_KINDS)[number];
/** Where the values of an envelope end: dB, parts of pan, cents. Without one, a clip is at 0 of it. */
export const LINE_BOUNDS: Readonly<Record<LineKind, readonly [number, number]>> = {
  gain: [-144, 24],
  pan: [-1, 1],
  pitch: [-MOST_PITCH, MOST_PITCH],
};

/** The envelope of a kind that a clip has, in samples of its recording; undefined without one. */
export const envelopeOf = (clip: Pick<Clip, "recipe" | "envelopes">, kind: LineKind): readonly EnvelopePoint[] | undefined =>
  kind === "pitch" ? clip.recipe?.pitchLine : clip.envelopes?.[kind];

/** How a clip is stretched: its own kind, or smooth, which pitch alone needs. */
export const kindOf = (recipe: Making | undefined): StretchKind => recipe?.stretch?.kind ?? recipe?.warp?.kind ?? "smooth";

/** How many samples time and pitch make of a recording of some length, before anything else; never none. */
const timedLength = (length: number, recipe: Making | undefined): number => Math.max(1, madeAt(mapOf(recipe), length));

/** How many samples are made of a recording of some length: a treatment that rings on may last longer. */
export function madeLength(length: number, recipe: Making | undefined): number {
  const timed = timedLength(length, recipe);
  return recipe?.treat && recipe.treat.tail > 0 ? Math.max(timed, recipe.treat.window.to + recipe.treat.tail) : timed;
}

/** A place along the map, turned as the recipe turns it; `last`: what counts from the end, 1 for samples and 0 for edges. Its own inverse but for the order. */
function turnedOut(length: number, recipe: Recipe | undefined, place: number, last: 0 | 1): number {
  const inner = recipe?.reverse ? timedLength(length, recipe) - last - place : place;
  return recipe?.turned ? madeLength(length, recipe) - last - inner : inner;
}
function turnedBack(length: number, recipe: Recipe | undefined, place: number, last: 0 | 1): number {
  const inner = recipe?.turned ? madeLength(length, recipe) - last - place : place;
  return recipe?.reverse ? timedLength(length, recipe) - last - inner : inner;
}

/** What is known of it but for its hits, which `hits.ts` tells. */
function derived(source: SourceInfo, recipe: Recipe): SourceInfo {
  const { hits: _, found: __, ...same } = source;
  return { ...same, id: source.id + suffixOf(recipe), length: madeLength(source.length, recipe) };
}

/** Recipes of one recording that are kept in mind. */
const MOST_KNOWN = 256;
const known = new WeakMap<SourceInfo, Map<string, SourceInfo>>();

/** What is known of the recording that a clip plays; undefined where its own is not there. */
export function playedSource(sources: ReadonlyMap<string, SourceInfo>, clip: Played): SourceInfo | undefined {
  const source = sources.get(clip.sourceId);
  return source && clip.recipe ? playedOf(source, clip.recipe) : source;
}

/** What is known of a recording as a recipe has it. */
export function playedOf(source: SourceInfo, recipe: Recipe): SourceInfo {
  let all = known.get(source);
  if (!all) {
    all = new Map();
    known.set(source, all);
  }
  const suffix = suffixOf(recipe);
  let found = all.get(suffix);
  if (!found) {
    // A drag passes through hundreds of recipes that nobody asks for again.
    if (all.size >= MOST_KNOWN) all.clear();
    found = derived(source, recipe);
    all.set(suffix, found);
  }
  return found;
}

/** Whether two clips play the same recording, made in the same way. */
export const playsSame = (a: Played, b: Played): boolean =>
  a.sourceId === b.sourceId && (a.recipe === b.recipe || (a.recipe ? suffixOf(a.recipe) : "") === (b.recipe ? suffixOf(b.recipe) : ""));

/** A sample of the recording itself, in what a clip plays of it. `source` is the recording's own. */
export const playedPlace = (source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe">, at: number): number =>
  turnedOut(source.length, clip.recipe, madeAt(mapOf(clip.recipe), at), 1);

/** A sample of what a clip plays, in the recording itself: the other way round. */
export const ownPlace = (source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe">, at: number): number =>
  recordedAt(mapOf(clip.recipe), turnedBack(source.length, clip.recipe, at, 1));

/** An edge of the recording itself, in what a clip plays of it: edges lie between samples, so that turned round they are not off by one. */
export const playedEdge = (source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe">, edge: number): number =>
  turnedOut(source.length, clip.recipe, madeAt(mapOf(clip.recipe), edge), 0);

/** An edge of what a clip plays, in the recording itself: the other way round. */
export const ownEdge = (source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe">, edge: number): number =>
  recordedAt(mapOf(clip.recipe), turnedBack(source.length, clip.recipe, edge, 0));

/** Whether what a clip plays runs backwards through its recording: turned round twice, it does not. */
export const runsBackwards = (recipe: Recipe | undefined): boolean => (recipe?.reverse ?? false) !== (recipe?.turned ?? false);

const lines = new WeakMap<readonly EnvelopePoint[], { suffix: string; points: readonly EnvelopePoint[] }>();

/**
 * The points of an envelope, which are kept on the recording, at their places in what is made of it, before it is turned round. Of points
 * that fall on one sample the last counts.
 */
export function madeLine(clip: Pick<Clip, "recipe">, points: readonly EnvelopePoint[]): readonly EnvelopePoint[] {
  const { recipe } = clip;
  const map = mapOf(recipe);
  if (!recipe || map === PLAIN) return points;
  const suffix = suffixOf(recipe);
  const found = lines.get(points);
  if (found?.suffix === suffix) return found.points;
  const made: EnvelopePoint[] = [];
  for (const p of points) {
    const at = madeAt(map, p.at);
    if (made.at(-1)?.at === at) made.pop();
    made.push({ ...p, at });
  }
  lines.set(points, { suffix, points: made });
  return made;
}

/** The value that counts at a sample of what a clip plays is that of its envelope here: the line lies on what time and pitch make, forwards. */
export const linePlace = (source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe">, at: number): number =>
  turnedBack(source.length, clip.recipe, at, 1);

/** The moment of the recording that is heard at sample `at` of what is made, forwards, between samples too: what it sounds like untreated. */
export function momentOf(length: number, making: Making, at: number): number {
  const inner = making.treat && making.reverse ? timedLength(length, making) - 1 - at : at;
  return momentRecorded(mapOf(making), inner);
}

/** A clip's window as edges of the recording itself, rounded once each. */
export function ownWindow(source: Pick<SourceInfo, "length">, clip: Pick<Clip, "recipe" | "offset" | "length">): { from: number; to: number } {
  const edges = [clip.offset, clip.offset + clip.length].map((edge) => Math.max(0, Math.min(source.length, ownEdge(source, clip, edge))));
  return { from: Math.min(...edges), to: Math.max(...edges) };
}
