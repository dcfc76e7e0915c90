import { CHUNK, chunkPeaks, PEAK_FIELDS, PEAK_LEVELS, PEAK_OFFSETS } from "@wet-thread/core/analysis/peaks";
import { decodeFrames, type FileLayout } from "@wet-thread/core/media/pcm";
import { isMade, momentOf, ofPlayedId } from "@wet-thread/core/model/recipe/played-recording";
import { readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader, SourceSpan } from "@wet-thread/core/render/reader";
import { and, eq, inArray, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import { db } from "../db/client";
import { Batches, copyOut, numbers, quoted } from "../db/copy";
import { made, sourcePcm, sources } from "../db/schema";
import { ofProcess } from "../process/of-process";
import { type ByteSpan, readSpans } from "./store";

// Samples of recordings at the project's rate, in chunks of 65,536. Where they lie (in the file as it came, or in rows of their own when
// it had another rate) is known here alone.

const bytesOf = (f: Float32Array): Buffer => Buffer.from(f.buffer, f.byteOffset, f.byteLength);

/** Rows that go into the database in one batch: some 16 MiB. */
const BATCH = 64;

/** Peaks of a recording on their way in, and its samples where they are not those of its file. */
export class SampleRows {
  private readonly rows = new Batches("source_pcm", ["source_id", "channel", "index", "samples", "peaks"], BATCH);

  constructor(
    private readonly sourceId: string,
    readonly inFile: boolean,
  ) {}

  /** One chunk of a channel. Samples that are not in the file must not change until the row is in. */
  chunk(channel: number, index: number, samples: Float32Array): Promise<void> {
    return this.rows.row(this.sourceId, channel, index, this.inFile ? null : bytesOf(samples), bytesOf(chunkPeaks(samples)));
  }

  end(): Promise<void> {
    return this.rows.end();
  }

  /** Lets go of what is still on its way. */
  abort(): Promise<void> {
    return this.rows.abort();
  }
}

export async function clearSamples(sourceId: string): Promise<void> {
  await db().delete(sourcePcm).where(eq(sourcePcm.sourceId, sourceId));
}

/** Where the samples of a recording lie in its file; null where they lie in rows of their own. */
type Layouts = ReadonlyMap<string, FileLayout | null>;
/** Layouts of recordings that are ready: they never change any more. */
const known = ofProcess("layouts", () => new LRUCache<string, { readonly layout: FileLayout | null }>({ max: 10_000 }));

/** The layouts of some recordings; of those that are not ready none. They are the caller's: what others read meanwhile takes none of them away. */
async function layoutsOf(ids: Iterable<string>): Promise<Layouts> {
  const found = new Map<string, FileLayout | null>();
  const unknown: string[] = [];
  for (const id of ids) {
    if (isMade(id)) continue;
    const kept = known.get(id);
    if (kept) found.set(id, kept.layout);
    else unknown.push(id);
  }
  if (unknown.length === 0) return found;
  const rows = await db()
    .select({ id: sources.id, layout: sources.layout })
    .from(sources)
    .where(and(inArray(sources.id, unknown), eq(sources.status, "ready")));
  for (const { id, layout } of rows) {
    known.set(id, { layout });
    found.set(id, layout);
  }
  return found;
}

/** Chunks of recordings: which of each. */
export type Wanted = ReadonlyMap<string, ReadonlySet<number>>;

/** A chunk's channels, as many as the recording has. */
interface Chunk {
  readonly sourceId: string;
  readonly index: number;
  readonly channels: Float32Array[];
}

/** Gives room for so many samples. */
type Buffers = (count: number) => Float32Array;

async function chunksInFiles(wanted: Wanted, layouts: Layouts, buffers: Buffers): Promise<Chunk[]> {
  const places: { sourceId: string; index: number; layout: FileLayout; span: ByteSpan; frames: number }[] = [];
  for (const [sourceId, indexes] of wanted) {
    const layout = layouts.get(sourceId);
    if (!layout) continue;
    for (const index of indexes) {
      const frames = Math.min(CHUNK, layout.frames - index * CHUNK);
      const from = layout.dataOffset + index * CHUNK * layout.frameBytes;
      if (frames > 0) places.push({ sourceId, index, layout, frames, span: { sourceId, from, size: frames * layout.frameBytes } });
    }
  }
  const bytes = await readSpans(places.map((p) => p.span));
  return places.map(({ sourceId, index, layout, frames }, i) => {
    const channels = Array.from({ length: layout.channels }, () => buffers(frames));
    decodeFrames(bytes[i], layout, channels);
    return { sourceId, index, channels };
  });
}

/** Where chunks of what a recipe makes lie, and those of recordings. */
const rowsOf = (id: string): { table: string; column: string } =>
  isMade(id) ? { table: "made_pcm", column: "made_id" } : { table: "source_pcm", column: "source_id" };

async function chunksInRows(wanted: Wanted, layouts: Layouts): Promise<Chunk[]> {
  const [own, derived] = [[...wanted].filter(([id]) => !isMade(id) && layouts.get(id) === null), [...wanted].filter(([id]) => isMade(id))];
  return (await Promise.all([chunksInTable(own), chunksInTable(derived)])).flat();
}

async function chunksInTable(wanted: readonly (readonly [string, ReadonlySet<number>])[]): Promise<Chunk[]> {
  const found = new Map<string, Chunk>();
  if (wanted.length === 0) return [];
  const { table, column } = rowsOf(wanted[0][0]);
  const which = wanted.map(([id, set]) => `(${column} = ${quoted(id)} and index in (${numbers(set)}))`);
  const select = `select ${column}, channel, index, samples from ${table} where ${which.join(" or ")}`;
  for await (const [id, channel, place, samples] of copyOut(select)) {
    const [sourceId, index] = [id.toString(), place.readInt32BE()];
    const key = `${sourceId} ${index}`;
    const chunk = found.get(key) ?? { sourceId, index, channels: [] };
    found.set(key, chunk);
    chunk.channels[channel.readInt32BE()] = new Float32Array(samples.buffer as ArrayBuffer, 0, samples.length / 4);
  }
  return [...found.values()];
}

/** Fetches chunks of recordings as they came; of those that are not ready, and past a recording's end, nothing. */
async function chunksAsTheyCame(wanted: Wanted, buffers: Buffers): Promise<Chunk[]> {
  const layouts = await layoutsOf(wanted.keys());
  const both = await Promise.all([chunksInFiles(wanted, layouts, buffers), chunksInRows(wanted, layouts)]);
  return both.flat();
}

/** Samples [from, from + count) of all channels of a recording that is ready, as it is. */
export function readOwn(sourceId: string, channels: number): (from: number, count: number) => Promise<Float32Array[]> {
  return async (from, count) => {
    const indexes = new Set<number>();
    for (let i = Math.floor(from / CHUNK); i * CHUNK < from + count; i++) indexes.add(i);
    const chunks = new Map((await chunksAsTheyCame(new Map([[sourceId, indexes]]), (n) => new Float32Array(n))).map((c) => [c.index, c.channels]));
    return Array.from({ length: channels }, (_, c) => {
      const out = new Float32Array(count);
      if (!readChunked((index) => chunks.get(index)?.[c], from, out, 0, count)) throw new Error(`Samples of recording "${sourceId}" are missing.`);
      return out;
    });
  };
}

/** Lengths of recordings that are ready, and of what is made of them, in samples at the project's rate; they never change. */
const lengths = ofProcess("lengths", () => new LRUCache<string, number>({ max: 10_000 }));
export async function lengthOf(sourceId: string): Promise<number> {
  let length = lengths.get(sourceId);
  if (length === undefined) {
    const [row] = isMade(sourceId)
      ? await db().select({ length: made.length }).from(made).where(eq(made.id, sourceId))
      : await db()
          .select({ length: sources.length })
          .from(sources)
          .where(and(eq(sources.id, sourceId), eq(sources.status, "ready")));
    length = row?.length ?? 0;
    if (row) lengths.set(sourceId, length);
  }
  return length;
}

/** Chunks of recordings that are played backwards, put together from those of the recordings themselves. */
async function chunksBackwards(wanted: Wanted): Promise<Chunk[]> {
  const needed = new Map<string, Set<number>>();
  const asked: { id: string; sourceId: string; index: number; from: number; to: number }[] = [];
  for (const [id, indexes] of wanted) {
    const { forwards: sourceId } = ofPlayedId(id);
    const length = await lengthOf(sourceId);
    const set = needed.get(sourceId) ?? new Set<number>();
    needed.set(sourceId, set);
    for (const index of indexes) {
      const [from, to] = [Math.max(0, length - (index + 1) * CHUNK), length - index * CHUNK];
      if (to <= 0) continue;
      asked.push({ id, sourceId, index, from, to });
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) set.add(i);
    }
  }
  if (asked.length === 0) return [];
  const found = await chunksAsTheyCame(needed, (count) => new Float32Array(count));
  const byPlace = new Map(found.map((c) => [`${c.sourceId} ${c.index}`, c.channels]));
  return asked.flatMap(({ id, sourceId, index, from, to }) => {
    const first = byPlace.get(`${sourceId} ${Math.floor(from / CHUNK)}`);
    if (!first) return [];
    const channels = first.map((_, c) => {
      const out = new Float32Array(to - from);
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) {
        const [a, b] = [Math.max(from, i * CHUNK), Math.min(to, (i + 1) * CHUNK)];
        const part = byPlace.get(`${sourceId} ${i}`)?.[c].subarray(a - i * CHUNK, b - i * CHUNK);
        if (part) out.set(part, a - from);
      }
      return out.reverse();
    });
    return [{ sourceId: id, index, channels }];
  });
}

