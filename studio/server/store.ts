import { CHUNK, CHUNK_PEAKS, chunkPeaks, PEAK_FIELDS, PEAK_LEVELS, PEAK_OFFSETS } from "@wet-thread/core/analysis/peaks";
import { packSamples, unpackSamples, type Width } from "@wet-thread/core/media/packed";
import type { ByteSource } from "@wet-thread/core/media/source";
import { readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader, SourceSpan } from "@wet-thread/core/render/reader";
import { eq, sql } from "drizzle-orm";
import { db } from "./db/client";
import { Batches, copyOut, numbers, quoted } from "./db/copy";
import { sourcePcm } from "./db/schema";

/** Size of the pieces in which files lie in the database. */
export const PIECE = 1 << 20;

/** Pieces that go into the database in one batch. */
const BATCH = 32;

/** Writes a file's bytes as they come, in pieces of 1 MiB; memory holds a few pieces. */
export class PieceWriter {
  private buffer = Buffer.allocUnsafeSlow(PIECE);
  private held = 0;
  private index = 0;
  private readonly rows: Batches;
  size = 0;

  constructor(
    table: "source_bytes" | "export_bytes",
    private readonly key: string,
  ) {
    this.rows = new Batches(table, [table === "source_bytes" ? "source_id" : "export_id", "index", "data"], BATCH);
  }

  async write(bytes: Uint8Array): Promise<void> {
    for (let at = 0; at < bytes.length; ) {
      const n = Math.min(PIECE - this.held, bytes.length - at);
      this.buffer.set(bytes.subarray(at, at + n), this.held);
      this.held += n;
      at += n;
      if (this.held === PIECE) await this.flush();
    }
    this.size += bytes.length;
  }

  private async flush(): Promise<void> {
    if (this.held === 0) return;
    const piece = this.buffer.subarray(0, this.held);
    // The piece is on its way for a while: the next one gets a buffer of its own.
    this.buffer = Buffer.allocUnsafeSlow(PIECE);
    this.held = 0;
    await this.rows.row(this.key, this.index++, piece);
  }

  async finish(): Promise<void> {
    await this.flush();
    await this.rows.end();
  }

  /** Lets go of what is still on its way. */
  abort(): Promise<void> {
    return this.rows.abort();
  }
}

export const sourceWriter = (sourceId: string): PieceWriter => new PieceWriter("source_bytes", sourceId);
export const exportWriter = (exportId: string): PieceWriter => new PieceWriter("export_bytes", exportId);

async function* pieces(table: "source_bytes" | "export_bytes", key: string, from: number, to: number): AsyncGenerator<Uint8Array> {
  if (to <= from) return;
  const column = table === "source_bytes" ? "source_id" : "export_id";
  const [first, last] = [Math.floor(from / PIECE), Math.floor((to - 1) / PIECE)];
  let index = first;
  const select = `select data from ${table} where ${column} = ${quoted(key)} and index between ${numbers([first])} and ${numbers([last])} order by index`;
  for await (const [data] of copyOut(select)) {
    const start = index * PIECE;
    yield new Uint8Array(data.buffer, data.byteOffset, data.length).subarray(Math.max(0, from - start), Math.min(data.length, to - start));
    index++;
  }
  if (index <= last) throw new Error(`Piece ${index} of ${key} is missing.`);
}

export const readSource = (id: string, from: number, to: number): AsyncGenerator<Uint8Array> => pieces("source_bytes", id, from, to);
export const readExport = (id: string, from: number, to: number): AsyncGenerator<Uint8Array> => pieces("export_bytes", id, from, to);

/** Pieces of a file that stay at hand: those who read it go on where they stopped, which is in the middle of one. */
const PIECES_KEPT = 4;

/** A stored recording's original bytes as something that readers can look into; each piece is fetched once as long as reading goes on. */
export function storedBytes(sourceId: string, size: number): ByteSource {
  const kept = new Map<number, Uint8Array>();
  return {
    size,
    async read(offset, length) {
      const to = Math.min(size, offset + length);
      if (to <= offset) return new Uint8Array(0);
      const [first, last] = [Math.floor(offset / PIECE), Math.floor((to - 1) / PIECE)];
      let missing = first;
      while (missing <= last && kept.has(missing)) missing++;
      for await (const part of readSource(sourceId, missing * PIECE, Math.min(size, (last + 1) * PIECE))) kept.set(missing++, part);
      const out = new Uint8Array(to - offset);
      for (let i = first; i <= last; i++) {
        const piece = kept.get(i) as Uint8Array;
        const [from, end] = [Math.max(0, offset - i * PIECE), Math.min(piece.length, to - i * PIECE)];
        out.set(piece.subarray(from, end), i * PIECE + from - offset);
      }
      for (const old of kept.keys()) {
        if (kept.size <= PIECES_KEPT) break;
        kept.delete(old);
      }
      return out;
    },
  };
}

/** The floats of a row's samples. */
const unpacked = (width: Buffer, samples: Buffer): Float32Array =>
  unpackSamples(new Uint8Array(samples.buffer as ArrayBuffer, samples.byteOffset, samples.length), width.readInt32BE() as Width);

