import { measureSeam, quietEdges, seamSpans } from "@wet-thread/core/seam/measure";
import { allSeams } from "@wet-thread/core/seam/seams";
import { StoredReader } from "./samples";
import { loadVersion } from "./versions";

/** Seams measured between two looks at the database. */
const BATCH = 32;

/** Every edit point of a version with its class, click and dip, track by track. */
export async function seamReport(versionId: string) {
  const { doc, revision } = await loadVersion(versionId);
  const reader = new StoredReader();
  const quiet = quietEdges(doc, reader);
  const seams = allSeams(doc);
  const out = [];
  for (let i = 0; i < seams.length; i += BATCH) {
    const batch = seams.slice(i, i + BATCH);
    await reader.prepare(batch.flatMap((s) => seamSpans(doc, s)));
    for (const seam of batch) {
      const measure = measureSeam(doc, seam, reader, quiet);
      out.push({
        id: seam.id,
        trackId: seam.trackId,
        position: seam.position,
        left: seam.left?.id ?? null,
        right: seam.right?.id ?? null,
        ...measure,
      });
    }
  }
  return { revision, seams: out };
}
