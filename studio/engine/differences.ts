import type { Change, Document } from "@wet-thread/core/model/document";

/** What differs between two documents that share most of their parts; null when their recordings differ too. */
export function differences(a: Document, b: Document): Change[] | null {
  if (a.sources !== b.sources) return null;
  const out: Change[] = [];
  if (a.piece !== b.piece) out.push({ kind: "piece", id: "piece", before: a.piece, after: b.piece });
  for (const id of new Set([...a.tracks.keys(), ...b.tracks.keys()])) {
    const [before, after] = [a.tracks.get(id) ?? null, b.tracks.get(id) ?? null];
    if (before !== after) out.push({ kind: "track", id, before, after });
  }
  for (const id of new Set([...a.lanes.keys(), ...b.lanes.keys()])) {
    const [before, after] = [a.lanes.get(id), b.lanes.get(id)];
    if (before === after) continue;
    for (const clip of before?.clips ?? [])
      if (b.clips.get(clip.id) === undefined) out.push({ kind: "clip", id: clip.id, before: clip, after: null });
    for (const clip of after?.clips ?? [])
      if (a.clips.get(clip.id) !== clip) out.push({ kind: "clip", id: clip.id, before: a.clips.get(clip.id) ?? null, after: clip });
  }
  return out;
}
