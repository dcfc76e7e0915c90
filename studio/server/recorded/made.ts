import { CHUNK, chunkPeaks } from "@wet-thread/core/analysis/peaks";
import {
  bordersOf,
  heardFor,
  joinPieces,
  type MadePiece,
  type Material,
  makePiece,
  type Portion,
  piecesFor,
} from "@wet-thread/core/dsp/make-recording";
import { loadStretcher } from "@wet-thread/core/dsp/stretcher";
import { treat } from "@wet-thread/core/dsp/treat/treat";
import type { Change } from "@wet-thread/core/model/document";
import { isMade, type Making, madeId, madeLength, makingOf, ofPlayedId, playedId } from "@wet-thread/core/model/recipe/played-recording";
import { ringsOn, runInOf } from "@wet-thread/core/model/recipe/treatment";
import type { Clip, Recipe } from "@wet-thread/core/model/schema";
import { and, eq, inArray, sql } from "drizzle-orm";
import { type Database, db } from "../db/client";
import { made, madePcm, sources } from "../db/schema";
import { notFound } from "../http/errors";
import { enqueue } from "../jobs/queue";
import { KEPT_DAYS } from "../process/days";
import { ofProcess } from "../process/of-process";
import { readOwn, StoredReader, type Wanted } from "./samples";

// What recipes make of recordings. Rows say what is to be made; chunks of samples are made as clips need them, in pieces whose borders depend on
// the recording alone: whoever makes a chunk, it is the same.

const bytesOf = (f: Float32Array): Buffer => Buffer.from(f.buffer, f.byteOffset, f.byteLength);

/** Chunks that a job is asked for at most, so that others get their turn. */
const A_JOB = 64;

/** What a change asks to have made: a clip that plays what a recipe makes, or more of it than before. */
function askedBy(change: Change): { clip: Clip; making: Making } | null {
  if (change.kind !== "clip" || !change.after?.recipe) return null;
  const { before, after } = change;
  const making = makingOf(after.recipe);
  const same =
    before && before.sourceId === after.sourceId && before.recipe === after.recipe && before.offset === after.offset && before.length >= after.length;
  return making && !same ? { clip: after, making } : null;
}

export const asksToBeMade = (change: Change): boolean => askedBy(change) !== null;

/** Notes what clips that changed play, and has those parts of it made that are not there. In the caller's transaction. */
export async function wantMade(
  tx: Pick<Database, "execute" | "insert">,
  lengths: ReadonlyMap<string, { length: number }>,
  changes: readonly Change[],
): Promise<void> {
  const wanted = new Map<string, { clip: Clip; making: Making; spans: [number, number][] }>();
  for (const change of changes) {
    const asked = askedBy(change);
    if (!asked) continue;
    const { clip: after, making } = asked;
    const id = madeId(after);
    const one = wanted.get(id) ?? { ...asked, spans: [] };
    wanted.set(id, one);
    const whole = madeLength(lengths.get(after.sourceId)?.length ?? 0, making);
    const [from, to] = ofPlayedId(playedId(after)).reverse
      ? [whole - after.offset - after.length, whole - after.offset]
      : [after.offset, after.offset + after.length];
    one.spans.push([Math.floor(Math.max(0, from) / CHUNK), Math.ceil(to / CHUNK)]);
  }
  if (wanted.size === 0) return;
  for (const { clip } of wanted.values()) await registerMade(tx, clip, lengths.get(clip.sourceId)?.length ?? 0);
  for (const [id, { spans }] of wanted) for (const [from, to] of united(spans)) await ask(tx, id, from, to);
}

/** Notes what is to be made for a clip, so that it can be asked for by its id. `length` is its recording's. */
export async function registerMade(on: Pick<Database, "insert">, clip: Pick<Clip, "sourceId" | "recipe">, length: number): Promise<void> {
  const making = makingOf(clip.recipe);
  if (!making) return;
  await on
    .insert(made)
    .values({ id: madeId(clip), sourceId: clip.sourceId, making, length: madeLength(length, making) })
    .onConflictDoUpdate({ target: made.id, set: { usedAt: sql`now()` } });
}

