import { type EntityKind, NEW_PIECE, PIECE_ID } from "@wet-thread/core/model/document";
import { readEntity } from "@wet-thread/core/model/readable";
import type { Bundle, Clip, Marker, Piece, Section, Track, VersionData } from "@wet-thread/core/model/schema";
import { MeterMap } from "@wet-thread/core/time/meter";
import { TempoMap } from "@wet-thread/core/time/tempo";

/** What of a version could not be read, and why. */
export interface Unread {
  readonly kind: EntityKind;
  readonly id: string;
  readonly why: string;
  /** As it is kept, so that the step that broke it can be taken back. */
  readonly data: unknown;
}

/** What is wrong with a piece's maps, in words; null when nothing is. */
function mapsWrong(piece: Piece, sampleRate: number): string | null {
  try {
    new TempoMap(piece.tempo, sampleRate);
    new MeterMap(piece.meter, piece.firstBar);
    return null;
  } catch (error) {
    return (error as Error).message;
  }
}

/**
 * A version from its rows. What can't be read is left out, with what hangs on it, and told: a version must open whatever became of a part of
 * it.
 */
export function readVersion(
  sampleRate: number,
  rows: readonly { readonly kind: string; readonly id: string; readonly data: unknown }[],
): { data: VersionData; unread: Unread[] } {
  const unread: Unread[] = [];
  const of = <T>(kind: EntityKind): T[] =>
    rows.flatMap((row) => {
      if (row.kind !== kind) return [];
      const read = readEntity(kind, row.data);
      if ("entity" in read) return [read.entity as T];
      unread.push({ kind, id: row.id, why: read.wrong, data: row.data });
      return [];
    });
  const drop = (kind: EntityKind, thing: { readonly id: string }, why: string): false => {
    unread.push({ kind, id: thing.id, why, data: thing });
    return false;
  };
  const tracks = of<Track>("track");
  const known = new Set(tracks.map((t) => t.id));
  const [kept] = of<Piece>("piece");
  let piece: Piece = kept ?? NEW_PIECE;
  const wrong = mapsWrong(piece, sampleRate);
  if (wrong) {
    unread.push({ kind: "piece", id: PIECE_ID, why: `${wrong} 120 in 4/4 is taken in its place.`, data: piece });
    piece = { ...piece, tempo: NEW_PIECE.tempo, meter: NEW_PIECE.meter };
  }
  const named = new Set(piece.trackOrder.filter((id) => known.has(id)));
  piece = named.size === piece.trackOrder.length ? piece : { ...piece, trackOrder: [...named] };
  if (named.size < known.size) piece = { ...piece, trackOrder: [...named, ...tracks.map((t) => t.id).filter((id) => !named.has(id))] };
  const bundles = of<Bundle>("bundle");
  const bundled = new Set(bundles.map((b) => b.id));
  const all = of<Clip>("clip").filter((c) => known.has(c.trackId) || drop("clip", c, "It lies on a track that can't be read."));
  const there = new Set(all.map((c) => c.id));
  const clips = all.map((c) => ({
    ...c,
    blend: c.blend && there.has(c.blend.with) ? c.blend : null,
    bundle: c.bundle !== null && bundled.has(c.bundle) ? c.bundle : null,
  }));
  return { data: { sampleRate, piece, tracks, clips, markers: of<Marker>("marker"), sections: of<Section>("section"), bundles }, unread };
}
