import { CHUNK } from "@wet-thread/core/analysis/peaks";
import type { Document } from "@wet-thread/core/model/document";
import { isMade, type Making, madeId, madeLength, makingOf, momentOf, ofPlayedId, playedId } from "@wet-thread/core/model/recipe/played-recording";
import { channelOf, readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader } from "@wet-thread/core/render/reader";
import { LRUCache } from "lru-cache";
import { heardBy, innerOf, TreatedHere, type TreatedRecording } from "./treated-here";

/** Bytes of samples kept: three hundred chunks of two channels. */
const MOST_BYTES = 160 * 1024 * 1024;

/** A chunk that takes longer than this counts as not there, and is asked for anew. */
const LONGEST_MS = 15_000;
/** What is still to be made is asked for again after this. */
const UNMADE_MS = 700;

/** Reads recordings in a worker: chunks are fetched beforehand and the ones used last are kept. */
export class ChunkReader implements PcmReader {
  private readonly chunks = new LRUCache<string, Float32Array>({ maxSize: MOST_BYTES, sizeCalculation: (c) => c.byteLength + 100 });
  private readonly coming = new Map<string, Promise<boolean>>();
  /** Chunks that are still to be made, and when they were asked for. */
  private readonly unmade = new Map<string, number>();
  private doc: Document | undefined;
  private makings = new Map<string, Making | undefined>();
  private missing = false;

  private readonly treatedHere = new TreatedHere((id, channel, from, out, at, count) => this.read(id, channel, from, out, at, count));

  /** `standIn`: what is still to be made is read as tape would play it, or treated here, for listening; without it, it is not there. */
  constructor(private readonly standIn = false) {}

  /** The piece whose recordings are read. */
  setDocument(doc: Document): void {
    this.doc = doc;
    // What nothing made yet may be made of a clip now.
    for (const [id, making] of this.makings) if (!making) this.makings.delete(id);
  }

  /** What is to be made under an id, as some clip has it. */
  private makingOf(id: string): Making | undefined {
    if (this.makings.has(id)) return this.makings.get(id);
    let found: Making | undefined;
    for (const clip of this.doc?.clips.values() ?? []) if (clip.recipe && madeId(clip) === id) found = makingOf(clip.recipe);
    this.makings.set(id, found);
    return found;
  }

  /** The stretch of the recording that is heard in place of one that is not made yet. */
  private inPlaceOf(id: string, from: number, to: number): { sourceId: string; from: number; to: number } | null {
    const { sourceId, forwards, reverse } = ofPlayedId(id);
    const making = this.makingOf(forwards);
    const length = this.doc?.sources.get(sourceId)?.length ?? 0;
    if (!making || length === 0) return null;
    const whole = madeLength(length, making);
    const [a, b] = reverse ? [whole - to, whole - from] : [from, to];
    if (making.treat) {
      const inner = innerOf({ sourceId, making });
      const innerId = playedId(inner);
      // No clip may play it as it is: what is to be made of it is known from here.
      if (isMade(innerId)) this.makings.set(ofPlayedId(innerId).forwards, makingOf(inner.recipe));
      const need = heardBy({ making, sampleRate: this.doc?.sampleRate ?? 48_000 }, Math.max(0, a), b);
      return { sourceId: innerId, from: need.from, to: Math.max(need.from, Math.min(need.to, madeLength(length, inner.recipe))) };
    }
    const ends = [momentOf(length, making, a), momentOf(length, making, b)];
    return { sourceId, from: Math.max(0, Math.floor(Math.min(...ends))), to: Math.min(length, Math.ceil(Math.max(...ends)) + 2) };
  }

  /** Whether anything that was read since the last call was not there. */
  takeMissing(): boolean {
    const { missing } = this;
    this.missing = false;
    return missing;
  }

  /** Fetches what some stretches need; resolves when all of it is here, or could not be had: then false. */
  async prepare(spans: readonly { sourceId: string; from: number; to: number }[]): Promise<boolean> {
    const whole = await this.fetchSpans(spans);
    const insteadOf = (list: readonly { sourceId: string; from: number; to: number }[]) =>
      this.standIn ? list.flatMap((s) => (isMade(s.sourceId) && this.lacks(s) ? (this.inPlaceOf(s.sourceId, s.from, s.to) ?? []) : [])) : [];
    const instead = insteadOf(spans);
    if (instead.length === 0) return whole;
    // What is treated here may itself be still to be made, and be heard as tape.
    return (await this.fetchSpans(instead)) || this.fetchSpans(insteadOf(instead));
  }

