import { Id, Name, NewId } from "@wet-thread/core/model/schema";
import { and, asc, eq, inArray, lt, ne, sql } from "drizzle-orm";
import { z } from "zod";
import { type Database, db } from "../db/client";
import { projects, type RecordedTrack, recordedParts, recordings, versions } from "../db/schema";
import { ApiError, notFound } from "../http/errors";
import { enqueue } from "../jobs/queue";
import { announce } from "../pieces/events";
import { EditRequest, loadVersion } from "../pieces/versions";
import { newId } from "../process/ids";

/** Tracks and channels that are recorded at once. */
const MOST_TRACKS = 64;
const MOST_CHANNELS = 64;
/** A page that was not heard of for so long does not hold a track any more; after the longer time what it sent is taken in. */
const HELD_SECONDS = 5;
const GONE_SECONDS = 660;
/** Bytes that come at a time. */
export const MOST_PART = 16 << 20;
const FLOAT = 4;

export const RecordingRequest = z.object({
  tracks: z
    .array(z.object({ trackId: Id, name: Name.default(""), channels: z.int().min(1).max(MOST_CHANNELS).default(1) }))
    .min(1, "Name at least one track.")
    .max(MOST_TRACKS)
    .refine((list) => new Set(list.map((t) => t.trackId)).size === list.length, { message: "Each track is recorded once at a time." })
    .refine((list) => list.reduce((n, t) => n + t.channels, 0) <= MOST_CHANNELS, { message: `At most ${MOST_CHANNELS} channels come in at once.` }),
  start: z.int().min(0).default(0).describe("where the first sample lies on the timeline, for whoever finds the recording later"),
  key: NewId.min(8).optional().describe("sent again with the same key, the same recording is meant; it becomes its id"),
});

export const EndRequest = z.object({
  frames: z
    .int()
    .min(0)
    .optional()
    .describe("samples a channel that were sent in all; when not all of them are here, the answer says from where on to send again"),
  lay: EditRequest.shape.edits.optional().describe("edits that lay it, done as one step once it is taken in"),
});

const shown = ({ lay: _, ...row }: typeof recordings.$inferSelect) => row;
const channelsOf = (tracks: readonly RecordedTrack[]): number => tracks.reduce((n, t) => n + t.channels, 0);

/** Begins a recording. Throws ApiError 409 while another page records on one of its tracks, 404 for a track that is not there. */
export async function beginRecording(versionId: string, { tracks, start, key }: z.output<typeof RecordingRequest>) {
  const { doc } = await loadVersion(versionId);
  for (const { trackId } of tracks) if (!doc.tracks.has(trackId)) throw notFound("track", trackId);
  const row = {
    id: key ?? newId(),
    versionId,
    start,
    tracks: tracks.map((t): RecordedTrack => ({ ...t, name: t.name || doc.tracks.get(t.trackId)?.name || "Recording", sourceId: newId() })),
  };
  await db().transaction(async (tx) => {
    // One at a time decides who records on a track.
    await tx.select({ id: versions.id }).from(versions).where(eq(versions.id, versionId)).for("update");
    // The answer to the first request was lost: it had begun.
    const [again] = key
      ? await tx
          .select({ id: recordings.id })
          .from(recordings)
          .where(and(eq(recordings.id, key), eq(recordings.versionId, versionId)))
      : [];
    if (again) return;
    const others = await tx
      .select({ tracks: recordings.tracks })
      .from(recordings)
      .where(
        and(
          eq(recordings.versionId, versionId),
          eq(recordings.status, "recording"),
          sql`${recordings.aliveAt} > now() - make_interval(secs => ${HELD_SECONDS})`,
        ),
      );
    const held = others.flatMap((o) => o.tracks).find((t) => tracks.some((own) => own.trackId === t.trackId));
    if (held) {
      const name = doc.tracks.get(held.trackId)?.name || "this track";
      throw new ApiError(409, "track-held", `Another page is recording on ${name}. Nothing was begun.`, { trackId: held.trackId });
    }
    await tx.insert(recordings).values(row);
  });
  return getRecording(row.id);
}

export async function getRecording(id: string) {
  const [row] = await db().select().from(recordings).where(eq(recordings.id, id));
  if (!row) throw notFound("recording under way", id);
  return shown(row);
}

/** Recordings of a version that are not in its list of recordings yet, in order of their beginning. */
export async function openRecordings(versionId: string) {
  const rows = await db()
    .select({ row: recordings, silent: sql<number>`extract(epoch from now() - ${recordings.aliveAt})::float8` })
    .from(recordings)
    .where(and(eq(recordings.versionId, versionId), ne(recordings.status, "ready")))
    .orderBy(asc(recordings.createdAt));
  return { recordings: rows.map(({ row, silent }) => ({ ...shown(row), silentSeconds: silent })) };
}

const ended = (status: string): ApiError => new ApiError(409, "ended", "This recording has ended; nothing more is taken in.", { status });

/** Frames of all tracks taken apart: those of each, with its own channels interleaved. */
function perTrack(frames: Buffer, tracks: readonly RecordedTrack[]): Buffer[] {
  const width = channelsOf(tracks) * FLOAT;
  let from = 0;
  return tracks.map(({ channels }) => {
    const size = channels * FLOAT;
    const first = from;
    from += size;
    if (size === width) return frames;
    const out = Buffer.allocUnsafe((frames.length / width) * size);
    for (let at = first, to = 0; at < frames.length; at += width, to += size) frames.copy(out, to, at, at + size);
    return out;
  });
}

