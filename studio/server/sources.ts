import { MediaError } from "@wet-thread/core/media/source";
import { looksLikeWav, openWav } from "@wet-thread/core/media/wav/reader";
import { Name } from "@wet-thread/core/model/schema";
import { and, eq, inArray, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { db } from "./db/client";
import { projects, sources } from "./db/schema";
import { ApiError, notFound } from "./errors";
import { announce } from "./events";
import { newId } from "./ids";
import { enqueue } from "./jobs/queue";
import { sourceWriter, storedBytes } from "./store";

/** Largest file taken in, in bytes; WET_THREAD_MAX_UPLOAD sets another. */
const mostBytes = (): number => Number(process.env.WET_THREAD_MAX_UPLOAD ?? 64 * 2 ** 30);

export async function getSource(id: string) {
  const [row] = await db().select().from(sources).where(eq(sources.id, id));
  if (!row) throw notFound("recording", id);
  return row;
}

/** A name for people: the last part of what was given, without its ending. It is only ever shown. */
export function sourceName(given: string): string {
  const last = given.split(/[\\/]/).at(-1) ?? "";
  const parsed = Name.safeParse(last.replace(/\.[A-Za-z0-9]{1,5}$/, "").slice(0, 200));
  return parsed.success && parsed.data ? parsed.data : "Recording";
}

/** What an upload is refused with: it is known to be bad, and nothing of it stays. */
function refusal(error: MediaError): ApiError {
  return new ApiError(
    error.code === "unknown" ? 415 : 422,
    error.code === "unknown" ? "not-audio" : "broken-file",
    `${error.message} Nothing was kept of it; the project is as it was.`,
    { path: "body", kept: "Nothing was kept of this file; the project is as it was." },
  );
}

/**
 * Takes in a file as it streams: its bytes are kept as they come, its content (never its name) decides what it is, and a file that is
 * cut short or not audio is refused before it counts. The rest happens in a job.
 */
export async function receiveSource(projectId: string, name: string, body: ReadableStream<Uint8Array> | null, announced: number | null) {
  const [project] = await db().select().from(projects).where(eq(projects.id, projectId));
  if (!project) throw notFound("project", projectId);
  if (announced !== null && announced > mostBytes())
    throw new ApiError(413, "too-large", `The file has ${announced} bytes; up to ${mostBytes()} are taken in. Nothing was kept of it.`);
  const id = newId();
  await db()
    .insert(sources)
    .values({ id, projectId, name: sourceName(name), status: "receiving", sampleRate: project.sampleRate });
  const writer = sourceWriter(id);
  try {
    let head: Uint8Array = new Uint8Array(0);
    let known = false;
    let alive = Date.now();
    if (body) {
      for await (const piece of body as unknown as AsyncIterable<Uint8Array>) {
        if (!known) {
          head = Buffer.concat([head, piece]);
          known = head.length >= 12;
          if (known && !looksLikeWav(head))
            throw new MediaError("This file is not audio of a kind that is read here (WAV, Broadcast WAV, RF64).", "unknown");
        }
        await writer.write(piece);
        if (Date.now() - alive > ALIVE_MS) {
          alive = Date.now();
          await db().update(sources).set({ aliveAt: sql`now()` }).where(eq(sources.id, id));
        }
        if (writer.size > mostBytes()) throw new ApiError(413, "too-large", `The file is larger than ${mostBytes()} bytes. Nothing was kept of it.`);
      }
    }
    await writer.finish();
    if (writer.size === 0) throw new MediaError("The file is empty.", "broken");
    if (announced !== null && announced !== writer.size)
      throw new MediaError(`The upload broke off: ${writer.size} of ${announced} bytes came.`, "broken");
    const info = await openWav(storedBytes(id, writer.size));
    await db().transaction(async (tx) => {
      await tx
        .update(sources)
        .set({ status: "queued", bytes: writer.size, channels: info.channels, originalRate: info.sampleRate })
        .where(eq(sources.id, id));
      await enqueue(tx, "import", { sourceId: id });
      await announce(tx, { type: "source", projectId, sourceId: id, status: "queued", progress: 0 });
    });
    return await getSource(id);
  } catch (error) {
    await writer.abort();
    await db().delete(sources).where(eq(sources.id, id));
    if (error instanceof MediaError) throw refusal(error);
    throw error;
  }
}

/** Whether a clip of any version uses a recording, in SQL about `sources`. */
const inUse = sql`exists (select 1 from entities e join versions v on v.id = e.version_id
  where v.project_id = sources.project_id and e.kind = 'clip' and e.data->>'sourceId' = sources.id)`;

/** Whether a step of any version names a recording: undo may bring a clip of it back. */
const inHistory = sql`exists (select 1 from steps s join versions v on v.id = s.version_id
  where v.project_id = sources.project_id and position(sources.id in s.changes::text) > 0)`;

export const UnusedChange = z.object({ restore: z.array(z.string()).optional() });

/** Takes the recordings that no clip uses out of the project's list, or puts such ones back. Their sound is kept. Returns their ids. */
export async function changeUnused(projectId: string, { restore }: z.infer<typeof UnusedChange>): Promise<{ ids: string[] }> {
  const rows = restore
    ? await db()
        .update(sources)
        .set({ removedAt: null })
        .where(and(eq(sources.projectId, projectId), inArray(sources.id, restore)))
        .returning({ id: sources.id })
    : await db()
        .update(sources)
        .set({ removedAt: sql`now()` })
        .where(and(eq(sources.projectId, projectId), inArray(sources.status, ["ready", "failed"]), isNull(sources.removedAt), sql`not ${inUse}`))
        .returning({ id: sources.id });
  const ids = rows.map((r) => r.id);
  for (const sourceId of ids) await announce(db(), { type: "source", projectId, sourceId, status: restore ? "ready" : "removed", progress: 1 });
  return { ids };
}

/** Days after which a removed recording may go for good. */
const KEPT_DAYS = 30;

/** Deletes recordings that were removed long ago and that no clip, and no step of any history, names any more. Returns how many. */
export async function purgeRemoved(days = KEPT_DAYS): Promise<number> {
  const gone = await db()
    .delete(sources)
    .where(and(sql`${sources.removedAt} < now() - make_interval(days => ${days})`, sql`not ${inUse}`, sql`not ${inHistory}`))
    .returning({ id: sources.id });
  return gone.length;
}

/**
 * Stops an import and takes the recording away. One that a clip uses is kept; one that only the history names leaves the list, and its sound
 * stays, so that undo can bring it back. Whoever lays a clip of it meanwhile holds its row, so that both can't be done at once.
 */
export async function removeSource(id: string): Promise<{ removed: true; kept: boolean }> {
  const { projectId, kept } = await db().transaction(async (tx) => {
    const [source] = await tx.select().from(sources).where(eq(sources.id, id)).for("update");
    if (!source) throw notFound("recording", id);
    const [named] = await tx
      .select({ used: sql<boolean>`${inUse}`, history: sql<boolean>`${inHistory}` })
      .from(sources)
      .where(eq(sources.id, id));
    if (named.used) throw new ApiError(409, "in-use", "A clip uses this recording. Nothing was changed.");
    if (named.history) await tx.update(sources).set({ removedAt: sql`now()` }).where(eq(sources.id, id));
    else await tx.delete(sources).where(eq(sources.id, id));
    return { projectId: source.projectId, kept: named.history };
  });
  await announce(db(), { type: "source", projectId, sourceId: id, status: "removed", progress: 0 });
  return { removed: true, kept };
}

/** Reads a recording anew whose import failed; its bytes are there. */
export async function retrySource(id: string) {
  const source = await getSource(id);
  if (source.status !== "failed" || source.bytes === 0)
    throw new ApiError(409, "not-failed", "Only a recording whose import failed can be read anew. Nothing was changed.");
  await db().transaction(async (tx) => {
    await tx.update(sources).set({ status: "queued", progress: 0, error: null }).where(eq(sources.id, id));
    await enqueue(tx, "import", { sourceId: id });
    await announce(tx, { type: "source", projectId: source.projectId, sourceId: id, status: "queued", progress: 0 });
  });
  return getSource(id);
}

/** An upload from which nothing has come for so long has ended, whoever received it. */
const SILENT_SECONDS = 30;
const ALIVE_MS = 5000;

/** Takes away what is left of uploads whose server died in the midst. */
export async function dropBrokenUploads(): Promise<void> {
  const gone = await db()
    .delete(sources)
    .where(
      and(
        eq(sources.status, "receiving"),
        sql`${sources.aliveAt} < now() - make_interval(secs => ${SILENT_SECONDS})`,
        // A print writes its recordings itself, and is looked after as a job.
        sql`not exists (select 1 from prints p where p.status in ('queued', 'rendering') and p.source_ids ? sources.id)`,
      ),
    )
    .returning({ id: sources.id, projectId: sources.projectId });
  for (const { id, projectId } of gone) await announce(db(), { type: "source", projectId, sourceId: id, status: "removed", progress: 0 });
}
