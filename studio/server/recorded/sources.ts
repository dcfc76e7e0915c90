import { formatOf, HEAD_BYTES, looksLikeAudio, READ_HERE } from "@wet-thread/core/media/formats";
import { MediaError } from "@wet-thread/core/media/source";
import { Id, Name } from "@wet-thread/core/model/schema";
import { and, eq, gte, inArray, isNull, type SQL, sql } from "drizzle-orm";
import { z } from "zod";
import { db } from "../db/client";
import { projects, sharedSources, sourceBytes, sources } from "../db/schema";
import { bodyPieces } from "../http/body";
import { ApiError, notFound } from "../http/errors";
import { enqueue } from "../jobs/queue";
import { announce, announceSource } from "../pieces/events";
import { KEPT_DAYS } from "../process/days";
import { newId } from "../process/ids";
import { ofProcess } from "../process/of-process";
import { PIECE, type PieceWriter, sourceWriter, storedBytes } from "./store";

const ALIVE_MS = 5000;

/** Largest file taken in, in bytes; WET_THREAD_MAX_UPLOAD sets another. */
export const mostBytes = (): number => Number(process.env.WET_THREAD_MAX_UPLOAD ?? 64 * 2 ** 30);

export async function getSource(id: string) {
  const [row] = await db().select().from(sources).where(eq(sources.id, id));
  if (!row) throw notFound("recording", id);
  return shown(row);
}

/** A recording as the API shows it: what its file tells stands beside the rest. */
export const shown = ({ told, ...row }: typeof sources.$inferSelect) => ({ ...row, ...told });

/** What is noted of a recording whose file holds less than it says. */
export const TAIL_MISSING = "The end of its file is missing; what was there was kept.";

export const Answer = z.object({ keep: z.boolean() });