/**
 * Takes in what came next of a recording: 32-bit floats, its channels interleaved, from frame `from` on. What is there already is passed over,
 * so that a part whose answer was lost can be sent again; an empty one tells that the page is alive. Throws ApiError 409 with the frames that are
 * there where some are missing before it.
 */
export async function appendRecording(id: string, from: number, bytes: Buffer): Promise<{ frames: number }> {
  return db().transaction(async (tx) => {
    const [row] = await tx.select().from(recordings).where(eq(recordings.id, id)).for("update");
    if (!row) throw notFound("recording under way", id);
    if (row.status !== "recording") throw ended(row.status);
    const frameBytes = channelsOf(row.tracks) * FLOAT;
    if (bytes.length % frameBytes !== 0)
      throw new ApiError(400, "part", `A frame of this recording has ${frameBytes} bytes; this part has ${bytes.length}. Nothing of it was kept.`, {
        frames: row.frames,
      });
    if (from > row.frames)
      throw new ApiError(409, "gap", `${row.frames} frames are here; what comes next begins there, not at ${from}.`, { frames: row.frames });
    for (let at = 0; at < bytes.length; at += FLOAT)
      if (!Number.isFinite(bytes.readFloatLE(at)))
        throw new ApiError(422, "not-numbers", "This part holds samples that are no numbers. Nothing of it was kept.", { frames: row.frames });
    const fresh = bytes.subarray(Math.min(bytes.length, (row.frames - from) * frameBytes));
    const frames = row.frames + fresh.length / frameBytes;
    if (fresh.length > 0)
      await tx.insert(recordedParts).values(perTrack(fresh, row.tracks).map((data, track) => ({ recordingId: id, track, at: row.frames, data })));
    await tx.update(recordings).set({ frames, aliveAt: sql`now()` }).where(eq(recordings.id, id));
    return { frames };
  });
}

async function projectOf(on: Pick<Database, "select">, versionId: string): Promise<string> {
  const [row] = await on
    .select({ id: projects.id })
    .from(projects)
    .innerJoin(versions, eq(versions.projectId, projects.id))
    .where(eq(versions.id, versionId));
  return row.id;
}

/**
 * Ends a recording: a job takes it in and lays it. One of which nothing came goes. Asked again it answers the same. Throws ApiError 409 with
 * the frames that are here where the sender has sent more.
 */
export async function endRecording(id: string, { frames, lay }: z.output<typeof EndRequest>) {
  return db().transaction(async (tx) => {
    const [row] = await tx.select().from(recordings).where(eq(recordings.id, id)).for("update");
    if (!row) throw notFound("recording under way", id);
    if (row.status !== "recording") return shown(row);
    if (frames !== undefined && frames > row.frames)
      throw new ApiError(409, "gap", `${row.frames} of ${frames} frames are here; send the rest first.`, { frames: row.frames });
    if (row.frames === 0) {
      await tx.delete(recordings).where(eq(recordings.id, id));
      return { ...shown(row), status: "empty" as const };
    }
    await tx
      .update(recordings)
      .set({ status: "queued", lay: lay ?? null, createdAt: sql`now()` })
      .where(eq(recordings.id, id));
    await enqueue(tx, "record", { recordingId: id });
    await announce(tx, { type: "recording", projectId: await projectOf(tx, row.versionId), recordingId: id, status: "queued", progress: 0 });
    return { ...shown(row), status: "queued" as const };
  });
}

/** Tries again to take in a recording on which that failed; what came is there. */
export async function retryRecording(id: string) {
  return db().transaction(async (tx) => {
    const [row] = await tx.select().from(recordings).where(eq(recordings.id, id)).for("update");
    if (!row) throw notFound("recording under way", id);
    if (row.status !== "failed") throw new ApiError(409, "not-failed", "Only what could not be taken in is tried again. Nothing was changed.");
    await tx.update(recordings).set({ status: "queued", error: null, createdAt: sql`now()` }).where(eq(recordings.id, id));
    await enqueue(tx, "record", { recordingId: id });
    return { ...shown(row), status: "queued" as const, error: null };
  });
}

/** Throws away what came of a recording that is not taken in yet. */
export async function dropRecording(id: string): Promise<{ removed: true }> {
  const gone = await db()
    .delete(recordings)
    .where(and(eq(recordings.id, id), inArray(recordings.status, ["recording", "failed"])))
    .returning({ id: recordings.id });
  if (gone.length === 0) throw ended((await getRecording(id)).status);
  return { removed: true };
}

/** Takes in what came from pages that were not heard of for longer than they keep sound, and forgets what was taken in long ago. */
export async function endSilentRecordings(): Promise<void> {
  const silent = await db()
    .select({ id: recordings.id })
    .from(recordings)
    .where(and(eq(recordings.status, "recording"), lt(recordings.aliveAt, sql`now() - make_interval(secs => ${GONE_SECONDS})`)));
  for (const { id } of silent) await endRecording(id, {});
  await db()
    .delete(recordings)
    .where(and(eq(recordings.status, "ready"), lt(recordings.createdAt, sql`now() - interval '1 day'`)));
}
