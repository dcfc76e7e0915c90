import { CHUNK } from "@wet-thread/core/analysis/peaks";
import type { SourceInfo } from "@wet-thread/core/model/schema";
import { channelOf, readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader } from "@wet-thread/core/render/reader";

/** Chunks of recordings kept. */
const MOST_CHUNKS = 400;

/** A chunk that takes longer than this counts as not there, and is asked for anew. */
const LONGEST_MS = 15_000;

/** Reads recordings in a worker: chunks are fetched beforehand and the ones used last are kept. */
export class ChunkReader implements PcmReader {
  private readonly chunks = new Map<string, Float32Array>();
  private readonly coming = new Map<string, Promise<void>>();
  channels: ReadonlyMap<string, SourceInfo> = new Map();
  private missing = false;

  /** Whether anything that was read since the last call was not there. */
  takeMissing(): boolean {
    const { missing } = this;
    this.missing = false;
    return missing;
  }

  /** Fetches what some stretches need; resolves when all of it is here. */
  async prepare(spans: readonly { sourceId: string; from: number; to: number }[]): Promise<void> {
    const waits: Promise<void>[] = [];
    for (const { sourceId, from, to } of spans) {
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) {
        const key = `${sourceId} ${i}`;
        const chunk = this.chunks.get(key);
        if (chunk) {
          this.chunks.delete(key);
          this.chunks.set(key, chunk);
        } else waits.push(this.coming.get(key) ?? this.fetchChunk(key, sourceId, i));
      }
    }
    await Promise.all(waits);
  }

  private fetchChunk(key: string, sourceId: string, index: number): Promise<void> {
    const done = (async () => {
      try {
        const answer = await fetch(`/api/sources/${sourceId}/pcm?chunk=${index}`, { signal: AbortSignal.timeout(LONGEST_MS) });
        if (!answer.ok) return;
        this.chunks.set(key, new Float32Array(await answer.arrayBuffer()));
        for (const old of this.chunks.keys()) {
          if (this.chunks.size <= MOST_CHUNKS) break;
          this.chunks.delete(old);
        }
      } catch {
        // The server is away: silence for now, and the next block asks again.
      } finally {
        this.coming.delete(key);
      }
    })();
    this.coming.set(key, done);
    return done;
  }

  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    const channels = this.channels.get(sourceId)?.channels ?? 1;
    const chunk = (index: number): Float32Array | undefined => {
      const all = this.chunks.get(`${sourceId} ${index}`);
      return all && channelOf(all, channels, channel);
    };
    const whole = readChunked(chunk, from, out, at, count);
    this.missing ||= !whole;
    return whole;
  }
}
