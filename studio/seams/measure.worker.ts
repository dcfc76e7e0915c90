/// <reference lib="webworker" />
import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdit } from "@wet-thread/core/edit/registry";
import { applyChanges, type Document, documentFrom } from "@wet-thread/core/model/document";
import { measureKey, measureSeam, quietEdges, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import { type Seam, seamsOf } from "@wet-thread/core/seam/seams";
import { LRUCache } from "lru-cache";
import { ChunkReader } from "../engine/chunk-reader";
import type { AskedSeam, AskedSettling, FromMeasurer, ToMeasurer } from "./messages";
import { jointBefore, type Settling, settledIn } from "./settling";

const port = self as unknown as { postMessage(message: FromMeasurer): void; onmessage: ((e: MessageEvent<ToMeasurer>) => void) | null };

const reader = new ChunkReader();
let doc: Document | null = null;
/** Asked for and not measured yet; what was asked for last comes first, since that is what is looked at. */
let wanted = new Map<string, AskedSeam>();
let busy = false;
/** Seams measured in one go. */
const BATCH = 24;

/** Measures by what is heard around a seam: they hold until an edit touches that. */
const kept = new LRUCache<string, SeamMeasure>({ max: 40_000 });
const quietMemory = new Map<string, boolean>();

/** A seam's figures; null while its sound can't be had: what is not known is not measured, and never kept. */
async function measured(d: Document, seam: Seam): Promise<SeamMeasure | null> {
  const key = measureKey(d, seam);
  const known = kept.get(key);
  if (known) return known;
  if (!(await reader.prepare(seamSpans(d, seam)))) return null;
  const found = measureSeam(d, seam, reader, quietEdges(d, reader, quietMemory));
  kept.set(key, found);
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

/** Seams whose sound could not be had are asked for again after a while. */
const AGAIN_MS = 3000;

async function work(): Promise<void> {
  if (busy) return;
  busy = true;
  try {
    while (doc && wanted.size > 0) {
      const batch = [...wanted.values()].slice(0, BATCH);
      for (const { id } of batch) wanted.delete(id);
      const now = doc;
      const measures: [string, SeamMeasure][] = [];
      const unknown: AskedSeam[] = [];
      for (const asked of batch) {
        const seam = findSeam(now, asked);
        const measure = seam && (await measured(now, seam));
        if (measure) measures.push([asked.id, measure]);
        else if (seam) unknown.push(asked);
      }
      if (measures.length) port.postMessage({ type: "measures", measures });
      if (unknown.length) setTimeout(() => want(unknown, false), AGAIN_MS);
      // Messages that came meanwhile are heard between two batches.
      await new Promise((wake) => setTimeout(wake));
    }
  } finally {
    busy = false;
  }
}

/** What was asked for last comes first; what is asked for again comes after what waits. */
function want(seams: readonly AskedSeam[], first: boolean): void {
  const asked = seams.map((s) => [s.id, s] as const);
  wanted = first ? new Map([...asked, ...wanted]) : new Map([...wanted, ...asked.filter(([id]) => !wanted.has(id))]);
  void work();
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
    // Whatever went wrong, whoever waits is answered.
    const why = error instanceof EditError ? error.message : "It could not be tried.";
    port.postMessage({ type: "tried", token: message.token, measures: [], error: why });
  }
}

/** Settlings that are called off. */
const stopped = new Set<number>();

/** Foretells the settling of seams, each on what the ones before would leave. */
async function settle({ token, seams, how }: AskedSettling): Promise<void> {
  let now = doc;
  const found: Settling[] = [];
  for (const asked of seams) {
    // Messages that came meanwhile are heard between two of them.
    await new Promise((wake) => setTimeout(wake));
    if (stopped.delete(token)) return port.postMessage({ type: "settled", token, found: null });
    port.postMessage({ type: "settling", token, done: found.length });
    const seam = now && (asked.rightId === null ? findSeam(now, asked) : (jointBefore(now, asked.trackId, asked.rightId) ?? findSeam(now, asked)));
    if (!now || !seam) {
      found.push({ why: "it is not there any more" });
      continue;
    }
    try {
      const { settling, next } = await settledIn(now, seam, how, { reader, have: (spans) => reader.prepare(spans), measured });
      found.push(settling);
      now = next;
    } catch {
      // Whatever went wrong, whoever waits is answered.
      found.push({ why: "it could not be tried" });
    }
  }
  port.postMessage({ type: "settled", token, found });
}

port.onmessage = ({ data: message }) => {
  switch (message.type) {
    case "document":
      doc = documentFrom(message.data, new Map(message.sources.map((s) => [s.id, s])));
      reader.setDocument(doc);
      break;
    case "changes":
      if (doc) doc = applyChanges(doc, message.changes);
      if (doc) reader.setDocument(doc);
      break;
    case "measure":
      want(message.seams, true);
      break;
    case "try":
      void tryEdit(message);
      break;
    case "settle":
      void settle(message);
      break;
    case "stop-settling":
      stopped.add(message.token);
  }
};
