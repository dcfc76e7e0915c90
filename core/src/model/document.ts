import type { Timebase } from "../time/grid";
import { MeterMap } from "../time/meter";
import { TempoMap } from "../time/tempo";
import { frameRate } from "../time/timecode";
import { IdIndex } from "./id-index";
import { Lane } from "./lane";
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

/** The flat form of a document: tracks in order, clips by track and time, bundles by their start. */
export function dataOf(doc: Document): VersionData {
  const tracks = doc.piece.trackOrder.map((id) => doc.tracks.get(id) as Track);
  return {
    sampleRate: doc.sampleRate,
    piece: doc.piece,
    tracks,
    clips: tracks.flatMap((t) => [...(doc.lanes.get(t.id)?.clips ?? [])]),
    markers: [...doc.markers.values()].sort((a, b) => a.position - b.position),
    sections: [...doc.sections.values()].sort((a, b) => a.start - b.start),
    bundles: [...doc.bundles.values()].sort((a, b) => a.start - b.start || (a.id < b.id ? -1 : 1)),
  };
}

function withEntries<T>(map: ReadonlyMap<string, T>, entries: readonly (readonly [string, T | null])[]): ReadonlyMap<string, T> {
  if (entries.length === 0) return map;
  const next = new Map(map);
  for (const [id, value] of entries) {
    if (value === null) next.delete(id);
    else next.set(id, value);
  }
  return next;
}

const withIndexed = <T extends { readonly id: string }>(index: IdIndex<T>, entries: readonly (readonly [string, T | null])[]): IdIndex<T> =>
  entries.length === 0 ? index : index.with(entries);

/** The document after some changes: what an edit, an undo and a step from another tab all come down to. */
export function applyChanges(doc: Document, changes: readonly Change[]): Document {
  if (changes.length === 0) return doc;
  const picked: { [K in EntityKind]: [string, Entities[K] | null][] } = { piece: [], track: [], clip: [], marker: [], section: [], bundle: [] };
  for (const change of changes) (picked[change.kind] as [string, unknown][]).push([change.id, change.after]);
  const { clip: clips, track: tracks } = picked;
  const removed = new Map<string, Clip[]>();
  const added = new Map<string, Clip[]>();
  const gather = (to: Map<string, Clip[]>, clip: Clip): void => {
    const list = to.get(clip.trackId);
    if (list) list.push(clip);
    else to.set(clip.trackId, [clip]);
  };
  for (const [id, after] of clips) {
    const before = doc.clips.get(id);
    if (before) gather(removed, before);
    if (after) gather(added, after);
  }
  let lanes = doc.lanes;
  if (clips.length || tracks.length) {
    const next = new Map(doc.lanes);
    for (const [id, track] of tracks) {
      if (track === null) next.delete(id);
      else if (!next.has(id)) next.set(id, Lane.empty);
    }
    for (const id of new Set([...removed.keys(), ...added.keys()])) {
      const lane = next.get(id);
      if (lane) next.set(id, lane.with(removed.get(id) ?? [], added.get(id) ?? []));
    }
    lanes = next;
  }
  return {
    ...doc,
    piece: picked.piece.at(-1)?.[1] ?? doc.piece,
    tracks: withEntries(doc.tracks, tracks),
    lanes,
    clips: withIndexed(doc.clips, clips),
    markers: withIndexed(doc.markers, picked.marker),
    sections: withIndexed(doc.sections, picked.section),
    bundles: withEntries(doc.bundles, picked.bundle),
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
  return doc.lanes
    .get(left.trackId)
    ?.within(left.start, clipEnd(left))
    .find((c) => c.blend?.with === left.id);
}
