import { CHUNK, CHUNK_PEAKS, PEAK_FIELDS, PEAK_LEVELS, PEAK_OFFSETS } from "@wet-thread/core/analysis/peaks";
import type { ByteSource } from "@wet-thread/core/media/source";
import { readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader, SourceSpan } from "@wet-thread/core/render/reader";
import { asc, eq, sql } from "drizzle-orm";
import { type Database, db } from "./db/client";
import { exportBytes, sourceBytes, sourcePcm } from "./db/schema";

/** Size of the pieces in which files lie in the database. */
export const PIECE = 1 << 20;

/** Writes a file's bytes as they come, in pieces of 1 MiB; memory holds one piece. */
export class PieceWriter {
  private buffer = Buffer.alloc(PIECE);
  private held = 0;
  private index = 0;
  size = 0;

  constructor(private readonly store: (index: number, data: Buffer) => Promise<unknown>) {}

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
    await this.store(this.index++, Buffer.from(this.buffer.subarray(0, this.held)));
    this.held = 0;
  }

  finish(): Promise<void> {
    return this.flush();
  }
}

export const sourceWriter = (sourceId: string): PieceWriter =>
  new PieceWriter((index, data) => db().insert(sourceBytes).values({ sourceId, index, data }));
export const exportWriter = (exportId: string): PieceWriter =>
  new PieceWriter((index, data) => db().insert(exportBytes).values({ exportId, index, data }));

async function* pieces(table: typeof sourceBytes | typeof exportBytes, key: string, from: number, to: number): AsyncGenerator<Uint8Array> {
  const column = table === sourceBytes ? sourceBytes.sourceId : exportBytes.exportId;
  for (let at = from; at < to; ) {
    const index = Math.floor(at / PIECE);
    const [row] = await db().select({ data: table.data }).from(table).where(sql`${column} = ${key} and ${table.index} = ${index}`);
    if (!row) throw new Error(`Piece ${index} of ${key} is missing.`);
    const part = row.data.subarray(at - index * PIECE, Math.min(row.data.length, to - index * PIECE));
    yield new Uint8Array(part.buffer, part.byteOffset, part.byteLength);
    at += part.length;
  }
}

export const readSource = (id: string, from: number, to: number): AsyncGenerator<Uint8Array> => pieces(sourceBytes, id, from, to);
export const readExport = (id: string, from: number, to: number): AsyncGenerator<Uint8Array> => pieces(exportBytes, id, from, to);

/** A stored recording's original bytes as something that readers can look into. */
export function storedBytes(sourceId: string, size: number): ByteSource {
  return {
    size,
    async read(offset, length) {
      const parts: Uint8Array[] = [];
      for await (const part of readSource(sourceId, offset, Math.min(size, offset + length))) parts.push(part);
      return parts.length === 1 ? parts[0] : new Uint8Array(Buffer.concat(parts));
    },
  };
}

/** The samples of one chunk, all channels one after the other. */
export async function readChunk(on: Database, sourceId: string, index: number): Promise<Buffer> {
  const rows = await on
    .select({ samples: sourcePcm.samples })
    .from(sourcePcm)
    .where(sql`${sourcePcm.sourceId} = ${sourceId} and ${sourcePcm.index} = ${index}`)
    .orderBy(asc(sourcePcm.channel));
  return Buffer.concat(rows.map((r) => r.samples));
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

export async function clearPcm(sourceId: string): Promise<void> {
  await db().delete(sourcePcm).where(eq(sourcePcm.sourceId, sourceId));
}

const floats = (b: Buffer): Float32Array => new Float32Array(b.buffer.slice(b.byteOffset, b.byteOffset + b.byteLength));
export const bytesOf = (f: Float32Array): Buffer => Buffer.from(f.buffer, f.byteOffset, f.byteLength);
export { CHUNK_PEAKS };

/** Chunks held for rendering and measuring on the server: 64 MiB at most. */
const MOST_CHUNKS = 256;

/** Reads recordings from the database; what a render needs is fetched ahead with `prepare`. */
export class StoredReader implements PcmReader {
  private readonly chunks = new Map<string, Float32Array>();

  /** Fetches every chunk of some stretches. */
  async prepare(spans: readonly SourceSpan[]): Promise<void> {
    const wanted = new Map<string, Set<number>>();
    for (const { sourceId, from, to } of spans) {
      const set = wanted.get(sourceId) ?? new Set();
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) if (!this.touch(`${sourceId} 0 ${i}`)) set.add(i);
      wanted.set(sourceId, set);
    }
    const missing = [...wanted].filter(([, set]) => set.size > 0);
    let count = 0;
    for (const [sourceId, set] of missing) {
      const rows = await db()
        .select({ channel: sourcePcm.channel, index: sourcePcm.index, samples: sourcePcm.samples })
        .from(sourcePcm)
        .where(sql`${sourcePcm.sourceId} = ${sourceId} and ${sourcePcm.index} = any(${sql.param([...set])}::int[])`);
      for (const row of rows) this.chunks.set(`${sourceId} ${row.channel} ${row.index}`, floats(row.samples));
      count += rows.length;
    }
    // What this very call fetched stays, however much it is.
    for (const key of this.chunks.keys()) {
      if (this.chunks.size <= Math.max(MOST_CHUNKS, count)) break;
      this.chunks.delete(key);
    }
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