/** The samples of one chunk as floats, all channels one after the other. */
export async function readChunk(sourceId: string, index: number): Promise<Buffer> {
  const parts: Buffer[] = [];
  const select = `select width, samples from source_pcm where source_id = ${quoted(sourceId)} and index = ${numbers([index])} order by channel`;
  for await (const [width, samples] of copyOut(select)) parts.push(bytesOf(unpacked(width, samples)));
  return Buffer.concat(parts);
}

/** Entries in a tile of peaks, at every level but the coarsest of short recordings. */
export const TILE_ENTRIES = 1024;

/**
 * A tile of the pyramid: 1,024 entries of one level, for all channels one after the other, each entry min, max, RMS. A tile of level
 * l covers 1024 · PEAK_LEVELS[l] samples, so 4^l chunks.
 */
export async function readPeakTile(sourceId: string, level: number, tile: number, length: number): Promise<Buffer> {
  const perChunk = CHUNK / PEAK_LEVELS[level];
  const chunks = TILE_ENTRIES / perChunk;
  const [from, size] = [PEAK_OFFSETS[level] * 4, perChunk * PEAK_FIELDS * 4];
  const rows = (
    await db().execute<{ channel: number; part: Buffer }>(
      sql`select channel, substring(peaks from ${from + 1}::int for ${size}::int) as part from source_pcm
          where source_id = ${sourceId} and index >= ${tile * chunks} and index < ${(tile + 1) * chunks} order by channel, index`,
    )
  ).rows;
  // Entries past the recording's end are left away, so that every channel has the same number.
  const entries = Math.min(TILE_ENTRIES, Math.ceil((length - tile * TILE_ENTRIES * PEAK_LEVELS[level]) / PEAK_LEVELS[level]));
  const channels = new Map<number, Buffer[]>();
  for (const { channel, part } of rows) channels.set(channel, [...(channels.get(channel) ?? []), part]);
  return Buffer.concat([...channels.values()].map((parts) => Buffer.concat(parts).subarray(0, entries * PEAK_FIELDS * 4)));
}

/** Rows of samples that go into the database in one batch: some 16 MiB. */
const PCM_BATCH = 64;

/** Rows of a recording's samples on their way in. */
export const pcmRows = (): Batches => new Batches("source_pcm", ["source_id", "channel", "index", "width", "samples", "peaks"], PCM_BATCH);

/** One chunk of a channel, with its peaks; `width` is the fewest bytes that hold such samples. */
export function pcmRow(rows: Batches, sourceId: string, channel: number, index: number, samples: Float32Array, width: Width): Promise<void> {
  const bytes = width === 4 ? bytesOf(samples) : packSamples(samples, width);
  return rows.row(sourceId, channel, index, width, bytes, bytesOf(chunkPeaks(samples)));
}

export async function clearPcm(sourceId: string): Promise<void> {
  await db().delete(sourcePcm).where(eq(sourcePcm.sourceId, sourceId));
}

const bytesOf = (f: Float32Array): Buffer => Buffer.from(f.buffer, f.byteOffset, f.byteLength);

export { CHUNK_PEAKS };

/** Chunks held for rendering and measuring on the server: 64 MiB at most. */
const MOST_CHUNKS = 256;

/** Reads recordings from the database; what a render needs is fetched ahead with `prepare`. */
export class StoredReader implements PcmReader {
  private readonly chunks = new Map<string, Float32Array>();
  /** How many chunks the last call fetched. */
  private latest = 0;

  /** Fetches every chunk of some stretches. */
  async prepare(spans: readonly SourceSpan[]): Promise<void> {
    const wanted = new Map<string, Set<number>>();
    for (const { sourceId, from, to } of spans) {
      const set = wanted.get(sourceId) ?? new Set();
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) if (!this.touch(`${sourceId} 0 ${i}`)) set.add(i);
      if (set.size > 0) wanted.set(sourceId, set);
    }
    if (wanted.size === 0) return;
    const which = [...wanted].map(([sourceId, set]) => `(source_id = ${quoted(sourceId)} and index in (${numbers(set)}))`).join(" or ");
    let count = 0;
    for await (const [id, channel, index, width, samples] of copyOut(
      `select source_id, channel, index, width, samples from source_pcm where ${which}`,
    )) {
      const key = `${id.toString()} ${channel.readInt32BE()} ${index.readInt32BE()}`;
      this.chunks.set(key, unpacked(width, samples));
      count++;
    }
    // What this call fetched stays, and as much of what the call before did: one is read while the other comes.
    for (const key of this.chunks.keys()) {
      if (this.chunks.size <= Math.max(MOST_CHUNKS, count + this.latest)) break;
      this.chunks.delete(key);
    }
    this.latest = count;
  }

  private touch(key: string): boolean {
    const chunk = this.chunks.get(key);
    if (!chunk) return false;
    this.chunks.delete(key);
    this.chunks.set(key, chunk);
    return true;
  }

  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    return readChunked((index) => this.chunks.get(`${sourceId} ${channel} ${index}`), from, out, at, count);
  }
}
