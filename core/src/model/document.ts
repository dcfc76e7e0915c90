import type { Timebase } from "../time/grid";
import { MeterMap } from "../time/meter";
import { TempoMap } from "../time/tempo";
import { frameRate } from "../time/timecode";
import { IdIndex } from "./index/id-index";
import { Lane } from "./index/lane";
import { type Bundle, type Clip, clipEnd, type Marker, type Piece, type Section, type SourceInfo, type Track, type VersionData } from "./schema";

/**
 * A version as immutable data. Invariants (see `problems`): every clip lies on a track of the order and in exactly that track's lane;
 * windows lie inside their recordings; fades meet but don't cross; a blend's two fades span its overlap exactly.
 */
export interface Document {
  readonly sampleRate: number;
  /** Recordings of the project: not part of the version's history. */
  readonly sources: ReadonlyMap<string, SourceInfo>;
  readonly piece: Piece;
  readonly tracks: ReadonlyMap<string, Track>;
  readonly lanes: ReadonlyMap<string, Lane>;
  readonly clips: IdIndex<Clip>;
  readonly markers: IdIndex<Marker>;
  readonly sections: IdIndex<Section>;
  readonly bundles: ReadonlyMap<string, Bundle>;
}

/** The things of which a document is made; a change names one. */
export interface Entities {
  piece: Piece;
  track: Track;
  clip: Clip;
  marker: Marker;
  section: Section;
  bundle: Bundle;
}
export type EntityKind = keyof Entities;

/** One thing before and after: null before it came to be or after it is gone. */
export type Change = {
  [K in EntityKind]: { readonly kind: K; readonly id: string; readonly before: Entities[K] | null; readonly after: Entities[K] | null };
}[EntityKind];

export const PIECE_ID = "piece";

export const NEW_PIECE: Piece = {
  trackOrder: [],
  tempo: [{ tick: 0, bpm: 120 }],
  meter: [{ tick: 0, numerator: 4, denominator: 4 }],
  firstBar: 1,
  frameRate: "25",
  loop: null,
};

const byId = <T extends { id: string }>(list: readonly T[]): Map<string, T> => new Map(list.map((x) => [x.id, x]));

export function documentFrom(
  data: Omit<VersionData, "bundles"> & { readonly bundles?: readonly Bundle[] },
  sources: ReadonlyMap<string, SourceInfo>,
): Document {
  const perTrack = new Map<string, Clip[]>(data.tracks.map((t) => [t.id, []]));
  for (const clip of data.clips) perTrack.get(clip.trackId)?.push(clip);
  return {
    sampleRate: data.sampleRate,
    sources,
    piece: data.piece,
    tracks: byId(data.tracks),
    lanes: new Map([...perTrack].map(([id, clips]) => [id, Lane.from(clips)])),
    clips: IdIndex.from(data.clips),
    markers: IdIndex.from(data.markers),
    sections: IdIndex.from(data.sections),
    bundles: byId(data.bundles ?? []),
  };
}

const byName = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** The flat form of a document: tracks in order, clips by track and time, bundles by their start. */
export function dataOf(doc: Document): VersionData {
  const tracks = doc.piece.trackOrder.map((id) => doc.tracks.get(id) as Track);
  return {
    sampleRate: doc.sampleRate,
    piece: doc.piece,
    tracks,
    clips: tracks.flatMap((t) => [...(doc.lanes.get(t.id)?.clips ?? [])]),
    markers: [...doc.markers.values()].sort((a, b) => a.position - b.position || byName(a.id, b.id)),
    sections: [...doc.sections.values()].sort((a, b) => a.start - b.start || byName(a.id, b.id)),
    bundles: [...doc.bundles.values()].sort((a, b) => a.start - b.start || byName(a.id, b.id)),
  };
}

/** A thing that is to be set; null takes it away. `held`: what the document holds in its place, for those who know. */
type Setting<K extends EntityKind> = { readonly id: string; readonly after: Entities[K] | null; readonly held?: Entities[K] | null };

function withSet<K extends EntityKind>(map: ReadonlyMap<string, Entities[K]>, settings: readonly Setting<K>[]): ReadonlyMap<string, Entities[K]> {
  if (settings.length === 0) return map;
  const next = new Map(map);
  for (const { id, after } of settings) {
    if (after === null) next.delete(id);
    else next.set(id, after);
  }
  return next;
}

