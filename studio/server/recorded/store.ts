import type { ByteSource } from "@wet-thread/core/media/source";
import { Batches, copiedOut, copyOut, numbers, quoted } from "../db/copy";
import { ofProcess } from "../process/of-process";
import { Turns } from "../process/turns";

/** Size of the pieces in which files lie in the database. */
export const PIECE = 1 << 20;

/** Pieces that go into the database in one batch. */
const BATCH = 32;

/** Few write at a time, so that many files at once leave the database to others too. A turn lasts for one batch: who stands still has none. */
const writing = ofProcess("writing", () => new Turns(3));

/** Writes a file's bytes as they come, in pieces of 1 MiB; memory holds a few pieces. */
export class PieceWriter {
  private buffer = Buffer.allocUnsafeSlow(PIECE);
  private held = 0;
  private readonly rows: Batches;
  size = 0;

  constructor(
    table: "source_bytes" | "export_bytes",
    private readonly key: string,
    /** Where its first piece goes. */
    private index = 0,
  ) {
    this.rows = new Batches(table, [table === "source_bytes" ? "source_id" : "export_id", "index", "data"], BATCH, writing);
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

export const sourceWriter = (sourceId: string, firstPiece = 0): PieceWriter => new PieceWriter("source_bytes", sourceId, firstPiece);
export const exportWriter = (exportId: string): PieceWriter => new PieceWriter("export_bytes", exportId);

/** Pieces that are fetched at once: whoever reads on takes his time, and holds this much memory, but no connection. */
const WINDOW = 4;

async function* pieces(table: "source_bytes" | "export_bytes", key: string, from: number, to: number): AsyncGenerator<Uint8Array> {
  if (to <= from) return;
  const column = table === "source_bytes" ? "source_id" : "export_id";
  const [first, last] = [Math.floor(from / PIECE), Math.floor((to - 1) / PIECE)];
  for (let index = first; index <= last; ) {
    const end = Math.min(last, index + WINDOW - 1);
    const rows = await copiedOut(
      `select data from ${table} where ${column} = ${quoted(key)} and index between ${numbers([index])} and ${numbers([end])} order by index`,
    );
    for (const [data] of rows) {
      const start = index * PIECE;
      yield new Uint8Array(data.buffer, data.byteOffset, data.length).subarray(Math.max(0, from - start), Math.min(data.length, to - start));
      index++;
    }
    if (index <= end) throw new Error(`Piece ${index} of ${key} is missing.`);
  }
}

export const readSource = (id: string, from: number, to: number): AsyncGenerator<Uint8Array> => pieces("source_bytes", id, from, to);
export const readExport = (id: string, from: number, to: number): AsyncGenerator<Uint8Array> => pieces("export_bytes", id, from, to);

/** Pieces of a file that stay at hand: those who read it go on where they stopped, which is in the middle of one. */
const PIECES_KEPT = 4;

/** Some bytes of a stored recording: at most 2^31 from `from` on. */
export interface ByteSpan {
  readonly sourceId: string;
  readonly from: number;
  readonly size: number;
}

/** Bytes of a recording that should be there are not. */
export class BytesMissing extends Error {
  constructor(
    readonly sourceId: string,
    message: string,
  ) {
    super(message);
  }
}

/** Fetches many stretches of stored recordings at once; the answer has one buffer for each, in their order. */
export async function readSpans(spans: readonly ByteSpan[]): Promise<Uint8Array<ArrayBuffer>[]> {
  const out: Uint8Array<ArrayBuffer>[] = [];
  const parts = spans.flatMap(({ sourceId, from, size }, span) => {
    const [first, last] = [Math.floor(from / PIECE), Math.floor((from + size - 1) / PIECE)];
    return Array.from({ length: last - first + 1 }, (_, i) => {
      const begin = Math.max(from, (first + i) * PIECE);
      const end = Math.min(from + size, (first + i + 1) * PIECE);
      return { span, sourceId, piece: first + i, begin, at: begin - from, count: end - begin };
    });
  });
  if (parts.length === 0) return out;
  const wanted = parts.map((p, n) => `(${numbers([n])}, ${quoted(p.sourceId)}, ${numbers([p.piece, p.begin - p.piece * PIECE + 1, p.count])})`);
  const select = `select w.n, substring(b.data from w.start for w.count) from (values ${wanted.join(",")}) as w (n, id, piece, start, count)
    join source_bytes b on b.source_id = w.id and b.index = w.piece`;
  const lacking = new Set(parts.keys());
  for await (const [n, bytes] of copyOut(select)) {
    const { span, at, count } = parts[n.readInt32BE()];
    if (bytes.length === count) lacking.delete(n.readInt32BE());
    const { size } = spans[span];
    // Most lie in one piece, and are handed on as they came.
    if (count === size) out[span] = new Uint8Array(bytes.buffer as ArrayBuffer, bytes.byteOffset, size);
    else {
      out[span] ??= new Uint8Array(size);
      out[span].set(bytes, at);
    }
  }
  const [first] = lacking;
  if (first !== undefined) throw new BytesMissing(parts[first].sourceId, `Of ${parts.length} stretches of recordings ${lacking.size} are missing.`);
  return out;
}

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
