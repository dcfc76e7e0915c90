import { EditError } from "@wet-thread/core/edit/errors";
import { type PrintPart, printPlan } from "@wet-thread/core/edit/print-plan";
import { encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import type { Document } from "@wet-thread/core/model/document";
import { and, eq, inArray, ne } from "drizzle-orm";
import { db } from "../db/client";
import { printJobs, sources, steps, versions } from "../db/schema";
import { ApiError } from "../http/errors";
import { announce } from "../pieces/events";
import { editVersion, loadVersion, loadVersionAt } from "../pieces/versions";
import { newId } from "../process/ids";
import { sourceWriter } from "../recorded/store";
import { importSource } from "./import";
import { rendered, SoundMissing } from "./rendering";

/** Renders one track's clips into a new recording's bytes, as 32-bit float, and takes it in like any other; false when it was called off. */
async function printPart(doc: Document, part: PrintPart, sourceId: string, progress: (done: number) => Promise<boolean>): Promise<boolean> {
  const tracks = new Set([part.trackId]);
  const writer = sourceWriter(sourceId);
  await writer.write(wavHeader(part.channels, doc.sampleRate, "f32", part.length));
  let told = Date.now();
  try {
    for await (const { left, right, from, count } of rendered(doc, part.start, part.start + part.length, tracks)) {
      await writer.write(encodeFrames(part.channels === 1 ? [left] : [left, right], count, "f32", null));
      if (Date.now() - told > 250) {
        told = Date.now();
        if (!(await progress(from - part.start))) return false;
      }
    }
    await writer.finish();
  } finally {
    await writer.abort();
  }
  await db().update(sources).set({ status: "queued", bytes: writer.size }).where(eq(sources.id, sourceId));
  await importSource({ sourceId });
  return true;
}

/**
 * Prints clips, each track's to a new recording, and puts those in their place as one step. Clips that were changed meanwhile are left
 * alone, and the job says so; the recordings stay. Run again after a crash it starts anew.
 */
export async function runPrint({ printId }: { printId: string }): Promise<void> {
  const [job] = await db().select().from(printJobs).where(eq(printJobs.id, printId));
  if (!job || job.status === "ready" || job.status === "failed") return;
  const [{ projectId }] = await db().select({ projectId: versions.projectId }).from(versions).where(eq(versions.id, job.versionId));
  /** Writes how far the job is; false when it was cancelled meanwhile. */
  const tell = async (
    status: "rendering" | "ready" | "failed",
    progress: number,
    more: { error?: string; sourceIds?: string[] } = {},
  ): Promise<boolean> => {
    const still = await db()
      .update(printJobs)
      .set({ status, progress, ...more })
      .where(and(eq(printJobs.id, printId), ne(printJobs.status, "failed")))
      .returning({ id: printJobs.id });
    await announce(db(), { type: "print", projectId, printId, status, progress });
    return still.length > 0;
  };
  const [through] = await db()
    .select({ revision: steps.revision })
    .from(steps)
    .where(and(eq(steps.versionId, job.versionId), eq(steps.key, `print-${printId}`)));
  if (through) return void (await tell("ready", 1));
  // What a killed run left behind is not used by any clip.
  if (job.sourceIds.length) await db().delete(sources).where(inArray(sources.id, job.sourceIds));
  const before = await loadVersionAt(job.versionId, job.revision);
  const { doc, parts } = printPlan(before.doc, job.clipIds);
  const total = parts.reduce((sum, p) => sum + p.length, 0);
  const sourceIds = parts.map(() => newId());
  await tell("rendering", 0, { sourceIds });
  let finished = 0;
  for (const [i, part] of parts.entries()) {
    const name = parts.length === 1 ? job.name : `${before.doc.tracks.get(part.trackId)?.name ?? "Track"}: ${part.name}, printed`;
    const { sampleRate } = before.doc;
    await db()
      .insert(sources)
      .values({ id: sourceIds[i], projectId, name, status: "receiving", sampleRate, originalRate: sampleRate, channels: part.channels });
    let whole: boolean;
    try {
      whole = await printPart(doc, part, sourceIds[i], (done) => tell("rendering", (finished + done) / total));
    } catch (error) {
      if (!(error instanceof SoundMissing)) throw error;
      await db().delete(sources).where(inArray(sources.id, sourceIds));
      return void (await tell("failed", 0, { error: error.message }));
    }
    finished += part.length;
    if (whole && (await tell("rendering", finished / total))) continue;
    await db().delete(sources).where(inArray(sources.id, sourceIds));
    return;
  }
  const same = (now: Document, id: string): boolean => JSON.stringify(now.clips.get(id)) === JSON.stringify(before.doc.clips.get(id));
  const changed = "The clips were changed while they were printed, so they were left as they are; the new recording is in the list of recordings.";
  const edits = parts.map((part, i) => ({
    type: "replace-with-print",
    clipIds: part.clipIds,
    sourceId: sourceIds[i],
    start: part.start,
    name: part.name,
  }));
  for (;;) {
    const { revision, doc: latest } = await loadVersion(job.versionId);
    if (!job.clipIds.every((id) => same(latest, id))) return void (await tell("failed", 1, { error: changed }));
    try {
      await editVersion(job.versionId, { revision, edits, key: `print-${printId}` });
      return void (await tell("ready", 1));
    } catch (error) {
      if (error instanceof EditError)
        return void (await tell("failed", 1, { error: `${error.message} The new recording is in the list of recordings.` }));
      if (!(error instanceof ApiError && error.status === 409)) throw error;
    }
  }
}
