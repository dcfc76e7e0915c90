import { applyChanges, type Change, type Document } from "../model/document";
import type { Lane } from "../model/index/lane";
import { playedSource } from "../model/recipe/played-recording";
import { type Clip, clipEnd, NO_FADE } from "../model/schema";
import { partFromNeighbours } from "./cutting/cut";
import { EditError } from "./errors";
import { Transaction } from "./transaction";

/** What is printed of one run of neighbours on a track: a recording from the first one's start to the last one's end. */
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
 * What printing clips renders: a document in which only they sound, with all that is theirs but nothing of their tracks' gain, ride, pan, mute and
 * solo, and each run of neighbours with its span. Muted clips have no sound to print and stay. Throws EditError when a clip is not there, or none sounds.
 */
export function printPlan(doc: Document, clipIds: readonly string[]): { doc: Document; parts: PrintPart[] } {
  const tx = new Transaction(doc, "print");
  const ids = [...new Set(clipIds)].filter((id) => !tx.clip(id).mute);
  if (ids.length === 0) throw new EditError("Muted clips have no sound to print: unmute them first.", "clipIds");
  partFromNeighbours(tx, ids);
  const byTrack = new Map<string, Clip[]>();
  for (const clip of ids.map((id) => tx.clip(id))) byTrack.set(clip.trackId, [...(byTrack.get(clip.trackId) ?? []), clip]);
  const parts = [...byTrack].flatMap(([trackId, clips]) =>
    runsOf(tx.lane(trackId), clips).map((own): PrintPart => {
      const { start, name } = own[0];
      const length = Math.max(...own.map(clipEnd)) - start;
      return { trackId, clipIds: own.map((c) => c.id), start, length, channels: own.every((c) => isMono(doc, c)) ? 1 : 2, name };
    }),
  );
  const keep = new Set(ids);
  const changes: Change[] = [];
  for (const trackId of byTrack.keys()) {
    const track = tx.track(trackId);
    const { ride: _, ...plain } = track;
    changes.push({ kind: "track", id: trackId, before: track, after: { ...plain, gain: 0, pan: 0, mute: false, solo: false } });
    for (const clip of tx.lane(trackId).clips) if (!keep.has(clip.id)) changes.push({ kind: "clip", id: clip.id, before: clip, after: null });
  }
  for (const track of doc.tracks.values())
    if (track.solo && !byTrack.has(track.id)) changes.push({ kind: "track", id: track.id, before: track, after: { ...track, solo: false } });
  return { doc: applyChanges(tx.doc, changes), parts };
}

/** Some clips of a track in runs of neighbours: no other clip lies between those of one, or on a layer between theirs, so that laying it as one covers nothing. */
function runsOf(lane: Lane, clips: readonly Clip[]): Clip[][] {
  const named = new Set(clips.map((c) => c.id));
  const runs: { clips: Clip[]; start: number; end: number }[] = [];
  for (const clip of [...clips].sort((a, b) => a.start - b.start || a.layer - b.layer)) {
    const last = runs.at(-1);
    const layers = [...(last?.clips ?? []), clip].map((c) => c.layer);
    const [low, high] = [Math.min(...layers), Math.max(...layers)];
    const parts = (c: Clip): boolean =>
      !named.has(c.id) && last !== undefined && ((c.start < clip.start && clipEnd(c) > last.end) || (c.layer > low && c.layer < high));
    if (last && !lane.within(last.start, Math.max(last.end, clipEnd(clip))).some(parts)) {
      last.clips.push(clip);
      last.end = Math.max(last.end, clipEnd(clip));
    } else runs.push({ clips: [clip], start: clip.start, end: clipEnd(clip) });
  }
  return runs.map((r) => r.clips);
}

/** Whether a clip sounds alike on both sides, from one channel. */
const isMono = (doc: Document, clip: Clip): boolean =>
  clip.pan === 0 && !clip.envelopes?.pan && (clip.channels?.length ?? doc.sources.get(clip.sourceId)?.channels) === 1;
