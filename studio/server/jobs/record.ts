import { EditError } from "@wet-thread/core/edit/errors";
import type { Edit } from "@wet-thread/core/edit/registry";
import { wavHeader } from "@wet-thread/core/media/wav/writer";
import { and, eq, inArray, ne } from "drizzle-orm";
import { db } from "../db/client";
import { copyOut, numbers, quoted } from "../db/copy";
import { projects, type RecordedTrack, recordedParts, recordings, sources, versions } from "../db/schema";
import { ApiError } from "../http/errors";
import { announce } from "../pieces/events";
import { editVersion, loadVersion } from "../pieces/versions";
import { sourceWriter } from "../recorded/store";
import { importSource } from "./import";
import type { JobPayloads } from "./queue";

type Recording = typeof recordings.$inferSelect;

/** What recordings tell of themselves: when and where they were made. */
function head(track: RecordedTrack, { frames, start, createdAt }: Recording, sampleRate: number): Uint8Array {
  const when = createdAt.toISOString();
  const loudness = { integrated: null, range: null, truePeak: null, momentaryMax: null, shortTermMax: null };
  const broadcast = { description: track.name, originator: "Wet Thread", date: when.slice(0, 10), time: when.slice(11, 19), timeReference: start };
  return wavHeader(track.channels, sampleRate, "f32", frames, { broadcast: { ...broadcast, loudness } });
}

/** Writes one track of what came as a file of its own: what follows on its head is the samples as they came. */
async function writeTrack(job: Recording, track: RecordedTrack, sampleRate: number): Promise<void> {
  const writer = sourceWriter(track.sourceId);
  try {
    await writer.write(head(track, job, sampleRate));
    const index = job.tracks.indexOf(track);
    const select = `select data from recorded_parts where recording_id = ${quoted(job.id)} and track = ${numbers([index])} order by at`;
    for await (const [data] of copyOut(select)) await writer.write(data);
    await writer.finish();
  } finally {
    await writer.abort();
  }
  await db().update(sources).set({ status: "queued", bytes: writer.size }).where(eq(sources.id, track.sourceId));
}

/** Lays what was recorded, whatever was edited meanwhile. Returns why it could not be, null when it lies there. */
async function lay(job: Recording): Promise<string | null> {
  if (!job.lay?.length) return null;
  for (;;) {
    const { revision } = await loadVersion(job.versionId);
    try {
      await editVersion(job.versionId, { revision, edits: job.lay as Edit[], key: `record-${job.id}` });
      return null;
    } catch (error) {
      // The version was deleted meanwhile, or the edits are impossible: the recording itself is there.
      if (error instanceof EditError || (error instanceof ApiError && [404, 410].includes(error.status)))
        return `${error.message} What was recorded is in the list of recordings.`;
      if (!(error instanceof ApiError && error.status === 409)) throw error;
    }
  }
}

/**
 * Takes in what was recorded, each track's as a recording of its own, and lays it as one step. Run again after a crash it goes on with
 * the tracks that are not in yet.
 */
export async function runRecord({ recordingId }: JobPayloads["record"]): Promise<void> {
  const [job] = await db().select().from(recordings).where(eq(recordings.id, recordingId));
  if (!job || job.status === "ready" || job.status === "failed") return;
  const [{ projectId, sampleRate }] = await db()
    .select({ projectId: projects.id, sampleRate: projects.sampleRate })
    .from(versions)
    .innerJoin(projects, eq(projects.id, versions.projectId))
    .where(eq(versions.id, job.versionId));
  /** Writes how far it is; false when it was taken away meanwhile. */
  const tell = async (status: "rendering" | "ready", progress: number, error: string | null = null): Promise<boolean> => {
    const still = await db()
      .update(recordings)
      .set({ status, progress, error })
      .where(eq(recordings.id, recordingId))
      .returning({ id: recordings.id });
    await announce(db(), { type: "recording", projectId, recordingId, status, progress });
    return still.length > 0;
  };
  await tell("rendering", 0);
  const ids = job.tracks.map((t) => t.sourceId);
  const there = await db()
    .select({ id: sources.id })
    .from(sources)
    .where(and(inArray(sources.id, ids), eq(sources.status, "ready")));
  // What a killed run left half way begins anew.
  await db()
    .delete(sources)
    .where(and(inArray(sources.id, ids), ne(sources.status, "ready")));
  const due = job.tracks.filter((t) => !there.some((s) => s.id === t.sourceId));
  for (const [i, track] of due.entries()) {
    const { sourceId, name, channels } = track;
    await db().insert(sources).values({ id: sourceId, projectId, name, status: "receiving", sampleRate, originalRate: sampleRate, channels });
    await writeTrack(job, track, sampleRate);
    await importSource({ sourceId });
    if (!(await tell("rendering", (i + 1) / due.length))) return;
  }
  const error = await lay(job);
  await db().delete(recordedParts).where(eq(recordedParts.recordingId, recordingId));
  await tell("ready", 1, error);
}
