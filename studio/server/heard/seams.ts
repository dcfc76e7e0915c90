import { measureKey, measureSeam, quietEdges, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import { allSeams } from "@wet-thread/core/seam/seams";
import { LRUCache } from "lru-cache";
import { ApiError } from "../http/errors";
import { loadVersion } from "../pieces/versions";
import { ofProcess } from "../process/of-process";
import { madeFirst } from "../recorded/made";
import { StoredReader } from "../recorded/samples";

/** Seams measured between two looks at the database, and before others have their turn. */
const BATCH = 32;

/** What has been measured, by all that decides it: an edit leaves the figures of every other seam as they are. */
const kept = ofProcess("seams", () => new LRUCache<string, SeamMeasure>({ max: 200_000 }));
const quietMemory = ofProcess("quiet seams", () => new Map<string, boolean>());
const MOST_QUIET = 400_000;

/** Every edit point of a version with its class, click and dip, track by track. Throws ApiError when it is called off. */
export async function seamReport(versionId: string, calledOff: () => boolean = () => false) {
  const { doc, revision } = await loadVersion(versionId);
  const reader = new StoredReader(madeFirst);
  if (quietMemory.size > MOST_QUIET) quietMemory.clear();
  const quiet = quietEdges(doc, reader, quietMemory);
  const seams = allSeams(doc);
  const keys = seams.map((s) => measureKey(doc, s));
  const measures = keys.map((key) => kept.get(key));
  const unknown = seams.map((_, i) => i).filter((i) => measures[i] === undefined);
  for (let at = 0; at < unknown.length; at += BATCH) {
    if (calledOff()) throw new ApiError(499, "called-off", "Nobody waits for the answer any more.");
    const batch = unknown.slice(at, at + BATCH);
    await reader.prepare(batch.flatMap((i) => seamSpans(doc, seams[i])));
    for (const i of batch) {
      const measure = measureSeam(doc, seams[i], reader, quiet);
      measures[i] = measure;
      kept.set(keys[i], measure);
    }
  }
  return {
    revision,
    seams: seams.map((seam, i) => ({
      id: seam.id,
      trackId: seam.trackId,
      position: seam.position,
      left: seam.left?.id ?? null,
      right: seam.right?.id ?? null,
      ...(measures[i] as SeamMeasure),
    })),
  };
}
