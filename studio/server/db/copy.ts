import type { PoolClient } from "pg";
import { type CopyStreamQuery, from as copyFrom, to as copyTo } from "pg-copy-streams";
import type { Turns } from "../process/turns";
import { pool } from "./client";

// Long runs of bytes go in and out of the database by its binary COPY: many times faster than row by row, where each byte becomes two
// letters. The format: a head of 19 bytes, then rows of (count of fields, then for each its length and bytes), then −1.

const HEAD = Buffer.concat([Buffer.from("PGCOPY\n\xff\r\n\0", "latin1"), Buffer.alloc(8)]);
/** In place of a length: there is no value. */
const NULL = Buffer.from([255, 255, 255, 255]);
/** Pieces of this many bytes go out by themselves. */
const LARGE = 128 << 10;
type Field = string | number | Uint8Array | null;
/** Bytes that may wait on their way to the database: enough that it never runs dry, little enough for memory. */
const MOST_WAITING = 4 << 20;

/** An id as part of a statement: COPY takes no parameters. Throws RangeError for anything but our own kind of ids. */
export function quoted(id: string): string {
  if (!/^[\w~-]{1,120}$/.test(id)) throw new RangeError(`"${id}" is no id.`);
  return `'${id}'`;
}

/** Whole numbers as a list of a statement. Throws RangeError for anything else. */
export function numbers(list: Iterable<number>): string {
  const all = [...list];
  if (!all.every(Number.isSafeInteger)) throw new RangeError("These are no whole numbers.");
  return all.join(",");
}

/** Takes rows apart as their bytes come, in pieces of any size. Fields are buffers of their own, so that they can be seen as floats. */
export class RowParser {
  private head = HEAD.length;
  private readonly small = Buffer.alloc(4);
  private smallHeld = 0;
  private fieldsLeft = 0;
  private field: Buffer | null = null;
  private fieldHeld = 0;
  private row: Buffer[] = [];
  private ended = false;

  /** Returns the rows that are complete now. */
  push(bytes: Buffer): Buffer[][] {
    const rows: Buffer[][] = [];
    let at = 0;
    const skipped = Math.min(this.head, bytes.length);
    this.head -= skipped;
    at += skipped;
    while (at < bytes.length && !this.ended) {
      if (this.field) {
        const n = Math.min(this.field.length - this.fieldHeld, bytes.length - at);
        bytes.copy(this.field, this.fieldHeld, at, at + n);
        this.fieldHeld += n;
        at += n;
        if (this.fieldHeld === this.field.length) this.endField(rows);
        continue;
      }
      const wanted = this.fieldsLeft === 0 ? 2 : 4;
      const n = Math.min(wanted - this.smallHeld, bytes.length - at);
      bytes.copy(this.small, this.smallHeld, at, at + n);
      this.smallHeld += n;
      at += n;
      if (this.smallHeld < wanted) break;
      this.smallHeld = 0;
      if (wanted === 2) {
        this.fieldsLeft = this.small.readInt16BE(0);
        this.ended = this.fieldsLeft < 0;
      } else {
        this.field = Buffer.allocUnsafeSlow(Math.max(0, this.small.readInt32BE(0)));
        this.fieldHeld = 0;
        if (this.field.length === 0) this.endField(rows);
      }
    }
    return rows;
  }

  private endField(rows: Buffer[][]): void {
    this.row.push(this.field as Buffer);
    this.field = null;
    if (--this.fieldsLeft > 0) return;
    rows.push(this.row);
    this.row = [];
  }
}

/**
 * The rows of a select, as the bytes of their fields (whole numbers big-endian; nulls are empty). The select is ours alone: see `quoted`. A
 * connection is held until the last has been taken: for those who take them without waiting for anybody.
 */
export async function* copyOut(select: string): AsyncGenerator<Buffer[]> {
  const client = await pool().connect();
  let whole = false;
  try {
    const parser = new RowParser();
    for await (const bytes of client.query(copyTo(`copy (${select}) to stdout binary`))) yield* parser.push(bytes as Buffer);
    whole = true;
  } finally {
    // A connection that is left in the middle of an answer is of no more use.
    client.release(!whole);
  }
}

/** The rows of a select as `copyOut` gives them, all of them: nobody's taking his time with them holds a connection. */
export async function copiedOut(select: string): Promise<Buffer[][]> {
  const rows: Buffer[][] = [];
  for await (const row of copyOut(select)) rows.push(row);
  return rows;
}

/** Rows on their way into a table. They are there all at once, when `end` has resolved, or not at all. */
export class CopyIn {
  private failed: Error | null = null;
  /** Bytes that the database has not taken yet, and who waits for there to be fewer. */
  private waiting = 0;
  private wake: (() => void) | null = null;

  private constructor(
    private readonly client: PoolClient,
    private readonly stream: CopyStreamQuery,
  ) {
    stream.on("error", (error) => {
      this.failed = error;
      this.wake?.();
    });
    this.write(HEAD);
  }

  /** Begins rows for some columns of a table. */
  static async begin(table: string, columns: readonly string[]): Promise<CopyIn> {
    const client = await pool().connect();
    try {
      // Nobody waits for the disk here: the step that makes these rows count, which comes after them, does, and for all before it.
      await client.query("begin; set local synchronous_commit to off");
    } catch (error) {
      client.release(true);
      throw error;
    }
    return new CopyIn(client, client.query(copyFrom(`copy ${table} (${columns.join(", ")}) from stdin binary`)));
  }