/** Clips by their track; those of one track mostly come one after the other. */
class ByTrack {
  readonly lists = new Map<string, Clip[]>();
  private track: string | null = null;
  private list: Clip[] = [];

  add(clip: Clip): void {
    if (clip.trackId !== this.track) {
      this.track = clip.trackId;
      this.list = this.lists.get(clip.trackId) ?? [];
      if (this.list.length === 0) this.lists.set(clip.trackId, this.list);
    }
    this.list.push(clip);
  }
}

/** The lanes after clips were set, and tracks that came or went. */
function lanesWith(doc: Document, clips: readonly Setting<"clip">[], tracks: readonly Setting<"track">[]): ReadonlyMap<string, Lane> {
  if (clips.length === 0 && tracks.length === 0) return doc.lanes;
  const [removed, added] = [new ByTrack(), new ByTrack()];
  for (const { id, after, held } of clips) {
    const before = held === undefined ? doc.clips.get(id) : held;
    if (before) removed.add(before);
    if (after) added.add(after);
  }
  const lanes = new Map(doc.lanes);
  for (const { id, after } of tracks) {
    if (after === null) lanes.delete(id);
    else if (!lanes.has(id)) lanes.set(id, Lane.empty);
  }
  for (const id of new Set([...removed.lists.keys(), ...added.lists.keys()])) {
    const lane = lanes.get(id);
    if (lane) lanes.set(id, lane.with(removed.lists.get(id) ?? [], added.lists.get(id) ?? []));
  }
  return lanes;
}

/**
 * The document after some changes: what an edit, an undo and a step from another tab all come down to. `held`, where it is given, is what the
 * document holds by now; `before` is what it held once.
 */
export function applyChanges(doc: Document, changes: readonly (Change & { readonly held?: Entities[EntityKind] | null })[]): Document {
  if (changes.length === 0) return doc;
  const picked: { [K in EntityKind]: Setting<K>[] } = { piece: [], track: [], clip: [], marker: [], section: [], bundle: [] };
  for (const change of changes) (picked[change.kind] as unknown[]).push(change);
  return {
    ...doc,
    piece: picked.piece.at(-1)?.after ?? doc.piece,
    tracks: withSet(doc.tracks, picked.track),
    lanes: lanesWith(doc, picked.clip, picked.track),
    clips: doc.clips.with(picked.clip),
    markers: doc.markers.with(picked.marker),
    sections: doc.sections.with(picked.section),
    bundles: withSet(doc.bundles, picked.bundle),
  };
}

/** A thing of a document by kind and id; null when there is none. */
export function entityOf(doc: Document, kind: EntityKind, id: string): Entities[EntityKind] | null {
  switch (kind) {
    case "piece":
      return doc.piece;
    case "track":
      return doc.tracks.get(id) ?? null;
    case "clip":
      return doc.clips.get(id) ?? null;
    case "marker":
      return doc.markers.get(id) ?? null;
    case "section":
      return doc.sections.get(id) ?? null;
    case "bundle":
      return doc.bundles.get(id) ?? null;
  }
}

/** What puts a document back from where `changes` led. */
export const invertChanges = (changes: readonly Change[]): Change[] =>
  [...changes].reverse().map((c) => ({ ...c, before: c.after, after: c.before }) as Change);

const timebases = new WeakMap<Piece, Timebase>();

/** The tempo and meter maps and the frame rate of a document, kept while its piece does not change. */
export function timebaseOf(doc: Document): Timebase {
  let base = timebases.get(doc.piece);
  if (!base || base.sampleRate !== doc.sampleRate) {
    base = {
      sampleRate: doc.sampleRate,
      tempo: new TempoMap(doc.piece.tempo, doc.sampleRate),
      meter: new MeterMap(doc.piece.meter, doc.piece.firstBar),
      frameRate: frameRate(doc.piece.frameRate),
    };
    timebases.set(doc.piece, base);
  }
  return base;
}

/** The end of the last clip, in samples. */
export function documentEnd(doc: Document): number {
  let end = 0;
  for (const lane of doc.lanes.values()) end = Math.max(end, lane.end);
  return end;
}

/** The clip that takes over from `left` in a blend, if there is one. */
export function blendAfter(doc: Document, left: Clip): Clip | undefined {
  const lane = doc.lanes.get(left.trackId);
  return lane?.hasBlends ? lane.within(left.start, clipEnd(left)).find((c) => c.blend?.with === left.id) : undefined;
}