/** Which chunks are read, forwards, for some of what clips play. */
async function forwards(wanted: Wanted): Promise<Wanted> {
  const out = new Map<string, Set<number>>();
  for (const [id, indexes] of wanted) {
    const played = ofPlayedId(id);
    if (!isMade(played.forwards)) continue;
    const set = out.get(played.forwards) ?? new Set<number>();
    out.set(played.forwards, set);
    const length = await lengthOf(played.forwards);
    for (const index of indexes) {
      if (!played.reverse) set.add(index);
      else for (let i = Math.floor(Math.max(0, length - (index + 1) * CHUNK) / CHUNK); i * CHUNK < length - index * CHUNK; i++) set.add(i);
    }
  }
  return out;
}

/** Fetches chunks of recordings that are ready, or of what clips play of them; others, and chunks past the end, are left away. */
async function readChunks(wanted: Wanted, buffers: Buffers = (count) => new Float32Array(count)): Promise<Chunk[]> {
  const backwards = new Map([...wanted].filter(([id]) => ofPlayedId(id).reverse));
  if (backwards.size === 0) return chunksAsTheyCame(wanted, buffers);
  const plain = new Map([...wanted].filter(([id]) => !backwards.has(id)));
  return (await Promise.all([chunksAsTheyCame(plain, buffers), chunksBackwards(backwards)])).flat();
}

