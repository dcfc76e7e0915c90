/// <reference lib="webworker" />
import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdit } from "@wet-thread/core/edit/registry";
import { applyChanges, type Document, documentFrom } from "@wet-thread/core/model/document";
import { measureSeam, quietEdges, SEAM_REACH_SECONDS, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import { type Seam, seamsOf } from "@wet-thread/core/seam/seams";
import { ChunkReader } from "../engine/chunk-reader";
import type { AskedSeam, FromMeasurer, ToMeasurer } from "./messages";

const port = self as unknown as { postMessage(message: FromMeasurer): void; onmessage: ((e: MessageEvent<ToMeasurer>) => void) | null };

const reader = new ChunkReader();
let doc: Document | null = null;
/** Asked for and not measured yet; what was asked for last comes first, since that is what is looked at. */
let wanted = new Map<string, AskedSeam>();
let busy = false;
/** Seams measured in one go. */
const BATCH = 24;

/** Measures by what is heard around a seam: they hold until an edit touches that. */
const kept = new Map<string, SeamMeasure>();
const MOST_KEPT = 40_000;
const quietMemory = new Map<string, boolean>();

function keyOf(d: Document, seam: Seam): string {
  const reach = Math.ceil(SEAM_REACH_SECONDS * d.sampleRate) + (seam.right?.blend ? seam.right.fadeIn.length : 0);
  const around = d.lanes.get(seam.trackId)?.within(seam.position - reach, seam.position + reach) ?? [];
  return `${seam.id} ${JSON.stringify(around.map((c) => [c.sourceId, c.start - seam.position, c.offset, c.length, c.gain, c.pan, c.mute, c.layer, c.fadeIn, c.fadeOut, c.channels, c.blend && { ...c.blend, splice: 0 }]))}`;
}

async function measured(d: Document, seam: Seam): Promise<SeamMeasure> {
  const key = keyOf(d, seam);
  let found = kept.get(key);
  if (!found) {
    await reader.prepare(seamSpans(d, seam));
    found = measureSeam(d, seam, reader, quietEdges(d, reader, quietMemory));
    kept.set(key, found);
    for (const old of kept.keys()) {
      if (kept.size <= MOST_KEPT) break;
      kept.delete(old);
    }
  }
  return found;
}

const lookups = new WeakMap<object, ReadonlyMap<string, Seam>>();
function findSeam(d: Document, { id, trackId }: AskedSeam): Seam | undefined {
  const lane = d.lanes.get(trackId);
  if (!lane) return undefined;
  let byId = lookups.get(lane);
  if (!byId) {
    byId = new Map(seamsOf(lane, trackId).map((s) => [s.id, s]));
    lookups.set(lane, byId);
  }
  return byId.get(id);
}

async function work(): Promise<void> {
  if (busy) return;
  busy = true;
  while (doc && wanted.size > 0) {
    const batch = [...wanted.values()].slice(0, BATCH);
    for (const { id } of batch) wanted.delete(id);
    const now = doc;
    const found = batch.map((a) => ({ id: a.id, seam: findSeam(now, a) }));
    const measures: [string, SeamMeasure][] = [];
    for (const { id, seam } of found) if (seam) measures.push([id, await measured(now, seam)]);
    if (measures.length) port.postMessage({ type: "measures", measures });
    // Messages that came meanwhile are heard between two batches.
    await new Promise((wake) => setTimeout(wake));
  }
  busy = false;
}

async function tryEdit(message: Extract<ToMeasurer, { type: "try" }>): Promise<void> {
  if (!doc) return;
  try {
    const after = applyEdit(doc, message.edit).doc;
    const measures: (SeamMeasure | null)[] = [];
    for (const { trackId, position } of message.seams) {
      const lane = after.lanes.get(trackId);
      const seam = lane && seamsOf(lane, trackId).find((s) => s.position === position);
      measures.push(seam ? await measured(after, seam) : null);
    }
    port.postMessage({ type: "tried", token: message.token, measures, error: null });
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
    port.postMessage({ type: "tried", token: message.token, measures: [], error: error.message });
  }
}

port.onmessage = ({ data: message }) => {
  switch (message.type) {
    case "document":
      doc = documentFrom(message.data, new Map(message.sources.map((s) => [s.id, s])));
      reader.channels = doc.sources;
      break;
    case "changes":
      if (doc) doc = applyChanges(doc, message.changes);
      break;
    case "measure":
      wanted = new Map([...message.seams.map((s) => [s.id, s] as const), ...wanted]);
      void work();
      break;
    case "try":
      void tryEdit(message);
  }
};
