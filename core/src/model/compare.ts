import { written } from "../base/digest";
import { firstWhere } from "../base/sorted";
import type { Document } from "./document";
import { playedId, playedSource } from "./recipe/played-recording";
import { type Clip, clipEnd } from "./schema";

/*
 * What is different between two versions, clip by clip. A copy keeps the ids of what it was made from, so clips are matched by id first;
 * others by what they play of their recording: most of it in common, then the nearest start. Tracks are matched by id, else by name.
 */

/** How a clip differs; one clip may differ in several ways. */
export type Difference = "only-a" | "only-b" | "moved" | "trimmed" | "changed";

export interface Compared {
  /** Of a clip that is in both, both of it; else one. */
  readonly a: Clip | null;
  readonly b: Clip | null;
  readonly kinds: readonly Difference[];
}

/** For each track of the first version the one of the second that it is; by id, else by name, each at most once. */
export function matchedTracks(a: Document, b: Document): Map<string, string> {
  const matched = new Map<string, string>();
  const free = new Set(b.piece.trackOrder);
  for (const id of a.piece.trackOrder) if (free.delete(id)) matched.set(id, id);
  for (const id of a.piece.trackOrder) {
    if (matched.has(id)) continue;
    const name = a.tracks.get(id)?.name;
    const found = [...free].find((other) => b.tracks.get(other)?.name === name);
    if (found !== undefined) {
      free.delete(found);
      matched.set(id, found);
    }
  }
  return matched;
}

/** A clip, and the window of its recording that it plays, in samples of the recording. */
interface Windowed {
  readonly clip: Clip;
  readonly from: number;
  readonly to: number;
}

/** The window of its recording that a clip plays, whatever is done to it: as a part of all that it could play, which runs over the whole recording. */
function windowed(doc: Document, clip: Clip): Windowed {
  const recording = doc.sources.get(clip.sourceId)?.length ?? 0;
  const played = playedSource(doc.sources, clip)?.length ?? recording;
  const scale = played > 0 ? recording / played : 1;
  const [from, to] = [clip.offset * scale, (clip.offset + clip.length) * scale];
  return clip.recipe?.reverse ? { clip, from: recording - to, to: recording - from } : { clip, from, to };
}

/** What of a clip no move and no trim changes. */
function rest({ id: _, trackId: __, start: ___, length: ____, offset: _____, bars: ______, blend, ...more }: Clip): string {
  return written([more, blend && { law: blend.law, place: blend.place, linked: blend.linked }]);
}

/** Up to so many pairs of one recording all are held against each other. */
const ALL_PAIRS = 1_000_000;
/** Beyond, each clip is held against so many: those that begin nearest to it in their recording, and on the timeline those that play the very same. */
const NEAREST = 48;

/** The items nearest to a value, of some that are sorted by it; those at equal distance from the left first. */
function* nearest<T>(sorted: readonly T[], placeOf: (item: T) => number, value: number): Generator<T> {
  let right = firstWhere(sorted.length, (i) => placeOf(sorted[i]) >= value);
  let left = right - 1;
  for (let n = 0; n < NEAREST && (left >= 0 || right < sorted.length); n++) {
    const [rightBy, leftBy] = [
      right < sorted.length ? placeOf(sorted[right]) - value : Number.POSITIVE_INFINITY,
      left >= 0 ? value - placeOf(sorted[left]) : Number.POSITIVE_INFINITY,
    ];
    yield rightBy < leftBy ? sorted[right++] : sorted[left--];
  }
}

function grouped<T>(items: Iterable<T>, key: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const list = groups.get(key(item));
    if (list) list.push(item);
    else groups.set(key(item), [item]);
  }
  return groups;
}

/** Which clips are held against which, of those that play one recording. */
function* held(ones: readonly Windowed[], others: readonly Windowed[]): Generator<[Windowed, Windowed]> {
  if (ones.length * others.length <= ALL_PAIRS) {
    for (const one of ones) for (const other of others) yield [one, other];
    return;
  }
  const window = ({ clip }: Windowed): string => `${playedId(clip)} ${clip.offset} ${clip.length}`;
  const startOf = ({ clip }: Windowed): number => clip.start;
  const byWindow = [...others].sort((x, y) => x.from - y.from);
  const same = grouped(
    [...others].sort((x, y) => startOf(x) - startOf(y)),
    window,
  );
  for (const one of ones) {
    for (const other of nearest(same.get(window(one)) ?? [], startOf, startOf(one))) yield [one, other];
    for (const other of nearest(byWindow, (w) => w.from, one.from)) yield [one, other];
  }
}