/** The samples of one chunk as floats, all channels one after the other; null when the recording has no such chunk. */
export async function readChunk(sourceId: string, index: number): Promise<Uint8Array<ArrayBuffer> | null> {
  const [chunk] = await readChunks(new Map([[sourceId, new Set([index])]]));
  if (!chunk) return null;
  const [first] = chunk.channels;
  const out = new Float32Array(first.length * chunk.channels.length);
  for (const [c, samples] of chunk.channels.entries()) out.set(samples, c * first.length);
  return new Uint8Array(out.buffer);
}

/** Entries in a tile of peaks, at every level but the coarsest of short recordings. */
export const TILE_ENTRIES = 1024;

/** A tile of peaks; `made` is false while what it shows is worked out from the recording, since what is made of it is not there yet. */
export interface PeakTile {
  readonly bytes: Buffer;
  readonly made: boolean;
}

/**
 * A tile of the pyramid: 1,024 entries of one level, for all channels one after the other, each entry min, max, RMS. A tile of level
 * l covers 1024 · PEAK_LEVELS[l] samples, so 4^l chunks.
 */
export async function readPeakTile(playedId: string, level: number, tile: number): Promise<PeakTile> {
  const { forwards: id, reverse } = ofPlayedId(playedId);
  const length = await lengthOf(id);
  const size = PEAK_LEVELS[level];
  const first = tile * TILE_ENTRIES;
  // Entries past the recording's end are left away, so that every channel has the same number.
  const end = Math.min(first + TILE_ENTRIES, Math.ceil(length / size));
  if (end <= first) return { bytes: Buffer.alloc(0), made: true };
  if (!reverse) {
    const { channels, made } = await readPeaks(id, level, first, end);
    return { bytes: Buffer.concat(channels.map(bytesOf)), made };
  }
  // Backwards an entry lies over two of the recording's own: it is as wide as both.
  const [from, to] = [Math.max(0, Math.floor((length - end * size) / size)), Math.floor((length - first * size - 1) / size) + 1];
  const { channels, made } = await readPeaks(id, level, from, to);
  const turned = channels.map((own) => {
    const out = new Float32Array((end - first) * PEAK_FIELDS);
    for (let e = first; e < end; e++) {
      const [a, b] = [Math.max(0, Math.floor((length - (e + 1) * size) / size)) - from, Math.floor((length - e * size - 1) / size) - from];
      widest(own, a, b + 1, out, (e - first) * PEAK_FIELDS);
    }
    return bytesOf(out);
  });
  return { bytes: Buffer.concat(turned), made };
}