/** Spans of chunks put together where they touch. */
function united(spans: readonly [number, number][]): [number, number][] {
  const out: [number, number][] = [];
  for (const [from, to] of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = out.at(-1);
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}

/** What was asked for lately: players ask for the same chunk again and again until it is there. */
const asked = ofProcess("made asked for", () => new Map<string, number>());
const AGAIN_MS = 20_000;
const AHEAD = 4;

const noteAsked = (id: string, from: number, to: number): void => {
  if (asked.size > 10_000) asked.clear();
  for (let i = from; i < to; i++) asked.set(`${id} ${i}`, Date.now());
};

async function ask(on: Pick<Database, "execute">, id: string, from: number, to: number): Promise<void> {
  noteAsked(id, from, to);
  for (let at = from; at < to; at += A_JOB) await enqueue(on, "make", { madeId: id, from: at, to: Math.min(to, at + A_JOB) });
}

/** Has a chunk of what a clip plays made, for which somebody waits; false where there is no such chunk. */
export async function askForChunk({ forwards: id, reverse }: ReturnType<typeof ofPlayedId>, index: number): Promise<boolean> {
  const { length } = await getMade(id);
  const first = reverse ? Math.floor(Math.max(0, length - (index + 1) * CHUNK) / CHUNK) : index;
  const count = Math.ceil(length / CHUNK);
  if (index < 0 || index >= count) return false;
  if (Date.now() - (asked.get(`${id} ${first}`) ?? Number.NEGATIVE_INFINITY) < AGAIN_MS) return true;
  // The next ones are wanted soon.
  await ask(db(), id, first, Math.min(count, first + AHEAD));
  return true;
}

export async function getMade(id: string) {
  const [row] = await db()
    .select()
    .from(made)
    .where(eq(made.id, ofPlayedId(id).forwards));
  if (!row) throw notFound("recording", id);
  return row;
}

/** Which of some chunks are not there. */
async function missing(id: string, indexes: readonly number[]): Promise<number[]> {
  if (indexes.length === 0) return [];
  const rows = await db()
    .select({ index: madePcm.index })
    .from(madePcm)
    .where(and(eq(madePcm.madeId, id), eq(madePcm.channel, 0), inArray(madePcm.index, [...indexes])));
  const there = new Set(rows.map((r) => r.index));
  return indexes.filter((i) => !there.has(i));
}

/** Whether all of some chunks are there. */
export const areMade = async (id: string, indexes: readonly number[]): Promise<boolean> => (await missing(id, indexes)).length === 0;

/** Called as chunks are made: how many of how many are there, and true when it is to end. */
type Told = (done: number, of: number) => Promise<boolean> | boolean;

/** The last work that was begun on what is made, by its id. */
const underWay = ofProcess("made under way", () => new Map<string, Promise<void>>());

/**
 * Makes those of some chunks that are not there. Chunks made by another meanwhile are the same, and stay. It takes its time: for processes that
 * have it. Of one recording one work goes on at a time, since edits and players ask for the same chunks: who comes second finds them made.
 */
export function makeChunks(id: string, indexes: readonly number[], told: Told = () => false): Promise<void> {
  const before = underWay.get(id) ?? Promise.resolve();
  const own = before.catch(() => {}).then(() => makeMissing(id, indexes, told));
  underWay.set(id, own);
  return own.finally(() => underWay.get(id) === own && underWay.delete(id));
}

async function makeMissing(id: string, indexes: readonly number[], told: Told): Promise<void> {
  const wanted = await missing(id, indexes);
  if (wanted.length === 0) return;
  const row = await getMade(id);
  const [source] = await db().select().from(sources).where(eq(sources.id, row.sourceId));
  if (source?.status !== "ready") throw new Error(`The recording of "${id}" is not ready.`);
  await loadStretcher();
  const material: Material = { length: source.length, channels: source.channels, sampleRate: source.sampleRate, hits: source.transients };
  const own = readOwn(source.id, source.channels);
  const read = (from: number, count: number) => own(from, Math.min(count, source.length - from));
  const borders = bordersOf(material, read);
  if (row.making.treat) return treatChunks(row, source, wanted, told);
  const left = new Set(wanted);
  const needed = { from: Math.min(...wanted) * CHUNK, to: (Math.max(...wanted) + 1) * CHUNK };
  const kept = new Set<number>();
  /** The last piece made: the next chunk mostly needs it too. */
  let latest: { piece: Portion; made: MadePiece } | undefined;
  for (const index of [...wanted].sort((a, b) => a - b)) {
    // The piece that made the chunk before may have made this one too.
    if (!left.has(index)) continue;
    const end = Math.min(row.length, (index + 1) * CHUNK);
    const pieces = await piecesFor(material, row.making, borders, index * CHUNK, end);
    let joined: MadePiece | undefined;
    for (const piece of pieces) {
      const { from, to } = heardFor(material, piece);
      const next =
        latest?.piece.from === piece.from ? latest.made : makePiece(material, row.making, piece, await read(from, to - from), from, needed);
      latest = { piece, made: next };
      joined = joined ? joinPieces([joined, next]) : next;
    }
    if (!joined) throw new Error(`Nothing makes chunk ${index} of "${id}".`);
    // Its ends lie over other pieces, but for those of the recording itself.
    const solid = { from: joined.at + joined.before, to: joined.at + joined.samples[0].length - joined.after };
    // Whatever the pieces hold is kept, asked for or not: it costs nothing more.
    for (let i = Math.ceil(solid.from / CHUNK); i * CHUNK < row.length; i++) {
      const [a, b] = [i * CHUNK, Math.min(row.length, (i + 1) * CHUNK)];
      if (b > solid.to) break;
      if (!kept.has(i)) await keep(id, i, joined, a, b);
      kept.add(i);
      left.delete(i);
    }
    if (left.has(index)) throw new Error(`Chunk ${index} of "${id}" was not made by its pieces.`);
    if (await told(wanted.length - left.size, wanted.length)) return;
  }
}

/** Blocks in which a treatment is worked out: whole chunks, some half a minute, wherever they are asked for the same. */
const TREATED = 20;
/** What look-ahead may hear beyond a block, in seconds. */
const AFTER_SECONDS = 0.2;

/** Treats chunks of what the rest of the recipe plays: each block from its run-in on; where something rings on, the window is all that is heard. */
async function treatChunks(
  row: Awaited<ReturnType<typeof getMade>>,
  source: typeof sources.$inferSelect,
  wanted: readonly number[],
  told: Told,
): Promise<void> {
  const { treat: treatment, reverse, ...time } = row.making;
  if (!treatment) return;
  const { chain, window } = treatment;
  const recipe: Recipe = { ...time, ...(reverse && { reverse }) };
  const inner = { sourceId: source.id, ...(Object.keys(recipe).length > 0 && { recipe }) };
  if (makingOf(inner.recipe)) await registerMade(db(), inner, source.length);
  const heard = ringsOn(chain) ? window : { from: 0, to: madeLength(source.length, inner.recipe) };
  const rate = source.sampleRate;
  const [before, after] = [Math.ceil(runInOf(chain) * rate), Math.ceil(AFTER_SECONDS * rate)];
  const reader = new StoredReader(madeFirst);
  let done = 0;
  for (const block of new Set(wanted.map((i) => Math.floor(i / TREATED)))) {
    const mine = wanted.filter((i) => Math.floor(i / TREATED) === block);
    const [from, to] = [block * TREATED * CHUNK, Math.min(row.length, (block + 1) * TREATED * CHUNK)];
    const begin = Math.max(0, from - before);
    const [a, b] = [Math.max(begin, heard.from), Math.min(to + after, heard.to, madeLength(source.length, inner.recipe))];
    const samples = Array.from({ length: source.channels }, () => new Float32Array(to + after - begin));
    if (b > a) {
      await reader.prepare([{ sourceId: playedId(inner), from: a, to: b }]);
      samples.forEach((x, c) => {
        if (!reader.read(playedId(inner), c, a, x, a - begin, b - a)) throw new Error(`Samples of "${playedId(inner)}" are missing.`);
      });
    }
    treat(samples, chain, rate, begin);
    for (const i of mine) await keep(row.id, i, { at: begin, before: 0, after: 0, samples }, i * CHUNK, Math.min(row.length, (i + 1) * CHUNK));
    done += mine.length;
    if (await told(done, wanted.length)) return;
  }
}

async function keep(id: string, index: number, { at, samples }: MadePiece, from: number, to: number): Promise<void> {
  const rows = samples.map((channel, c) => {
    const own = channel.slice(from - at, to - at);
    return { madeId: id, channel: c, index, samples: bytesOf(own), peaks: bytesOf(chunkPeaks(own)) };
  });
  await db().insert(madePcm).values(rows).onConflictDoNothing();
}

/** Chunks of what is made, made first where they are not there. */
export async function madeFirst(wanted: Wanted): Promise<void> {
  for (const [id, indexes] of wanted) if (isMade(id)) await makeChunks(id, [...indexes]);
}

/** Makes what lies in samples [from, to) of what a clip plays, where it is to be made. */
export async function makeSpan(playedId: string, from: number, to: number): Promise<void> {
  const { forwards, reverse } = ofPlayedId(playedId);
  if (!isMade(forwards)) return;
  const { length } = await getMade(forwards);
  const [a, b] = reverse ? [length - to, length - from] : [from, to];
  const indexes: number[] = [];
  for (let i = Math.floor(Math.max(0, a) / CHUNK); i * CHUNK < Math.min(b, length); i++) indexes.push(i);
  await makeChunks(forwards, indexes);
}

/** Lets go of samples that no clip has come to need for long; they are made again when one does. */
export async function purgeMade(days = KEPT_DAYS): Promise<void> {
  await db().execute(sql`delete from made_pcm p using made m where p.made_id = m.id and m.used_at < now() - make_interval(days => ${days})`);
}