/**
 * Matches clips of both sides by what they play of the same recording, whatever is done to it: the most in common first, then the nearest start,
 * each at most once. Those that were matched are taken out of both.
 */
function matchedByPlayed(a: Document, b: Document, leftA: Map<string, Clip>, leftB: Map<string, Clip>): [Clip, Clip][] {
  const bySource = ({ clip }: Windowed): string => clip.sourceId;
  const there = grouped(
    [...leftB.values()].map((c) => windowed(b, c)),
    bySource,
  );
  const here = grouped(
    [...leftA.values()].map((c) => windowed(a, c)),
    bySource,
  );
  const candidates: { one: Clip; other: Clip; common: number; apart: number }[] = [];
  for (const [id, list] of here)
    for (const [one, other] of held(list, there.get(id) ?? [])) {
      const common = Math.min(one.to, other.to) - Math.max(one.from, other.from);
      if (common > 0) candidates.push({ one: one.clip, other: other.clip, common, apart: Math.abs(one.clip.start - other.clip.start) });
    }
  candidates.sort((x, y) => y.common - x.common || x.apart - y.apart || (x.one.id < y.one.id ? -1 : 1));
  const pairs: [Clip, Clip][] = [];
  for (const { one, other } of candidates) {
    if (!leftA.has(one.id) || !leftB.has(other.id)) continue;
    pairs.push([one, other]);
    leftA.delete(one.id);
    leftB.delete(other.id);
  }
  return pairs;
}

/** Every difference between two versions of one project, by track and time of the first that has it. What is the same in both is left away. */
export function compare(a: Document, b: Document): Compared[] {
  const tracks = matchedTracks(a, b);
  const pairs: [Clip, Clip][] = [];
  const byId = (doc: Document): Map<string, Clip> => new Map([...doc.clips.values()].map((c) => [c.id, c]));
  const [leftA, leftB] = [byId(a), byId(b)];
  for (const clip of a.clips.values()) {
    const { id } = clip;
    const other = b.clips.get(id);
    if (!other || other.sourceId !== clip.sourceId) continue;
    pairs.push([clip, other]);
    leftA.delete(id);
    leftB.delete(id);
  }
  pairs.push(...matchedByPlayed(a, b, leftA, leftB));
  const found: Compared[] = [];
  for (const [one, other] of pairs) {
    const kinds: Difference[] = [];
    // Where both play the very same, a trim of the start leaves what is heard where it was; otherwise only the edges can be held against each other.
    const alike = playedId(one) === playedId(other);
    const place = (c: Clip): number => (alike ? c.start - c.offset : c.start);
    if (place(one) !== place(other) || tracks.get(one.trackId) !== other.trackId) kinds.push("moved");
    if (alike && (one.offset !== other.offset || one.length !== other.length)) kinds.push("trimmed");
    if (rest(one) !== rest(other)) kinds.push("changed");
    if (kinds.length > 0) found.push({ a: one, b: other, kinds });
  }
  for (const clip of leftA.values()) found.push({ a: clip, b: null, kinds: ["only-a"] });
  for (const clip of leftB.values()) found.push({ a: null, b: clip, kinds: ["only-b"] });
  const backTracks = new Map([...tracks].map(([x, y]) => [y, x]));
  const placeOf = ({ a: one, b: other }: Compared): number => {
    const track = one ? one.trackId : (backTracks.get((other as Clip).trackId) ?? "");
    const place = a.piece.trackOrder.indexOf(track);
    return place < 0 ? a.piece.trackOrder.length + b.piece.trackOrder.indexOf((other as Clip)?.trackId ?? "") : place;
  };
  const startOf = ({ a: one, b: other }: Compared): number => (one ?? (other as Clip)).start;
  return found.sort((x, y) => placeOf(x) - placeOf(y) || startOf(x) - startOf(y) || clipEnd((x.a ?? x.b) as Clip) - clipEnd((y.a ?? y.b) as Clip));
}
