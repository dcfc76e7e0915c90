import { z } from "zod";
import { applyChanges, type Change, type Document } from "../../model/document";
import { playedSource } from "../../model/played";
import { type Clip, clipEnd, Id, Name, NO_FADE, Position } from "../../model/schema";
import { partFromNeighbours } from "../cut";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { Transaction } from "../transaction";

/** What is printed of one track: a recording from the first clip's start to the last one's end. */
export interface PrintPart {
  readonly trackId: string;
  readonly clipIds: readonly string[];
  readonly start: number;
  readonly length: number;
  /** Mono where all its clips are mono and none is panned. */
  readonly channels: 1 | 2;
  readonly name: string;
}

/** The piece with nothing but some clips, tracks as they are; blends with clips that are left out are put back to their splice. Throws EditError when a clip is not there. */
export function onlyClips(doc: Document, clipIds: readonly string[]): Document {
  const tx = new Transaction(doc, "only");
  const keep = new Set(clipIds);
  for (const id of keep) tx.clip(id);
  partFromNeighbours(tx, [...keep]);
  const gone = [...tx.doc.lanes.values()].flatMap((lane) => lane.clips.filter((c) => !keep.has(c.id)));
  return applyChanges(
    tx.doc,
    gone.map((c): Change => ({ kind: "clip", id: c.id, before: c, after: null })),
  );
}

/**
 * The piece with nothing but one clip, pulled out by `handles` samples at both ends as far as its recording goes and the piece begins, and
 * without fades, which whoever takes it on lays anew. Throws EditError when it is not there.
 */
export function withHandles(doc: Document, clipId: string, handles: number): { doc: Document; start: number; end: number } {
  const alone = onlyClips(doc, [clipId]);
  const clip = alone.clips.get(clipId) as Clip;
  if (handles === 0) return { doc: alone, start: clip.start, end: clipEnd(clip) };
  const whole = playedSource(doc.sources, clip)?.length ?? clip.offset + clip.length;
  const before = Math.min(handles, clip.offset, clip.start);
  const after = Math.min(handles, whole - clip.offset - clip.length);
  const pulled = {
    ...clip,
    start: clip.start - before,
    offset: clip.offset - before,
    length: before + clip.length + after,
    fadeIn: NO_FADE,
    fadeOut: NO_FADE,
  };
  const laid = applyChanges(alone, [{ kind: "clip", id: clipId, before: clip, after: pulled }]);
  return { doc: laid, start: pulled.start, end: clipEnd(pulled) };
}

/**
 * What printing clips renders: a document in which only they sound, with their fades and gain but without their tracks' gain, pan, mute
 * and solo, and the span of each track. Throws EditError when a clip is not there.
 */
export function printPlan(doc: Document, clipIds: readonly string[]): { doc: Document; parts: PrintPart[] } {
  const tx = new Transaction(doc, "print");
  const ids = [...new Set(clipIds)];
  for (const id of ids) tx.clip(id);
  partFromNeighbours(tx, ids);
  const clips = ids.map((id) => tx.clip(id));
  const byTrack = new Map<string, Clip[]>();
  for (const clip of clips) byTrack.set(clip.trackId, [...(byTrack.get(clip.trackId) ?? []), clip]);
  const parts = [...byTrack].map(([trackId, own]): PrintPart => {
    const sorted = own.sort((a, b) => a.start - b.start);
    const start = sorted[0].start;
    const mono = own.every((c) => c.pan === 0 && (c.channels?.length ?? doc.sources.get(c.sourceId)?.channels) === 1);
    return {
      trackId,
      clipIds: own.map((c) => c.id),
      start,
      length: Math.max(...own.map(clipEnd)) - start,
      channels: mono ? 1 : 2,
      name: sorted[0].name,
    };
  });
  const keep = new Set(ids);
  const changes: Change[] = [];
  for (const trackId of byTrack.keys()) {
    const track = tx.track(trackId);
    changes.push({ kind: "track", id: trackId, before: track, after: { ...track, gain: 0, pan: 0, mute: false, solo: false } });
    for (const clip of tx.lane(trackId).clips) if (!keep.has(clip.id)) changes.push({ kind: "clip", id: clip.id, before: clip, after: null });
  }
  for (const track of doc.tracks.values())
    if (track.solo && !byTrack.has(track.id)) changes.push({ kind: "track", id: track.id, before: track, after: { ...track, solo: false } });
  return { doc: applyChanges(tx.doc, changes), parts };
}

export const replaceWithPrint = defineEdit({
  type: "replace-with-print",
  about: "Puts a recording that clips of one track were printed to in their place; undo brings the clips back. The job of a print does this.",
  params: z.object({ clipIds: ClipIds, sourceId: Id, start: Position, name: Name.optional() }),
  example: { type: "replace-with-print", clipIds: ["clip-1"], sourceId: "source-1", start: 0, name: "Shuttle, printed" },
  apply(tx, { clipIds, sourceId, start, name }) {
    const source = tx.before.sources.get(sourceId);
    if (!source) throw new EditError(`The project has no recording "${sourceId}".`, "sourceId");
    const ids = [...new Set(clipIds)];
    partFromNeighbours(tx, ids);
    const clips = ids.map((id) => tx.clip(id));
    if (clips.some((c) => c.trackId !== clips[0].trackId)) throw new EditError("A print takes the place of clips of one track.", "clipIds");
    for (const id of ids) tx.set("clip", id, null);
    const { bars: _, channels: __, ...like } = clips[0];
    tx.setClip({
      ...like,
      id: tx.newId(),
      sourceId,
      start,
      length: source.length,
      offset: 0,
      name: name ?? source.name,
      gain: 0,
      pan: 0,
      mute: false,
      layer: Math.max(...clips.map((c) => c.layer)),
      fadeIn: NO_FADE,
      fadeOut: NO_FADE,
      blend: null,
      sync: null,
    });
    return `Print ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
