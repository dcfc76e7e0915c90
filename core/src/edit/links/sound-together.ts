import { type Interval, unionOf } from "../../analysis/silence";
import type { Document } from "../../model/document";

/**
 * Sound on one of several linked tracks is sound on all of them, so that they are cut at the same places: for each clip the stretches that
 * any clip on its link holds.
 */
export function soundTogether(doc: Document, keep: ReadonlyMap<string, readonly Interval[]>): Map<string, readonly Interval[]> {
  const linkOf = (id: string): string | null => doc.tracks.get(doc.clips.get(id)?.trackId ?? "")?.link ?? null;
  const groups = new Map<string, string[]>();
  for (const id of keep.keys()) {
    const link = linkOf(id);
    if (link === null) continue;
    const group = groups.get(link);
    if (group) group.push(id);
    else groups.set(link, [id]);
  }
  const together = new Map(keep);
  for (const group of groups.values()) {
    if (group.length < 2) continue;
    const all = unionOf(group.map((id) => keep.get(id) ?? []));
    for (const id of group) together.set(id, all);
  }
  return together;
}