  /** Small pieces are put together first: each write is a call into the system and a packet of its own. */
  private small: Uint8Array[] = [];
  private smallBytes = 0;

  private write(bytes: Uint8Array): void {
    const large = bytes.length >= LARGE;
    if (!large) {
      this.small.push(bytes);
      this.smallBytes += bytes.length;
    }
    if (large || this.smallBytes >= LARGE) this.flush();
    if (large) this.send(bytes);
  }

  private flush(): void {
    if (this.smallBytes > 0) this.send(Buffer.concat(this.small, this.smallBytes));
    this.small = [];
    this.smallBytes = 0;
  }

  private send(bytes: Uint8Array): void {
    this.waiting += bytes.length;
    this.stream.write(bytes, () => {
      this.waiting -= bytes.length;
      // Not when all is gone, but while there is still something to do for the database.
      if (this.waiting < MOST_WAITING / 2) this.wake?.();
    });
  }

  /** One row; texts, 32-bit integers, bytes and nulls. The bytes must not change until the row is in. Waits while too much is on its way. */
  async row(...fields: readonly Field[]): Promise<void> {
    const head = Buffer.alloc(2);
    head.writeInt16BE(fields.length, 0);
    this.write(head);
    for (const field of fields) {
      if (field === null) {
        this.write(NULL);
        continue;
      }
      const bytes = typeof field === "number" ? Buffer.alloc(4) : typeof field === "string" ? Buffer.from(field) : field;
      if (typeof field === "number") (bytes as Buffer).writeInt32BE(field, 0);
      const length = Buffer.alloc(4);
      length.writeInt32BE(bytes.length, 0);
      this.write(length);
      this.write(bytes);
    }
    while (!this.failed && this.waiting > MOST_WAITING) {
      await new Promise<void>((resolve) => {
        this.wake = resolve;
      });
      this.wake = null;
    }
    if (this.failed) throw this.fail();
  }

  private released = false;
  private release(broken: boolean): void {
    if (!this.released) this.client.release(broken);
    this.released = true;
  }

  private fail(): Error {
    this.release(true);
    return this.failed ?? new Error("The database took no more.");
  }

  async end(): Promise<void> {
    if (this.failed) throw this.fail();
    const closing = Buffer.alloc(2);
    closing.writeInt16BE(-1, 0);
    this.flush();
    await new Promise<void>((resolve, reject) => {
      this.stream.once("error", reject);
      this.stream.once("finish", resolve);
      this.stream.end(closing);
    }).catch(() => {
      throw this.fail();
    });
    try {
      await this.client.query("commit");
    } catch (error) {
      this.failed = error as Error;
      throw this.fail();
    }
    this.release(false);
  }

  /** Lets go of everything that was written. */
  abort(): void {
    this.stream.destroy();
    this.release(true);
  }
}

/** A batch that is open for longer than this, in ms, is ended: it holds locks, and a connection. */
const MOST_OPEN_MS = 400;

/** Rows that go in some at a time: each batch is there for good, and its locks are let go, before the next begins. */
export class Batches {
  private now: CopyIn | null = null;
  private ending: Promise<void> = Promise.resolve();
  private count = 0;
  private began = 0;
  private idle: ReturnType<typeof setTimeout> | undefined;
  /** Rows and ends come one after the other, also where a batch is ended for having waited too long. */
  private turn: Promise<void> = Promise.resolve();

  constructor(
    private readonly table: string,
    private readonly columns: readonly string[],
    private readonly size: number,
    /** Whoever has no turn waits with the next batch. */
    private readonly turns: Turns | null = null,
  ) {}

  /** Gives back the turn of the batch that is open. */
  private turnDone: (() => void) | null = null;

  /** What went wrong while nobody waited: told to whoever comes next. */
  private broken: unknown = null;

  private inTurn(work: () => Promise<void>): Promise<void> {
    const done = this.turn.then(() => {
      if (this.broken) throw this.broken;
      return work();
    });
    this.turn = done.catch((error) => {
      this.broken ??= error;
    });
    return done;
  }

  row(...fields: readonly Field[]): Promise<void> {
    clearTimeout(this.idle);
    return this.inTurn(async () => {
      if (!this.now) {
        const done = (await this.turns?.take()) ?? null;
        this.turnDone = done;
        this.now = await CopyIn.begin(this.table, this.columns).catch((error) => {
          done?.();
          throw error;
        });
        this.began = Date.now();
        this.count = 0;
      }
      await this.now.row(...fields);
      if (++this.count >= this.size || Date.now() - this.began > MOST_OPEN_MS) await this.close();
      // A sender that stalls must not keep the batch open.
      else this.idle = setTimeout(() => void this.end().catch(() => {}), MOST_OPEN_MS);
    });
  }

  /** Lets a batch end while the next one begins; one at a time. */
  private async close(): Promise<void> {
    const { now, turnDone } = this;
    this.now = null;
    await this.ending;
    this.ending = (now?.end() ?? Promise.resolve()).finally(() => turnDone?.());
    // Its failure is met by whoever waits for it next.
    this.ending.catch(() => {});
  }

  /** Ends the last batch; every row is there for good then. */
  end(): Promise<void> {
    clearTimeout(this.idle);
    return this.inTurn(async () => {
      await this.close();
      await this.ending;
    });
  }

  /** Lets go of what is still on its way. */
  abort(): Promise<void> {
    clearTimeout(this.idle);
    this.turn = this.turn.then(async () => {
      this.now?.abort();
      this.now = null;
      this.turnDone?.();
      await this.ending.catch(() => {});
    });
    return this.turn;
  }
}
