import type { Document } from "@wet-thread/core/model/document";
import { quietEdges } from "@wet-thread/core/seam/measure";
import { classify, type QuietEdge, type Seam, type SeamClass, seamsOf } from "@wet-thread/core/seam/seams";
import { pageReader } from "@/state/media";

/** Answers about quiet edges hold for good: they depend on the recording alone. */
const memory = new Map<string, boolean>();
const askers = new WeakMap<Document["sources"], QuietEdge>();

function quietIn(doc: Document): QuietEdge {
  let quiet = askers.get(doc.sources);
  if (!quiet) {
    quiet = quietEdges(doc, pageReader, memory);
    askers.set(doc.sources, quiet);
  }
  return quiet;
}

/** The class of a seam as far as the page knows; samples that are missing are fetched, and a drawing follows when they come. */
export const seamClass = (doc: Document, seam: Seam): SeamClass => classify(seam, doc.sampleRate, quietIn(doc));

export const laneSeams = (doc: Document, trackId: string): readonly Seam[] => {
  const lane = doc.lanes.get(trackId);
  return lane ? seamsOf(lane, trackId) : [];
};

export function findSeam(doc: Document, id: string | null): Seam | undefined {
  if (id === null) return undefined;
  for (const trackId of doc.piece.trackOrder) {
    const found = laneSeams(doc, trackId).find((s) => s.id === id);
    if (found) return found;
  }
  return undefined;
}

/** How many seams of each class there are. */
export function countSeams(doc: Document): Record<SeamClass, number> {
  const counts: Record<SeamClass, number> = { raw: 0, smooth: 0, blended: 0, unbroken: 0 };
  for (const trackId of doc.piece.trackOrder) for (const seam of laneSeams(doc, trackId)) counts[seamClass(doc, seam)]++;
  return counts;
}