/** Puts entries [from, to) of peaks together into one: as low, as high and as loud as they are. */
function widest(peaks: Float32Array, from: number, to: number, out: Float32Array, at: number): void {
  let [low, high, power] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, 0];
  for (let e = from; e < to; e++) {
    low = Math.min(low, peaks[e * PEAK_FIELDS]);
    high = Math.max(high, peaks[e * PEAK_FIELDS + 1]);
    power += peaks[e * PEAK_FIELDS + 2] ** 2;
  }
  out[at] = low;
  out[at + 1] = high;
  out[at + 2] = Math.sqrt(power / (to - from));
}

/** Entries [first, end) of one level of the pyramid of a recording, or of what is made of it, for each of its channels. */
async function readPeaks(id: string, level: number, first: number, end: number): Promise<{ channels: Float32Array[]; made: boolean }> {
  if (!isMade(id)) return { channels: await storedPeaks(id, level, first, end), made: true };
  const size = PEAK_LEVELS[level];
  const found = await storedPeaks(id, level, first, end);
  if (found.length > 0 && found.every((c) => c.length === (end - first) * PEAK_FIELDS)) return { channels: found, made: true };
  // Not all of it is there: what the recording shows at those moments.
  const [row] = await db().select().from(made).where(eq(made.id, id));
  if (!row) return { channels: [], made: false };
  const length = await lengthOf(row.sourceId);
  const backwards = momentOf(length, row.making, 1) < momentOf(length, row.making, 0);
  // Where what is made runs backwards through its recording, so do its entries: they are looked up from the far end.
  const own = (e: number): number => Math.max(0, Math.min(length, momentOf(length, row.making, (backwards ? first + end - e : e) * size)));
  const fine = Math.max(
    0,
    PEAK_LEVELS.findLastIndex((s) => s <= (own(end) - own(first)) / (end - first)),
  );
  const step = PEAK_LEVELS[fine];
  const [from, to] = [Math.floor(own(first) / step), Math.max(Math.floor(own(first) / step) + 1, Math.ceil(own(end) / step))];
  const channels = (await storedPeaks(row.sourceId, fine, from, Math.min(to, Math.ceil(length / step)))).map((peaks) => {
    const out = new Float32Array((end - first) * PEAK_FIELDS);
    const there = peaks.length / PEAK_FIELDS;
    for (let e = first; e < end; e++) {
      const a = Math.min(there - 1, Math.max(0, Math.floor(own(e) / step) - from));
      widest(peaks, a, Math.min(there, Math.max(a + 1, Math.ceil(own(e + 1) / step) - from)), out, (e - first) * PEAK_FIELDS);
    }
    return backwards ? mirroredEntries(out) : out;
  });
  return { channels, made: false };
}

/** Entries from the last to the first. */
function mirroredEntries(peaks: Float32Array): Float32Array {
  const out = new Float32Array(peaks.length);
  for (let e = 0; e < peaks.length / PEAK_FIELDS; e++)
    out.set(peaks.subarray(e * PEAK_FIELDS, (e + 1) * PEAK_FIELDS), peaks.length - (e + 1) * PEAK_FIELDS);
  return out;
}

/** Entries [first, end) of one level of a pyramid as they are kept, for each channel; fewer where some are not there. */
async function storedPeaks(sourceId: string, level: number, first: number, end: number): Promise<Float32Array[]> {
  const perChunk = CHUNK / PEAK_LEVELS[level];
  const [from, size] = [PEAK_OFFSETS[level] * 4, perChunk * PEAK_FIELDS * 4];
  const [low, high] = [Math.floor(first / perChunk), Math.floor((end - 1) / perChunk)];
  const { table, column } = rowsOf(sourceId);
  const rows = (
    await db().execute<{ channel: number; part: Buffer }>(
      sql`select channel, substring(peaks from ${from + 1}::int for ${size}::int) as part from ${sql.identifier(table)}
          where ${sql.identifier(column)} = ${sourceId} and index >= ${low} and index <= ${high} order by channel, index`,
    )
  ).rows;
  const channels = new Map<number, Buffer[]>();
  for (const { channel, part } of rows) channels.set(channel, [...(channels.get(channel) ?? []), part]);
  const skip = (first - low * perChunk) * PEAK_FIELDS;
  return [...channels.values()].map((parts) => {
    const bytes = Buffer.concat(parts);
    return new Float32Array(new Uint8Array(bytes).buffer).subarray(skip, skip + (end - first) * PEAK_FIELDS);
  });
}

