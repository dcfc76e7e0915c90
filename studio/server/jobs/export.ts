import { onlyClips } from "@wet-thread/core/edit/clips/print";
import { Dither, type ExportEncoding, encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import { eq } from "drizzle-orm";
import { db } from "../db/client";
import { exportBytes, exportJobs, versions } from "../db/schema";
import { announce } from "../events";
import type { ExportSpec } from "../exports";
import { exportWriter } from "../store";
import { loadVersionAt } from "../versions";
import { rendered, SoundMissing } from "./rendering";

const ENCODINGS: Record<ExportSpec["encoding"], ExportEncoding> = { pcm16: "i16", pcm24: "i24", float32: "f32" };

/** Renders a version, as it was when the export was asked for, to a file. Run again after a crash it starts anew. */
export async function runExport({ exportId }: { exportId: string }): Promise<void> {
  const [job] = await db().select().from(exportJobs).where(eq(exportJobs.id, exportId));
  if (!job || job.status === "ready" || job.status === "failed") return;
  const spec = job.spec as ExportSpec & { span: { start: number; end: number } };
  const [{ projectId }] = await db().select({ projectId: versions.projectId }).from(versions).where(eq(versions.id, job.versionId));
  const tell = (status: "rendering" | "ready" | "failed", progress: number) =>
    announce(db(), { type: "export", projectId, exportId, status, progress });
  await db().delete(exportBytes).where(eq(exportBytes.exportId, exportId));
  await db().update(exportJobs).set({ status: "rendering", progress: 0 }).where(eq(exportJobs.id, exportId));
  const { doc: whole } = await loadVersionAt(job.versionId, job.revision);
  const doc = spec.clips ? onlyClips(whole, spec.clips) : whole;
  const { start, end } = spec.span;
  const tracks = spec.tracks ? new Set(spec.tracks) : undefined;
  const encoding = ENCODINGS[spec.encoding];
  const dither = spec.dither && encoding !== "f32" ? new Dither(spec.seed) : null;
  const writer = exportWriter(exportId);
  let told = Date.now();
  try {
    await writer.write(wavHeader(spec.channels, doc.sampleRate, encoding, end - start));
    for await (const { left, right, from, count } of rendered(doc, start, end, tracks)) {
      if (spec.channels === 1) for (let i = 0; i < count; i++) left[i] = (left[i] + right[i]) / 2;
      await writer.write(encodeFrames(spec.channels === 1 ? [left] : [left, right], count, encoding, dither));
      if (Date.now() - told > 250) {
        told = Date.now();
        const progress = (from - start) / (end - start);
        const still = await db().update(exportJobs).set({ progress }).where(eq(exportJobs.id, exportId)).returning({ id: exportJobs.id });
        if (still.length === 0) return;
        await tell("rendering", progress);
      }
    }
    // Every chunk of WAV is padded to an even size.
    if (writer.size % 2) await writer.write(new Uint8Array(1));
    await writer.finish();
  } catch (error) {
    if (!(error instanceof SoundMissing)) throw error;
    await db().update(exportJobs).set({ status: "failed", error: error.message }).where(eq(exportJobs.id, exportId));
    return void (await tell("failed", 0));
  } finally {
    await writer.abort();
  }
  await db().update(exportJobs).set({ status: "ready", progress: 1, bytes: writer.size }).where(eq(exportJobs.id, exportId));
  await tell("ready", 1);
}
