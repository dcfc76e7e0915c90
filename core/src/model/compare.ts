import { written } from "../base/digest";
import type { Document } from "./document";
import { playedId } from "./recipe/played-recording";
import { type Clip, clipEnd } from "./schema";

/*
 * What is different between two versions, clip by clip. A copy keeps the ids of what it was made from, so clips are matched by id first;
 * others by what they play: most of it in common, then the nearest start. Tracks are matched by id, else by name.
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

const overlap = (a: Clip, b: Clip): number => Math.min(a.offset + a.length, b.offset + b.length) - Math.max(a.offset, b.offset);

/** What of a clip no move and no trim changes. */
function rest({ id: _, trackId: __, start: ___, length: ____, offset: _____, bars: ______, blend, ...more }: Clip): string {
  return written([more, blend && { law: blend.law, place: blend.place, linked: blend.linked }]);
}

/** More pairs than this are not all looked at: those with the very same window are matched in order first. */
const MOST_PAIRS = 1_000_000;

/**
 * Matches clips of both sides by what they play: the most in common first, then the nearest start, each at most once. Those that were matched
 * are taken out of both.
 */
function matchedByPlayed(leftA: Map<string, Clip>, leftB: Map<string, Clip>): [Clip, Clip][] {
  const pairs: [Clip, Clip][] = [];
  const pair = (one: Clip, other: Clip): void => {
    pairs.push([one, other]);
    leftA.delete(one.id);
    leftB.delete(other.id);
  };
  const grouped = (clips: Iterable<Clip>, key: (c: Clip) => string): Map<string, Clip[]> => {
    const groups = new Map<string, Clip[]>();
    for (const clip of clips) {
      const list = groups.get(key(clip));
      if (list) list.push(clip);
      else groups.set(key(clip), [clip]);
    }
    return groups;
  };
  const count = (x: ReadonlyMap<string, readonly Clip[]>, y: ReadonlyMap<string, readonly Clip[]>): number =>
    [...x].reduce((sum, [key, list]) => sum + list.length * (y.get(key)?.length ?? 0), 0);
  const groups = () => [grouped(leftA.values(), playedId), grouped(leftB.values(), playedId)] as const;
  let [ownA, ownB] = groups();
  if (count(ownA, ownB) > MOST_PAIRS) {
    const window = (c: Clip): string => `${playedId(c)} ${c.offset} ${c.length}`;
    const others = grouped(leftB.values(), window);
    for (const [key, list] of grouped(leftA.values(), window)) {
      const same = (others.get(key) ?? []).sort((x, y) => x.start - y.start);
      list.sort((x, y) => x.start - y.start).forEach((one, i) => same[i] && pair(one, same[i]));
    }
    [ownA, ownB] = groups();
    // What is still too much to be looked at pair by pair is only here, or only there.
    if (count(ownA, ownB) > MOST_PAIRS) return pairs;
  }
  const candidates: { one: Clip; other: Clip; common: number; apart: number }[] = [];
  for (const [key, list] of ownA)
    for (const one of list)
      for (const other of ownB.get(key) ?? []) {
        const common = overlap(one, other);
        if (common > 0) candidates.push({ one, other, common, apart: Math.abs(one.start - other.start) });
      }
  candidates.sort((x, y) => y.common - x.common || x.apart - y.apart || (x.one.id < y.one.id ? -1 : 1));
  for (const { one, other } of candidates) if (leftA.has(one.id) && leftB.has(other.id)) pair(one, other);
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
  pairs.push(...matchedByPlayed(leftA, leftB));
  const found: Compared[] = [];
  for (const [one, other] of pairs) {
    const kinds: Difference[] = [];
    if (one.start - one.offset !== other.start - other.offset || tracks.get(one.trackId) !== other.trackId) kinds.push("moved");
    if (one.offset !== other.offset || one.length !== other.length) kinds.push("trimmed");
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
