import { onlyClips, withHandles } from "@wet-thread/core/edit/print-plan";
import type { Document } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import type { ExportSpec } from "./export-request";

/** One file of an export: what is rendered, from where to where, and what it is called after. */
export interface ExportPart {
  /** What is rendered, made when its turn comes: of twenty thousand clips each has a piece of its own. */
  open(): { readonly doc: Document; readonly start: number; readonly end: number };
  /** Samples, as near as it is known before. */
  readonly length: number;
  readonly tracks?: ReadonlySet<string>;
  readonly track: string;
  readonly name: string;
}

/** The files that an export comes to, in the order of the piece. */
export function exportParts(doc: Document, spec: ExportSpec): ExportPart[] {
  const { start, end } = spec.span;
  const chosen = (from: number, to: number) => ({
    open: () => ({ doc: spec.clips ? onlyClips(doc, spec.clips) : doc, start: from, end: to }),
    length: to - from,
  });
  const tracks = spec.tracks ? new Set(spec.tracks) : undefined;
  const named = (id: string): string => doc.tracks.get(id)?.name || "Track";
  const order = doc.piece.trackOrder.filter((id) => !tracks || tracks.has(id));
  if (spec.split === "sections")
    return [...doc.sections.values()]
      .filter((s) => (spec.sections ? spec.sections.includes(s.id) : s.start < end && s.end > start) && s.end > s.start)
      .sort((a, b) => a.start - b.start)
      .map((s) => ({ ...chosen(s.start, s.end), tracks, track: "", name: s.name || "Section" }));
  if (spec.split === "tracks") {
    const ids = spec.clips ? new Set(spec.clips) : null;
    return order
      .filter((id) => doc.lanes.get(id)?.clips.some((c) => c.start < end && clipEnd(c) > start && (!ids || ids.has(c.id))))
      .map((id) => ({ ...chosen(start, end), tracks: new Set([id]), track: named(id), name: named(id) }));
  }
  if (spec.split === "clips") {
    const ids = spec.clips ? new Set(spec.clips) : null;
    const clips = order.flatMap((id) => (doc.lanes.get(id)?.clips ?? []).filter((c) => (ids ? ids.has(c.id) : c.start < end && clipEnd(c) > start)));
    return clips.map((c) => ({
      open: () => withHandles(doc, c.id, spec.handles),
      length: c.length + 2 * spec.handles,
      track: named(c.trackId),
      name: c.name || "Clip",
    }));
  }
  return [{ ...chosen(start, end), tracks, track: tracks?.size === 1 ? named([...tracks][0]) : "", name: "" }];
}
