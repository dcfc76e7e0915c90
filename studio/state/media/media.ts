import { CHUNK, levelFor, PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { ofPlayedId } from "@wet-thread/core/model/recipe/played-recording";
import { channelOf, readChunked } from "@wet-thread/core/render/chunked";
import type { PcmReader } from "@wet-thread/core/render/reader";
import { LRUCache } from "lru-cache";

/** Entries in a tile of peaks. */
export const TILE_ENTRIES = 1024;
/** Bytes of peaks and of samples kept in the page. */
const MOST_TILE_BYTES = 48 * 1024 * 1024;
const MOST_CHUNK_BYTES = 48 * 1024 * 1024;
const AT_ONCE = 6;
const AGAIN_MS = 1000;

type Listener = () => void;

/** Fetches pieces of recordings on demand, keeps the ones used last, and tells when something new has come. */
class Pieces {
  private readonly kept: LRUCache<string, Float32Array>;
  private readonly wanted = new Map<string, string>();
  private readonly running = new Set<string>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** What was not to be had is asked for again only after a while. */
  private readonly later = new Set<string>();

  constructor(
    maxSize: number,
    private readonly arrived: Listener,
  ) {
    this.kept = new LRUCache({ maxSize, sizeCalculation: (piece) => piece.byteLength + 100 });
  }

  get(url: string): Float32Array | undefined {
    const found = this.kept.get(url);
    if (found === undefined && !this.running.has(url) && !this.later.has(url)) {
      this.wanted.delete(url);
      this.wanted.set(url, url);
      // Not within the drawing that asks: a request takes longer to begin than many clips to draw.
      this.timer ??= setTimeout(this.fetchNext, 0);
    }
    return found;
  }

  private readonly fetchNext = (): void => {
    clearTimeout(this.timer);
    this.timer = undefined;
    while (this.running.size < AT_ONCE && this.wanted.size > 0) {
      // The latest wish first: it is what is on the screen now.
      const url = [...this.wanted.keys()].at(-1) as string;
      this.wanted.delete(url);
      this.running.add(url);
      void this.fetchOne(url);
    }
    // Wishes far behind belong to places already scrolled away from.
    for (const url of this.wanted.keys()) {
      if (this.wanted.size <= 200) break;
      this.wanted.delete(url);
    }
  };

  private async fetchOne(url: string): Promise<void> {
    try {
      const answer = await fetch(url);
      // 202: it is being made.
      if (answer.status === 200) {
        this.kept.set(url, new Float32Array(await answer.arrayBuffer()));
        this.arrived();
      } else this.askLater(url);
    } catch {
      this.askLater(url);
    } finally {
      this.running.delete(url);
      this.fetchNext();
    }
  }

  private askLater(url: string): void {
    this.later.add(url);
    setTimeout(() => {
      // The next drawing asks again.
      if (this.later.delete(url)) this.arrived();
    }, AGAIN_MS);
  }

  /** Lets go of what is kept under addresses that begin so: there is something better now. */
  forget(prefix: string): void {
    for (const url of this.kept.keys()) if (url.startsWith(prefix)) this.kept.delete(url);
    for (const url of this.later) if (url.startsWith(prefix)) this.later.delete(url);
  }

  async whenHere(url: string): Promise<Float32Array | undefined> {
    for (let i = 0; i < 600 && !this.kept.has(url); i++) {
      this.get(url);
      await new Promise((wake) => setTimeout(wake, 10));
    }
    return this.kept.get(url);
  }
}

/**
 * Tiles that were asked for lately, by recording and place, null where there was none yet: most columns ask for the same ones. Forgotten
 * now and then, so that use still counts, and whenever something has come.
 */
const lately = new Map<string, Map<number, PeakTile | null>>();
const LATELY_MS = 500;
let forgotten = 0;

const listeners = new Set<Listener>();
/** The recording asked for last, and its tiles: most columns ask for the same one as the column before. */
let lastId = "";
let lastMap: Map<number, PeakTile | null> | undefined;
function forget(): void {
  lately.clear();
  lastId = "";
  lastMap = undefined;
}
const arrived = (): void => {
  forget();
  for (const listener of listeners) listener();
};
/** Calls back whenever peaks or samples have come; returns how to stop. */
export function onMedia(listener: Listener): () => void {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

/** Draws in the next frame, and again whenever peaks or samples have come; returns how to stop. */
export function drawnFromMedia(draw: () => void): () => void {
  let due = 0;
  const request = (): void => {
    if (due) return;
    due = requestAnimationFrame(() => {
      due = 0;
      draw();
    });
  };
  request();
  const off = onMedia(request);
  return () => {
    off();
    cancelAnimationFrame(due);
  };
}

const tiles = new Pieces(MOST_TILE_BYTES, arrived);
const chunks = new Pieces(MOST_CHUNK_BYTES, arrived);

const chunkUrl = (sourceId: string, index: number): string => `/api/sources/${sourceId}/pcm?chunk=${index}`;

export interface PeakTile {
  /** min, max, RMS triples of one channel. */
  readonly values: Float32Array;
  readonly offset: number;
  readonly entries: number;
  /** First sample of the tile and samples an entry. */
  readonly from: number;
  readonly size: number;
}

/** The tile of peaks over a sample at a level (an index into PEAK_LEVELS), or undefined while it is on its way. */
export function peakTile(sourceId: string, channels: number, channel: number, level: number, sample: number): PeakTile | undefined {
  const size = PEAK_LEVELS[level];
  const tile = Math.floor(sample / (size * TILE_ENTRIES));
  const place = (tile * PEAK_LEVELS.length + level) * channels + channel;
  if (lastId !== sourceId) [lastId, lastMap] = [sourceId, lately.get(sourceId)];
  let ofSource = lastMap;
  const known = ofSource?.get(place);
  if (known !== undefined) return known ?? undefined;
  const now = performance.now();
  if (now - forgotten > LATELY_MS) {
    forget();
    ofSource = undefined;
    forgotten = now;
  }
  const found = findTile(sourceId, channels, channel, level, tile, size);
  if (!ofSource) {
    ofSource = new Map();
    lately.set(sourceId, ofSource);
    [lastId, lastMap] = [sourceId, ofSource];
  }
  ofSource.set(place, found ?? null);
  return found;
}

function findTile(sourceId: string, channels: number, channel: number, level: number, tile: number, size: number): PeakTile | undefined {
  const values = tiles.get(`/api/sources/${sourceId}/peaks?level=${level}&tile=${tile}`);
  if (!values) return undefined;
  const entries = values.length / channels / 3;
  return { values, offset: channel * entries * 3, entries, from: tile * size * TILE_ENTRIES, size };
}

export { levelFor };

/** Some of what is made under an id has come: what was shown in its place is asked for anew. */
export function forgetMade(madeId: string): void {
  for (const pieces of [tiles, chunks]) pieces.forget(`/api/sources/${madeId}`);
  arrived();
}

/** Samples that are in the page; what is missing is fetched, and false is answered meanwhile. */
export const pageReader: PcmReader = {
  read(sourceId, channel, from, out, at, count) {
    const channels = channelCounts.get(ofPlayedId(sourceId).sourceId) ?? 1;
    const chunk = (index: number): Float32Array | undefined => {
      const all = chunks.get(chunkUrl(sourceId, index));
      return all && channelOf(all, channels, channel);
    };
    return readChunked(chunk, from, out, at, count);
  },
};

const channelCounts = new Map<string, number>();
/** Chunks come with all channels in a row; how many there are is told here. */
export const knowChannels = (sourceId: string, channels: number): void => void channelCounts.set(sourceId, channels);

/** Waits until a stretch of a recording is in the page; false when it could not be had. */
export async function haveSamples(sourceId: string, from: number, to: number): Promise<boolean> {
  for (let i = Math.floor(from / CHUNK); i * CHUNK < to; i++) if (!(await chunks.whenHere(chunkUrl(sourceId, i)))) return false;
  return true;
}