/** Answers what is asked about a recording whose file holds less than it says: what is there is kept, or all of it goes. Throws ApiError 409. */
export async function answerSource(id: string, { keep }: z.infer<typeof Answer>) {
  const { status } = await getSource(id);
  if (status !== "asking") throw new ApiError(409, "not-asking", "Nothing is asked about this recording. Nothing was changed.", { status });
  if (!keep) return removeSource(id);
  await db()
    .update(sources)
    .set({ status: "ready", kept: true, asking: null, notes: sql`${sources.notes} || jsonb_build_array(${TAIL_MISSING}::text)` })
    .where(and(eq(sources.id, id), eq(sources.status, "asking")));
  await announceSource(db(), id, { type: "source", sourceId: id, status: "ready", progress: 1 });
  return getSource(id);
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

const NOT_AUDIO = `This file is not audio of a kind that is read here (${READ_HERE}).`;
const tooLarge = (bytes: number): ApiError =>
  new ApiError(413, "too-large", `The file has ${bytes} bytes; up to ${mostBytes()} are taken in. Nothing was kept of it.`);

async function newSource(projectId: string, name: string, expected: number | null): Promise<string> {
  const [project] = await db().select().from(projects).where(eq(projects.id, projectId));
  if (!project) throw notFound("project", projectId);
  if (expected !== null && expected > mostBytes()) throw tooLarge(expected);
  const id = newId();
  await db()
    .insert(sources)
    .values({ id, projectId, name: sourceName(name), status: "receiving", sampleRate: project.sampleRate, expected });
  return id;
}

/** Notes that an upload goes on. Throws ApiError 408 where it stood still for so long that it was taken for ended. */
async function stillThere(id: string): Promise<void> {
  const there = await db().update(sources).set({ aliveAt: sql`now()` }).where(eq(sources.id, id)).returning({ id: sources.id });
  if (there.length === 0)
    throw new ApiError(
      408,
      "stood-still",
      `Nothing came of this file for ${SILENT_SECONDS} s, or it was called off. Nothing was kept of it; send it again.`,
    );
}

/**
 * Writes bytes as they come; the first of a file tell whether it is audio at all. An upload that waits for the database, or for its turn, is
 * not the one that stands still. Returns how many bytes came.
 */
async function writeBody(writer: PieceWriter, body: ReadableStream<Uint8Array> | null, first: boolean, id: string): Promise<number> {
  let head: Uint8Array = new Uint8Array(0);
  let known = !first;
  let since = Date.now();
  let [waiting, noted] = [false, Promise.resolve()];
  const note = (): Promise<void> => {
    since = Date.now();
    noted = stillThere(id);
    // Met by whoever awaits it below.
    noted.catch(() => {});
    return noted;
  };
  const timer = setInterval(() => waiting && void note(), ALIVE_MS);
  const inTurn = async (work: Promise<void>): Promise<void> => {
    waiting = true;
    await work;
    waiting = false;
    await noted;
    if (Date.now() - since > ALIVE_MS) await note();
  };
  try {
    for await (const piece of bodyPieces(body, mostBytes(), tooLarge)) {
      if (!known) {
        head = Buffer.concat([head, piece]);
        known = head.length >= HEAD_BYTES;
        if (known && !looksLikeAudio(head)) throw new MediaError(NOT_AUDIO, "unknown");
      }
      await inTurn(writer.write(piece));
    }
    await inTurn(writer.finish());
  } finally {
    clearInterval(timer);
  }
  return writer.size;
}

/** A file that has come whole: what it is, is read from it, and a job does the rest. Throws MediaError for one that is broken. */
async function received(id: string, projectId: string, bytes: number) {
  const file = storedBytes(id, bytes);
  const format = await formatOf(file);
  const info = await format.open(file);
  await db().transaction(async (tx) => {
    const about = { channels: info.channels, originalRate: info.sampleRate, format: format.name, ending: format.endings[0] };
    await tx
      .update(sources)
      .set({ status: "queued", bytes, ...about })
      .where(eq(sources.id, id));
    await enqueue(tx, "import", { sourceId: id });
    await announce(tx, { type: "source", projectId, sourceId: id, status: "queued", progress: 0 });
  });
  return getSource(id);
}

/**
 * Takes in a file as it streams: its bytes are kept as they come, its content (never its name) decides what it is, and a file that is
 * cut short or not audio is refused before it counts. The rest happens in a job.
 */
export async function receiveSource(projectId: string, name: string, body: ReadableStream<Uint8Array> | null, announced: number | null) {
  if (announced !== null && announced > mostBytes()) throw tooLarge(announced);
  const id = await newSource(projectId, name, null);
  const writer = sourceWriter(id);
  try {
    const size = await writeBody(writer, body, true, id);
    if (size === 0) throw new MediaError("The file is empty.", "broken");
    if (announced !== null && announced !== size) throw new MediaError(`The upload broke off: ${size} of ${announced} bytes came.`, "broken");
    return await received(id, projectId, size);
  } catch (error) {
    await writer.abort();
    await db().delete(sources).where(eq(sources.id, id));
    if (error instanceof MediaError) throw refusal(error);
    throw error;
  }
}

/** Parts of an upload are of so many bytes, but for the last. */
const PART = 8 * PIECE;

export const UploadRequest = z.object({ name: z.string().max(2000), size: z.int().min(1) });

/** Begins an upload that comes in parts, and can go on where it was broken off. */
export async function beginUpload(projectId: string, { name, size }: z.infer<typeof UploadRequest>) {
  return { id: await newSource(projectId, name, size), offset: 0, size, part: PART };
}

/** How far an upload has come. Throws ApiError 404 or 409. */
export async function uploadState(id: string) {
  const { status, bytes, expected } = await getSource(id);
  if (status !== "receiving" || expected === null)
    throw new ApiError(409, "not-receiving", "This recording is not being received in parts.", { status });
  return { id, offset: bytes, size: expected, part: PART };
}

const busy = ofProcess("uploads coming in", () => new Set<string>());

/**
 * Takes in the next part of an upload, which counts once all of it is there. With the last one the recording is taken in like any other. Throws
 * ApiError 409 with the offset to go on from when this part is not the next.
 */
export async function receivePart(id: string, offset: number, body: ReadableStream<Uint8Array> | null, announced: number | null) {
  const { size } = await uploadState(id);
  if (busy.has(id)) throw new ApiError(409, "busy", "A part of this upload is still coming in.", {});
  busy.add(id);
  const writer = sourceWriter(id, Math.floor(offset / PIECE));
  try {
    const now = await uploadState(id);
    if (offset !== now.offset) throw new ApiError(409, "offset", `This upload goes on from byte ${now.offset}.`, { offset: now.offset });
    // What a server that died had written of a part that does not count.
    await db()
      .delete(sourceBytes)
      .where(and(eq(sourceBytes.sourceId, id), gte(sourceBytes.index, offset / PIECE)));
    const came = await writeBody(writer, body, offset === 0, id);
    if ((announced !== null && came !== announced) || (came % PIECE !== 0 && offset + came !== size) || offset + came > size)
      throw new ApiError(400, "part", `A part has a multiple of ${PIECE} bytes, but for the last; of this one ${came} came. It can be sent again.`, {
        offset,
      });
    await db()
      .update(sources)
      .set({ bytes: offset + came, aliveAt: sql`now()` })
      .where(eq(sources.id, id));
    if (offset + came < size) return { offset: offset + came };
    const { projectId } = await getSource(id);
    return { offset: size, source: await received(id, projectId, size) };
  } catch (error) {
    await writer.abort();
    if (!(error instanceof MediaError)) throw error;
    await db().delete(sources).where(eq(sources.id, id));
    throw refusal(error);
  } finally {
    busy.delete(id);
  }
}

/** Recordings of a project, its own and those that it shares, in SQL about `sources`. */
export const ofProject = (projectId: string | SQL) =>
  sql`(sources.project_id = ${projectId} or exists (select 1 from shared_sources h where h.source_id = sources.id and h.project_id = ${projectId}))`;

/** The projects that have a recording, in SQL about `sources`. */
const itsProjects = sql`(select sources.project_id union all select h.project_id from shared_sources h where h.source_id = sources.id)`;

/** Whether a clip of any version uses a recording, or a part of it is kept under a name, in SQL about `sources`. */
const inUse = sql`(jsonb_array_length(sources.parts) > 0 or exists (select 1 from entities e join versions v on v.id = e.version_id
  where v.project_id in ${itsProjects} and (e.kind = 'clip' and e.data->>'sourceId' = sources.id
    or e.kind = 'bundle' and e.data ? 'takes' and position(sources.id in e.data::text) > 0)))`;

/** Whether a step of any version names a recording: undo may bring a clip of it back. */
const inHistory = sql`exists (select 1 from steps s join versions v on v.id = s.version_id
  where v.project_id in ${itsProjects} and position(sources.id in s.changes::text) > 0)`;

export const UnusedChange = z.object({ restore: z.array(Id).optional() });

/** Takes the recordings that no clip uses out of the project's list, or puts such ones back. Their sound is kept. Returns their ids. */
export async function changeUnused(projectId: string, { restore }: z.infer<typeof UnusedChange>): Promise<{ ids: string[] }> {
  const to = restore ? null : sql`now()`;
  const which = restore ? inArray(sources.id, restore) : and(inArray(sources.status, ["ready", "failed", "asking"]), sql`not ${inUse}`);
  const ids = await db().transaction(async (tx) => {
    const own = await tx
      .update(sources)
      .set({ removedAt: to })
      .where(and(eq(sources.projectId, projectId), which, restore ? undefined : isNull(sources.removedAt)))
      .returning({ id: sources.id });
    const shared = await tx
      .select({ id: sources.id })
      .from(sources)
      .innerJoin(sharedSources, and(eq(sharedSources.sourceId, sources.id), eq(sharedSources.projectId, projectId)))
      .where(and(which, restore ? undefined : isNull(sharedSources.removedAt)));
    if (shared.length > 0)
      await tx
        .update(sharedSources)
        .set({ removedAt: to })
        .where(
          and(
            eq(sharedSources.projectId, projectId),
            inArray(
              sharedSources.sourceId,
              shared.map((r) => r.id),
            ),
          ),
        );
    return [...own, ...shared].map((r) => r.id);
  });
  for (const sourceId of ids) await announce(db(), { type: "source", projectId, sourceId, status: restore ? "ready" : "removed", progress: 1 });
  return { ids };
}

/** Removed long ago, in no project's list, and named by no clip and no step of any history, in SQL about `sources`. */
const forgotten = (days: number) =>
  and(
    sql`${sources.removedAt} < now() - make_interval(days => ${days})`,
    sql`not exists (select 1 from shared_sources h where h.source_id = sources.id and h.removed_at is null)`,
    sql`not ${inUse}`,
    sql`not ${inHistory}`,
  );

/** Deletes recordings that were removed long ago and that no clip, and no step of any history, names any more. Returns how many. */
export async function purgeRemoved(days = KEPT_DAYS): Promise<number> {
  const found = await db().select({ id: sources.id }).from(sources).where(forgotten(days));
  let gone = 0;
  for (const { id } of found)
    await db().transaction(async (tx) => {
      // Whoever lays a clip of it holds its row; once it is ours, it is looked at again: a clip may have come meanwhile.
      await tx.select({ id: sources.id }).from(sources).where(eq(sources.id, id)).for("update");
      const done = await tx
        .delete(sources)
        .where(and(eq(sources.id, id), forgotten(days)))
        .returning({ id: sources.id });
      gone += done.length;
    });
  return gone;
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
    if (named.used) throw new ApiError(409, "in-use", "A clip uses this recording, or parts of it are kept. Nothing was changed.");
    // A recording that other projects share stays as long as they have it.
    const [other] = await tx.select({ id: sharedSources.projectId }).from(sharedSources).where(eq(sharedSources.sourceId, id)).limit(1);
    if (other) named.history = true;
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
    await announceSource(tx, id, { type: "source", sourceId: id, status: "queued", progress: 0 });
  });
  return getSource(id);
}

/** An upload from which nothing has come for so long has ended, whoever received it. */
const SILENT_SECONDS = 30;
/** One that comes in parts may go on within a day. */
const PAUSED_SECONDS = 86_400;

/** Whether a print, or what takes in a recording made here, writes it itself and is looked after as a job, in SQL about `sources`. */
export const madeByJob = sql`(exists (select 1 from prints p where p.status in ('queued', 'rendering') and p.source_ids ? sources.id)
  or exists (select 1 from recordings r where r.status in ('queued', 'rendering') and position(sources.id in r.tracks::text) > 0))`;

/** Takes away what is left of uploads whose server died in the midst. */
export async function dropBrokenUploads(): Promise<void> {
  const gone = await db()
    .delete(sources)
    .where(
      and(
        eq(sources.status, "receiving"),
        sql`${sources.aliveAt} < now() - make_interval(secs => case when ${sources.expected} is null then ${SILENT_SECONDS}::float8 else ${PAUSED_SECONDS}::float8 end)`,
        sql`not ${madeByJob}`,
      ),
    )
    .returning({ id: sources.id, projectId: sources.projectId });
  for (const { id, projectId } of gone) await announce(db(), { type: "source", projectId, sourceId: id, status: "removed", progress: 0 });
}
