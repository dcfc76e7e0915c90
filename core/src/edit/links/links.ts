import type { Document } from "../../model/document";
import { type Clip, clipEnd } from "../../model/schema";

/** The tracks that share a track's link, without itself. */
export function linkedTracks(doc: Document, trackId: string): string[] {
  const link = doc.tracks.get(trackId)?.link;
  return link ? doc.piece.trackOrder.filter((id) => id !== trackId && doc.tracks.get(id)?.link === link) : [];
}

/** The clip of each linked track that belongs to this one: the one that shares the most time with it, at least half of the shorter. */
export function partners(doc: Document, clip: Clip): Clip[] {
  const found: Clip[] = [];
  for (const trackId of linkedTracks(doc, clip.trackId)) {
    let most = 0;
    let best: Clip | undefined;
    for (const other of doc.lanes.get(trackId)?.within(clip.start, clipEnd(clip)) ?? []) {
      const shared = Math.min(clipEnd(clip), clipEnd(other)) - Math.max(clip.start, other.start);
      if (shared * 2 >= Math.min(clip.length, other.length) && shared > most) {
        most = shared;
        best = other;
      }
    }
    if (best) found.push(best);
  }
  return found;
}

/** For each clip that links bring in, the named clip that it goes along with. Clips named themselves are not in it. */
export function leadsOf(doc: Document, clipIds: readonly string[]): Map<string, string> {
  const named = new Set(clipIds);
  const leads = new Map<string, string>();
  for (const id of clipIds) {
    const clip = doc.clips.get(id);
    if (!clip || !doc.tracks.get(clip.trackId)?.link) continue;
    for (const partner of partners(doc, clip)) if (!named.has(partner.id) && !leads.has(partner.id)) leads.set(partner.id, id);
  }
  return leads;
}

/** Track ids with those of the tracks linked to them. */
export const withLinkedTracks = (doc: Document, trackIds: readonly string[]): string[] => [
  ...new Set(trackIds.flatMap((id) => [id, ...linkedTracks(doc, id)])),
];

/** A seam as edits name it. */
export interface SeamName {
  readonly left: string | null;
  readonly right: string | null;
  readonly position: number;
}

/** Seams with those of linked tracks that lie at the same place between the clips that go along with theirs. */
export function withLinkedSeams(doc: Document, seams: readonly SeamName[]): SeamName[] {
  const keyOf = (s: SeamName): string => `${s.left} ${s.right} ${s.position}`;
  const all = new Map(seams.map((s) => [keyOf(s), s]));
  for (const { left, right, position } of seams) {
    const [out, into] = [left, right].map((id) => (id === null ? undefined : doc.clips.get(id)));
    const lead = out ?? into;
    if (!lead) continue;
    for (const trackId of linkedTracks(doc, lead.trackId)) {
      const near = doc.lanes.get(trackId)?.within(position - 1, position + 1) ?? [];
      const ends = out && partners(doc, out).find((p) => p.trackId === trackId && clipEnd(p) === position);
      const starts = into && partners(doc, into).find((p) => p.trackId === trackId && p.start === position);
      const seam = { left: ends?.id ?? null, right: starts?.id ?? null, position };
      if (near.length > 0 && (ends || starts) && !all.has(keyOf(seam))) all.set(keyOf(seam), seam);
    }
  }
  return [...all.values()];
}
