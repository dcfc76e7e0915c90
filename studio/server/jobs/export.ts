import { Dither, type ExportEncoding, encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import { Renderer, spansNeeded } from "@wet-thread/core/render/renderer";
import { eq } from "drizzle-orm";
import { db } from "../db/client";
import { exportBytes, exportJobs, versions } from "../db/schema";
import { announce } from "../events";
import type { ExportSpec } from "../exports";
import { exportWriter, StoredReader } from "../store";
import { loadVersion } from "../versions";

/** Frames rendered between two looks at the database. */
const BLOCK = 65_536;
const ENCODINGS: Record<ExportSpec["encoding"], ExportEncoding> = { pcm16: "i16", pcm24: "i24", float32: "f32" };

/** Renders a version, as it is when the job starts, to a file. Run again after a crash it starts anew. */
export async function runExport({ exportId }: { exportId: string }): Promise<void> {
  const [job] = await db().select().from(exportJobs).where(eq(exportJobs.id, exportId));
  if (!job || job.status === "ready") return;
  const spec = job.spec as ExportSpec & { span: { start: number; end: number } };
  const [{ projectId }] = await db().select({ projectId: versions.projectId }).from(versions).where(eq(versions.id, job.versionId));
  const tell = (status: "rendering" | "ready" | "failed", progress: number) =>
    announce(db(), { type: "export", projectId, exportId, status, progress });
  await db().delete(exportBytes).where(eq(exportBytes.exportId, exportId));
  await db().update(exportJobs).set({ status: "rendering", progress: 0 }).where(eq(exportJobs.id, exportId));
  const { doc } = await loadVersion(job.versionId);
  const { start, end } = spec.span;
  const tracks = spec.tracks ? new Set(spec.tracks) : undefined;
  const reader = new StoredReader();
  const renderer = new Renderer(doc, reader, { tracks });
  const encoding = ENCODINGS[spec.encoding];
  const dither = spec.dither && encoding !== "f32" ? new Dither(spec.seed) : null;
  const writer = exportWriter(exportId);
  await writer.write(wavHeader(spec.channels, doc.sampleRate, encoding, end - start));
  const left = new Float32Array(BLOCK);
  const right = new Float32Array(BLOCK);
  let told = Date.now();
  for (let at = start; at < end; at += BLOCK) {
    const n = Math.min(BLOCK, end - at);
    await reader.prepare(spansNeeded(doc, at, at + n, tracks));
    renderer.render(at, n, left, right);
    if (spec.channels === 1) for (let i = 0; i < n; i++) left[i] = (left[i] + right[i]) / 2;
    await writer.write(encodeFrames(spec.channels === 1 ? [left] : [left, right], n, encoding, dither));
    if (Date.now() - told > 250) {
      told = Date.now();
      const progress = (at - start) / (end - start);
      const still = await db().update(exportJobs).set({ progress }).where(eq(exportJobs.id, exportId)).returning({ id: exportJobs.id });
      if (still.length === 0) return;
      await tell("rendering", progress);
    }
  }
  // Every chunk of WAV is padded to an even size.
  if (writer.size % 2) await writer.write(new Uint8Array(1));
  await writer.finish();
  await db().update(exportJobs).set({ status: "ready", progress: 1, bytes: writer.size }).where(eq(exportJobs.id, exportId));
  await tell("ready", 1);
}
