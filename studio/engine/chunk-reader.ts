import { CHUNK } from "@wet-thread/core/analysis/peaks";
import { ofPlayedId } from "@wet-thread/core/model/played";
import type { SourceInfo } from "@wet-thread/core/model/schema";
import { channelOf, readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader } from "@wet-thread/core/render/reader";
import { LRUCache } from "lru-cache";

/** Bytes of samples kept: three hundred chunks of two channels. */
const MOST_BYTES = 160 * 1024 * 1024;

/** A chunk that takes longer than this counts as not there, and is asked for anew. */
const LONGEST_MS = 15_000;

/** Reads recordings in a worker: chunks are fetched beforehand and the ones used last are kept. */
export class ChunkReader implements PcmReader {
  private readonly chunks = new LRUCache<string, Float32Array>({ maxSize: MOST_BYTES, sizeCalculation: (c) => c.byteLength + 100 });
  private readonly coming = new Map<string, Promise<boolean>>();
  channels: ReadonlyMap<string, SourceInfo> = new Map();
  private missing = false;

  /** Whether anything that was read since the last call was not there. */
  takeMissing(): boolean {
    const { missing } = this;
    this.missing = false;
    return missing;
  }

  /** Fetches what some stretches need; resolves when all of it is here, or could not be had: then false. */
  async prepare(spans: readonly { sourceId: string; from: number; to: number }[]): Promise<boolean> {
    const waits: Promise<boolean>[] = [];
    for (const { sourceId, from, to } of spans) {
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) {
        const key = `${sourceId} ${i}`;
        if (!this.chunks.get(key)) waits.push(this.coming.get(key) ?? this.fetchChunk(key, sourceId, i));
      }
    }
    return waits.length === 0 || (await Promise.all(waits)).every(Boolean);
  }

  private fetchChunk(key: string, sourceId: string, index: number): Promise<boolean> {
    const done = (async () => {
      try {
        const answer = await fetch(`/api/sources/${sourceId}/pcm?chunk=${index}`, { signal: AbortSignal.timeout(LONGEST_MS) });
        if (!answer.ok) return false;
        this.chunks.set(key, new Float32Array(await answer.arrayBuffer()));
        return true;
      } catch {
        // The server is away: silence for now, and the next block asks again.
        return false;
      } finally {
        this.coming.delete(key);
      }
    })();
    this.coming.set(key, done);
    return done;
  }

  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    const channels = this.channels.get(ofPlayedId(sourceId).sourceId)?.channels ?? 1;
    const chunk = (index: number): Float32Array | undefined => {
      const all = this.chunks.get(`${sourceId} ${index}`);
      return all && channelOf(all, channels, channel);
    };
    const whole = readChunked(chunk, from, out, at, count);
    this.missing ||= !whole;
    return whole;
  }
}
