import type { Readable } from "node:stream";
import { crc32 } from "node:zlib";
import { formatOf } from "@wet-thread/core/media/formats";
import { MediaError } from "@wet-thread/core/media/source";
import { documentFrom } from "@wet-thread/core/model/document";
import { problems } from "@wet-thread/core/model/invariants";
import { keptModes } from "@wet-thread/core/model/modes";
import { nameOf, type SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import { eq, sql } from "drizzle-orm";
import yauzl from "yauzl";
import { z } from "zod";
import { db } from "../db/client";
import { projects, sources, steps, versions } from "../db/schema";
import { ApiError } from "../http/errors";
import { enqueue } from "../jobs/queue";
import { layEntities } from "../pieces/entities";
import { getProject } from "../pieces/projects";
import { newId } from "../process/ids";
import { registerMade } from "../recorded/made";
import { mostBytes } from "../recorded/sources";
import { sourceWriter, storedBytes } from "../recorded/store";
import { ARCHIVE_VERSION, MANIFEST, Manifest, StepLine } from "./format";

/** Bytes that a version's content, or the manifest, may have once it is unpacked. */
const MOST_TEXT = 256 << 20;
/** Bytes of one step. */
const MOST_LINE = 64 << 20;
/** Entries of a zip: one of millions is made to keep its reader busy. */
const MOST_ENTRIES = 200_000;

/** An entry that can't be read, and why. */
class BrokenEntry extends Error {
  constructor(
    readonly entry: string,
    readonly why: string,
  ) {
    super(`${entry}: ${why}`);
  }
}

class Zip {
  private constructor(
    private readonly file: yauzl.ZipFile,
    readonly entries: ReadonlyMap<string, yauzl.Entry>,
  ) {}

  /** Reads the list of what is in a zip. Throws ApiError 422 in words. Names are only compared, never used as paths. */
  static async open(name: string): Promise<Zip> {
    const refused = (why: string) =>
      new ApiError(422, "broken-archive", `This is no project archive that can be read: ${why}. Nothing was changed.`, {
        path: "body",
        kept: "Nothing was changed.",
      });
    return new Promise((resolve, reject) => {
      yauzl.open(name, { lazyEntries: true, autoClose: false, strictFileNames: false, decodeStrings: true }, (error, file) => {
        if (error) return reject(refused(error.message));
        const entries = new Map<string, yauzl.Entry>();
        const stop = (why: string): void => {
          file.close();
          reject(refused(why));
        };
        file.on("error", (wrong: Error) => stop(wrong.message));
        file.on("end", () => resolve(new Zip(file, entries)));
        file.on("entry", (entry: yauzl.Entry) => {
          if (entries.size >= MOST_ENTRIES) return stop(`it has more than ${MOST_ENTRIES} files`);
          entries.set(entry.fileName, entry);
          file.readEntry();
        });
        file.readEntry();
      });
    });
  }

  close(): void {
    this.file.close();
  }

  /** The bytes of an entry, unpacked, held against its checksum at the end. Throws BrokenEntry. */
  async *bytes(name: string, most: number): AsyncGenerator<Buffer> {
    const entry = this.entries.get(name);
    if (!entry) throw new BrokenEntry(name, "is missing");
    if (entry.uncompressedSize > most) throw new BrokenEntry(name, `has ${entry.uncompressedSize} bytes; up to ${most} are taken in`);
    let [crc, size] = [0, 0];
    try {
      const stream = await new Promise<Readable>((resolve, reject) =>
        this.file.openReadStream(entry, (error, s) => (error ? reject(error) : resolve(s))),
      );
      for await (const piece of stream as AsyncIterable<Buffer>) {
        size += piece.length;
        if (size > most) throw new Error(`has more than ${most} bytes`);
        crc = crc32(piece, crc);
        yield piece;
      }
    } catch (error) {
      if (error instanceof ApiError) throw error;
      throw new BrokenEntry(name, (error as Error).message);
    }
    if (crc >>> 0 !== entry.crc32 >>> 0) throw new BrokenEntry(name, "its checksum is wrong");
  }

  async text(name: string): Promise<string> {
    const parts: Buffer[] = [];
    for await (const part of this.bytes(name, MOST_TEXT)) parts.push(part);
    return Buffer.concat(parts).toString("utf8");
  }
}

/** JSON with ids of recordings replaced wherever they stand as a whole text. Throws SyntaxError. */
const parsed = (json: string, ids: ReadonlyMap<string, string>): unknown =>
  JSON.parse(json, (_, value) => (typeof value === "string" ? (ids.get(value) ?? value) : value));

const LINE_END = 10;

/** The lines of a text that comes in pieces, none of them longer than may be. Throws BrokenEntry. */
async function* linesOf(name: string, pieces: AsyncIterable<Buffer>): AsyncGenerator<string> {
  let [held, size]: [Buffer[], number] = [[], 0];
  const line = (last: Buffer): string => {
    const text = Buffer.concat([...held, last]).toString("utf8");
    [held, size] = [[], 0];
    return text;
  };
  for await (const piece of pieces) {
    let from = 0;
    for (let end = piece.indexOf(LINE_END); end >= 0; end = piece.indexOf(LINE_END, from)) {
      yield line(piece.subarray(from, end));
      from = end + 1;
    }
    held.push(piece.subarray(from));
    size += piece.length - from;
    if (size > MOST_LINE) throw new BrokenEntry(name, "a step is longer than any that can be made");
  }
  if (size > 0) yield line(Buffer.alloc(0));
}

interface Content {
  readonly about: Manifest["versions"][number];
  readonly data: VersionData;
}

async function manifestOf(zip: Zip): Promise<Manifest> {
  let value: unknown;
  const refused = (why: string) =>
    new ApiError(422, "broken-archive", `This archive can't be read: ${why} Nothing was changed.`, { path: "body", kept: "Nothing was changed." });
  try {
    value = JSON.parse(await zip.text(MANIFEST));
  } catch (error) {
    throw refused(error instanceof BrokenEntry ? `${error.message}.` : `${MANIFEST} is no whole JSON.`);
  }
  const later = z.object({ formatVersion: z.int() }).safeParse(value);
  if (later.success && later.data.formatVersion > ARCHIVE_VERSION)
    throw refused(`it was written by a later release (format ${later.data.formatVersion}; up to ${ARCHIVE_VERSION} is read here).`);
  const read = Manifest.safeParse(value);
  if (!read.success) throw refused(`${MANIFEST}: ${read.error.issues[0].path.join(".")}: ${read.error.issues[0].message}.`);
  return read.data;
}

/** Reads a version's content, with recordings under their new ids. Throws BrokenEntry. */
async function contentOf(zip: Zip, about: Manifest["versions"][number], ids: ReadonlyMap<string, string>): Promise<Content> {
  const text = await zip.text(about.file);
  try {
    const data = VersionData.parse(parsed(text, ids));
    return { about, data };
  } catch (error) {
    const why = error instanceof z.ZodError ? `${error.issues[0].path.join(".")}: ${error.issues[0].message}` : "it is no whole JSON";
    throw new BrokenEntry(about.file, why);
  }
}

/** Writes a version's steps. Throws BrokenEntry. */
async function layHistory(zip: Zip, name: string, versionId: string, ids: ReadonlyMap<string, string>): Promise<number> {
  let last = 0;
  let waiting: (typeof steps.$inferInsert)[] = [];
  const flush = async (): Promise<void> => {
    if (waiting.length > 0) await db().insert(steps).values(waiting);
    waiting = [];
  };
  for await (const line of linesOf(name, zip.bytes(name, mostBytes()))) {
    let step: z.infer<typeof StepLine>;
    try {
      step = StepLine.parse(parsed(line, ids));
    } catch {
      throw new BrokenEntry(name, `step ${last + 1} can't be read`);
    }
    if (step.revision !== last + 1) throw new BrokenEntry(name, `step ${last + 1} is missing`);
    last = step.revision;
    waiting.push({
      ...step,
      versionId,
      createdAt: new Date(step.createdAt),
      edits: step.edits as never,
      changes: step.changes as never,
      summary: step.summary as never,
    });
    if (waiting.length === 100) await flush();
  }
  await flush();
  return last;
}

/**
 * Makes a project of an archive. One that is damaged is refused with the names of what is broken, or with `partial` read as far as it is
 * whole; of what could not be read `left` tells. Recordings are read by jobs afterwards. Called off by whoever sent it, nothing of it stays.
 * Throws ApiError.
 */
export async function readArchive({ file, partial }: { file: string; partial: boolean }, called: () => boolean = () => false) {
  const going = (): void => {
    if (called()) throw new ApiError(400, "called-off", "Reading the archive was called off. Nothing was changed.");
  };
  const projectId = newId();
  let zip: Zip | null = null;
  let made = false;
  try {
    zip = await Zip.open(file);
    const manifest = await manifestOf(zip);
    const broken: BrokenEntry[] = [];
    /** Notes what is broken; without `partial` all of it is looked for before anything is made. */
    const attempt = async <T>(work: () => Promise<T>): Promise<T | null> => {
      try {
        return await work();
      } catch (error) {
        if (!(error instanceof BrokenEntry)) throw error;
        broken.push(error);
        return null;
      }
    };
    const ids = new Map(manifest.recordings.map((r) => [r.id, newId()]));
    const contents: Content[] = [];
    for (const about of manifest.versions) {
      going();
      const content = await attempt(() => contentOf(zip as Zip, about, ids));
      if (content) contents.push(content);
    }
    if (contents.length === 0) throw refusedFor(broken);
    if (broken.length > 0 && !partial) throw refusedFor(broken);
    await db()
      .insert(projects)
      .values({ id: projectId, name: nameOf(manifest.project.name) || "Project", sampleRate: manifest.project.sampleRate, removedAt: sql`now()` });
    made = true;
    const there = new Map<string, SourceInfo>();
    for (const recording of manifest.recordings) {
      going();
      const id = ids.get(recording.id) as string;
      const info = await attempt(() => layRecording(zip as Zip, projectId, id, recording, manifest.project.sampleRate));
      if (info) there.set(id, info);
      if (broken.length > 0 && !partial) throw refusedFor(broken);
    }
    for (const [place, { about, data }] of contents.entries()) {
      going();
      const versionId = newId();
      // Clips of recordings that could not be read would be heard as silence: they stay out, and are told.
      const clips = data.clips.filter((c) => there.has(c.sourceId));
      if (clips.length < data.clips.length)
        broken.push(new BrokenEntry(about.file, `${data.clips.length - clips.length} clips of recordings that are not there`));
      const kept = new Set(clips.map((c) => c.id));
      const bundles = data.bundles.map((b) => ({
        ...b,
        ...(b.takes && { takes: b.takes.map((lane) => ({ ...lane, clips: lane.clips.filter((c) => there.has(c.sourceId)) })) }),
      }));
      const whole = { ...data, bundles, clips: clips.map((c) => (c.blend && !kept.has(c.blend.with) ? { ...c, blend: null } : c)) };
      const [wrong] = problems(documentFrom(whole, there));
      if (wrong) throw refusedFor([new BrokenEntry(about.file, wrong)]);
      await db()
        .insert(versions)
        .values({
          id: versionId,
          projectId,
          name: nameOf(about.name) || "Version",
          description: about.description,
          place,
          revision: 0,
          modes: about.modes && keptModes(about.modes),
        });
      await layEntities(db(), versionId, whole);
      // What recipes make is made when somebody asks for it: by then its recording has been read.
      for (const clip of clips) await registerMade(db(), clip, there.get(clip.sourceId)?.length ?? 0);
      const history = about.history;
      if (!history || clips.length < data.clips.length) continue;
      const last = await attempt(() => layHistory(zip as Zip, history, versionId, ids));
      if (last === null) {
        if (!partial) throw refusedFor(broken);
        await db().delete(steps).where(eq(steps.versionId, versionId));
      } else await db().update(versions).set({ revision: last }).where(eq(versions.id, versionId));
    }
    going();
    await db().update(projects).set({ removedAt: null }).where(eq(projects.id, projectId));
    return { ...(await getProject(projectId)), left: broken.map((b) => b.message) };
  } catch (error) {
    if (made) await db().delete(projects).where(eq(projects.id, projectId));
    throw error;
  } finally {
    zip?.close();
  }
}

const refusedFor = (broken: readonly BrokenEntry[]): ApiError =>
  new ApiError(
    422,
    "broken-archive",
    `This archive is damaged: ${broken
      .slice(0, 5)
      .map((b) => b.message)
      .join("; ")}. Nothing was changed; what is whole can be read all the same.`,
    {
      path: "body",
      kept: "Nothing was changed.",
      entries: broken.map((b) => ({ name: b.entry, reason: b.why })),
      partial: true,
    },
  );

/** Writes one recording's bytes, and has it read. Throws BrokenEntry. */
async function layRecording(
  zip: Zip,
  projectId: string,
  id: string,
  recording: Manifest["recordings"][number],
  sampleRate: number,
): Promise<SourceInfo> {
  await db()
    .insert(sources)
    .values({
      id,
      projectId,
      name: nameOf(recording.name) || "Recording",
      status: "receiving",
      sampleRate,
      kept: recording.kept,
      parts: recording.parts,
      ...(recording.removed && { removedAt: sql`now()` }),
    });
  const writer = sourceWriter(id);
  try {
    for await (const piece of zip.bytes(recording.file, mostBytes())) await writer.write(piece);
    await writer.finish();
    if (writer.size !== recording.bytes) throw new BrokenEntry(recording.file, `has ${writer.size} bytes, not ${recording.bytes}`);
    const file = storedBytes(id, writer.size);
    const format = await formatOf(file);
    const info = await format.open(file);
    await db().transaction(async (tx) => {
      await tx
        .update(sources)
        .set({
          status: "queued",
          bytes: writer.size,
          channels: info.channels,
          originalRate: info.sampleRate,
          format: format.name,
          ending: format.endings[0],
        })
        .where(eq(sources.id, id));
      await enqueue(tx, "import", { sourceId: id });
    });
    return { id, name: recording.name, length: recording.length, channels: info.channels };
  } catch (error) {
    await writer.abort();
    await db().delete(sources).where(eq(sources.id, id));
    if (error instanceof MediaError) throw new BrokenEntry(recording.file, error.message);
    throw error;
  }
}