  private lacks({ sourceId, from, to }: { sourceId: string; from: number; to: number }): boolean {
    for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) if (!this.chunks.has(`${sourceId} ${i}`)) return true;
    return false;
  }

  private fetchSpans(spans: readonly { sourceId: string; from: number; to: number }[]): Promise<boolean> {
    const waits: Promise<boolean>[] = [];
    const now = Date.now();
    for (const { sourceId, from, to } of spans) {
      for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) {
        const key = `${sourceId} ${i}`;
        if (this.chunks.get(key) || now - (this.unmade.get(key) ?? Number.NEGATIVE_INFINITY) < UNMADE_MS) continue;
        waits.push(this.coming.get(key) ?? this.fetchChunk(key, sourceId, i));
      }
    }
    return Promise.all(waits).then((all) => all.every(Boolean));
  }

  private fetchChunk(key: string, sourceId: string, index: number): Promise<boolean> {
    const done = (async () => {
      try {
        const answer = await fetch(`/api/sources/${sourceId}/pcm?chunk=${index}`, { signal: AbortSignal.timeout(LONGEST_MS) });
        // It is being made, or nobody knows yet that it is to be.
        if (isMade(sourceId) && answer.status !== 200) {
          this.unmade.set(key, Date.now());
          return false;
        }
        if (!answer.ok) return false;
        this.unmade.delete(key);
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

  private held = new Float32Array(0);

  /** A treatment that is not made yet is worked out here. */
  private readTreated(
    forwards: string,
    reverse: boolean,
    making: Making,
    channel: number,
    from: number,
    out: Float32Array,
    at: number,
    count: number,
  ): boolean {
    const { sourceId } = ofPlayedId(forwards);
    const source = this.doc?.sources.get(sourceId);
    if (!source || !this.doc) return false;
    const one: TreatedRecording = {
      id: forwards,
      making,
      sourceId,
      length: source.length,
      channels: source.channels,
      sampleRate: this.doc.sampleRate,
    };
    if (!reverse) return this.treatedHere.copy(one, channel, from, out, at, count);
    const whole = madeLength(source.length, making);
    if (!this.treatedHere.copy(one, channel, whole - from - count, out, at, count)) return false;
    out.subarray(at, at + count).reverse();
    return true;
  }

  /** What is not made yet is heard as tape has it: the recording at the moments of the map, straight between its samples. */
  private readAsTape(id: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    const { forwards, reverse } = ofPlayedId(id);
    const making = this.makingOf(forwards);
    if (making?.treat) return this.readTreated(forwards, reverse, making, channel, from, out, at, count);
    const span = this.inPlaceOf(id, from, from + count);
    const length = this.doc?.sources.get(span?.sourceId ?? "")?.length;
    if (!span || !making || length === undefined) return false;
    const n = span.to - span.from;
    if (this.held.length < n) this.held = new Float32Array(2 * n);
    if (!this.read(span.sourceId, channel, span.from, this.held, 0, n)) return false;
    // Behind the recording's end, where only a tail is, nothing is heard yet.
    if (n <= 0) {
      out.fill(0, at, at + count);
      return true;
    }
    const whole = madeLength(length, making);
    for (let i = 0; i < count; i++) {
      const x = momentOf(length, making, reverse ? whole - 1 - from - i : from + i) - span.from;
      const k = Math.max(0, Math.min(n - 1, Math.floor(x)));
      const next = Math.min(n - 1, k + 1);
      out[at + i] = this.held[k] + (this.held[next] - this.held[k]) * Math.max(0, Math.min(1, x - k));
    }
    return true;
  }

  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    const channels = this.doc?.sources.get(ofPlayedId(sourceId).sourceId)?.channels ?? 1;
    const chunk = (index: number): Float32Array | undefined => {
      const all = this.chunks.get(`${sourceId} ${index}`);
      return all && channelOf(all, channels, channel);
    };
    let whole = readChunked(chunk, from, out, at, count);
    if (!whole && this.standIn && isMade(sourceId)) whole = this.readAsTape(sourceId, channel, from, out, at, count);
    this.missing ||= !whole;
    return whole;
  }
}