/** The greatest magnitude, over all channels, of each 64 samples of a recording: blocks [from, to) of it, or of what clips play of it. */
export async function readLevels(sourceId: string, from: number, to: number): Promise<Float32Array> {
  const played = ofPlayedId(sourceId);
  if (played.reverse) return levelsBackwards(played.forwards, from, to);
  const perChunk = CHUNK / PEAK_LEVELS[0];
  const levels = new Float32Array(to - from);
  const [first, last] = numbers([Math.floor(from / perChunk), Math.floor((to - 1) / perChunk)]).split(",");
  const part = `substring(peaks from ${PEAK_OFFSETS[0] * 4 + 1} for ${perChunk * PEAK_FIELDS * 4})`;
  const { table, column } = rowsOf(sourceId);
  const select = `select index, ${part} from ${table} where ${column} = ${quoted(sourceId)} and index between ${first} and ${last}`;
  for await (const [index, peaks] of copyOut(select)) {
    const values = new Float32Array(peaks.buffer as ArrayBuffer, 0, peaks.length / 4);
    const at = index.readInt32BE() * perChunk - from;
    for (let i = Math.max(0, -at); i * PEAK_FIELDS < values.length && at + i < levels.length; i++)
      levels[at + i] = Math.max(levels[at + i], -values[i * PEAK_FIELDS], values[i * PEAK_FIELDS + 1]);
  }
  return levels;
}

/** Levels of a recording that is played backwards; each block lies over two of the recording's own, and is as loud as the louder. */
async function levelsBackwards(sourceId: string, from: number, to: number): Promise<Float32Array> {
  const [length, size] = [await lengthOf(sourceId), PEAK_LEVELS[0]];
  const block = (sample: number): number => Math.max(0, Math.floor(sample / size));
  const first = block(length - to * size);
  const own = await readLevels(sourceId, first, block(length - from * size - 1) + 1);
  return Float32Array.from({ length: to - from }, (_, i) => {
    const e = from + i;
    return Math.max(own[block(length - (e + 1) * size) - first] ?? 0, own[block(length - e * size - 1) - first] ?? 0);
  });
}

/** Chunks held for rendering and measuring on the server: 64 MiB at most of one channel. */
const MOST_CHUNKS = 256;

/** Reads recordings from the database; what a render needs is fetched ahead with `prepare`. */
export class StoredReader implements PcmReader {
  private readonly chunks = new Map<string, Float32Array[]>();
  /** How many chunks the last call fetched. */
  private latest = 0;
  /** Room of chunks that were let go: new room each time costs more than what is done in it. */
  private readonly spare: Float32Array[] = [];

  /** `first` has what is to be read made, where it is made of recordings. */
  constructor(private readonly first: (wanted: Wanted) => Promise<void>) {}

  /** Fetches every chunk of some stretches. */
  async prepare(spans: readonly SourceSpan[]): Promise<void> {
    const wanted = new Map<string, Set<number>>();
    for (const { sourceId, from, to } of spans) {
      const set = wanted.get(sourceId) ?? new Set();
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) if (!this.touch(`${sourceId} ${i}`)) set.add(i);
      if (set.size > 0) wanted.set(sourceId, set);
    }
    if (wanted.size === 0) return;
    await this.first(await forwards(wanted));
    const fetched = await readChunks(wanted, (count) => (count === CHUNK && this.spare.pop()) || new Float32Array(count));
    for (const { sourceId, index, channels } of fetched) this.chunks.set(`${sourceId} ${index}`, channels);
    // What this call fetched stays, and as much of what the call before did: one is read while the other comes.
    for (const [key, channels] of this.chunks) {
      if (this.chunks.size <= Math.max(MOST_CHUNKS, fetched.length + this.latest)) break;
      this.chunks.delete(key);
      this.spare.push(...channels.filter((c) => c.length === CHUNK));
    }
    this.spare.length = Math.min(this.spare.length, MOST_CHUNKS);
    this.latest = fetched.length;
  }

  private touch(key: string): boolean {
    const chunk = this.chunks.get(key);
    if (!chunk) return false;
    this.chunks.delete(key);
    this.chunks.set(key, chunk);
    return true;
  }

  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    return readChunked((index) => this.chunks.get(`${sourceId} ${index}`)?.[channel], from, out, at, count);
  }
}
