import type { Edit } from "@wet-thread/core/edit/registry";
import { newKey } from "@wet-thread/core/edit/registry";
import { ask, ServerError } from "@/state/sync/api";
import { restFor } from "@/state/sync/retry";

/** A recording as the server knows it while it comes in. */
export interface RecordingRow {
  readonly id: string;
  readonly status: "recording" | "queued" | "rendering" | "ready" | "failed" | "empty";
  readonly error: string | null;
  readonly frames: number;
  readonly tracks: readonly { readonly trackId: string; readonly sourceId: string; readonly name: string; readonly channels: number }[];
}

/** Bytes that are sent at a time at most, where the server was away and much waits. */
const MOST_BYTES = 4 << 20;
const FLOAT = 4;
/** Bytes that wait at most for a server that is away. */
const MOST_WAITING = 1 << 30;

/** What the sender tells as it goes. */
interface Hooks {
  begun(row: RecordingRow): void;
  /** Frames that the server has; why it takes nothing just now, in words. */
  kept(frames: number, away: string | null): void;
  /** The server has refused it for good; nothing more is sent, and `flush` and `end` say why. */
  refused(): void;
}

/**
 * Sends a recording's sound as it comes. What the server has not acknowledged waits here and is sent again until it is, whatever happens to
 * the server meanwhile.
 */
export class SoundSender {
  private readonly waiting: Float32Array<ArrayBuffer>[] = [];
  private waitingFloats = 0;
  /** As the server began it; null until then. */
  row: RecordingRow | null = null;
  private running: Promise<void> | null = null;
  private over: string | null = null;
  private tries = 0;
  came = 0;
  /** Frames that the server has. */
  sent = 0;

  constructor(
    private readonly versionId: string,
    private readonly request: { readonly tracks: readonly { trackId: string; name: string; channels: number }[]; readonly start: number },
    private readonly width: number,
    private readonly hooks: Hooks,
  ) {}

  /** Whether there is no room for more that waits. */
  get full(): boolean {
    return this.waitingFloats * FLOAT > MOST_WAITING;
  }
  get waitingFrames(): number {
    return this.came - this.sent;
  }

  /** By it the server knows the same recording again whose beginning was asked for twice, an answer having been lost. */
  private readonly key = newKey() + newKey();

  /** Begins it on the server. Throws ServerError where that refuses; one that is away is asked again later. */
  async begin(): Promise<void> {
    try {
      await this.ensureBegun();
    } catch (error) {
      if (!(error instanceof ServerError) || !error.passing) throw error;
      this.hooks.kept(0, error.message);
    }
  }

  private async ensureBegun(): Promise<RecordingRow> {
    if (this.row) return this.row;
    const row = await ask<RecordingRow>(`/api/versions/${this.versionId}/recordings`, { json: { ...this.request, key: this.key } });
    this.row = row;
    this.hooks.begun(row);
    return row;
  }

  push(samples: Float32Array<ArrayBuffer>): void {
    this.waiting.push(samples);
    this.waitingFloats += samples.length;
    this.came += samples.length / this.width;
    if (!this.over) void this.run();
  }

  /** Resolves once nothing waits any more. Rejects when the server has refused it. */
  async flush(): Promise<void> {
    while (this.waiting.length > 0 && !this.over) await this.run();
    if (this.over) throw new Error(this.over);
  }

  private run(): Promise<void> {
    this.running ??= this.send().finally(() => {
      this.running = null;
    });
    return this.running;
  }

  private async send(): Promise<void> {
    while (this.waiting.length > 0 && !this.over) {
      try {
        const { id } = await this.ensureBegun();
        await this.sendNext(id);
        this.tries = 0;
        this.hooks.kept(this.sent, null);
      } catch (error) {
        if (!(error instanceof ServerError)) throw error;
        // A disk that is full may have room again; everything else that is no passing fault is for good.
        if (!error.passing && error.status !== 507 && error.status !== 500 && error.status !== 429) {
          this.over = error.message;
          this.hooks.refused();
          return;
        }
        this.hooks.kept(this.sent, error.message);
        await restFor(this.tries++);
      }
    }
  }

  private async sendNext(id: string): Promise<void> {
    let floats = 0;
    let count = 0;
    while (count < this.waiting.length && (count === 0 || (floats + this.waiting[count].length) * FLOAT <= MOST_BYTES))
      floats += this.waiting[count++].length;
    const body = new Float32Array(floats);
    let at = 0;
    for (const piece of this.waiting.slice(0, count)) {
      body.set(piece, at);
      at += piece.length;
    }
    try {
      await ask(`/api/recordings/${id}?from=${this.sent}`, { method: "PATCH", body });
    } catch (error) {
      // The server lost an acknowledged part, or got one that this page does not know of: it says where it is.
      if (!(error instanceof ServerError && error.body.error === "gap")) throw error;
      throw new ServerError(409, `${error.message} What came before is not here any more.`, error.body);
    }
    this.waiting.splice(0, count);
    this.waitingFloats -= floats;
    this.sent += floats / this.width;
  }

  /** Ends it once all is there; it is laid by these edits. Rejects when the server has refused it. */
  async end(lay: readonly Edit[]): Promise<RecordingRow> {
    await this.flush();
    for (;;) {
      try {
        const { id } = await this.ensureBegun();
        return await ask<RecordingRow>(`/api/recordings/${id}/end`, { json: { frames: this.sent, ...(lay.length > 0 && { lay }) } });
      } catch (error) {
        if (!(error instanceof ServerError) || (!error.passing && error.status !== 507)) throw error;
        this.hooks.kept(this.sent, error.message);
        await restFor(this.tries++);
      }
    }
  }

  /** Throws away what came of it. */
  async drop(): Promise<void> {
    this.over = "It was thrown away.";
    this.waiting.length = 0;
    if (this.row) await ask(`/api/recordings/${this.row.id}`, { method: "DELETE" }).catch(() => {});
  }

  /** From a page that is about to go: what the server has is laid; nobody waits for an answer. */
  leave(lay: readonly Edit[]): void {
    if (!this.row || this.over) return;
    this.over = "The page was closed.";
    const body = new Blob([JSON.stringify(lay.length > 0 ? { lay } : {})], { type: "application/json" });
    navigator.sendBeacon(`/api/recordings/${this.row.id}/end`, body);
  }
}
