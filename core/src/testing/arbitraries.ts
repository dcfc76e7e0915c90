import fc from "fast-check";
import { type Document, documentFrom, NEW_PIECE } from "../model/document";
import { isMade, ofPlayedId } from "../model/recipe/played-recording";
import { type Clip, NO_FADE, type SourceInfo, type Track } from "../model/schema";
import { MemoryReader } from "../render/reader";
import { Renderer } from "../render/renderer";

/** Material for property tests: small recordings with known noise, documents with random clips, and a plain track. */
export const RATE = 48_000;
export const SOURCES: ReadonlyMap<string, SourceInfo> = new Map([
  ["mono", { id: "mono", name: "Mono", length: 6000, channels: 1, hits: [0, 700, 1490, 1500, 3100, 5200] }],
  ["stereo", { id: "stereo", name: "Stereo", length: 9000, channels: 2, hits: [40, 2000, 4100, 4130, 8000] }],
]);

/** Repeatable noise in (−1, 1). */
export function noise(length: number, seed: number): Float32Array {
  let s = seed >>> 0 || 1;
  return Float32Array.from({ length }, () => {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    return (s / 2 ** 31 - 1) * 0.7;
  });
}

/** What is made of a recording here is noise of its own, longer than any of them can become. */
const MOST_MADE = 72_000;

/** Recordings held in memory; made ones are thought up as they are asked for. */
class Held extends Map<string, readonly Float32Array[]> {
  override get(id: string): readonly Float32Array[] | undefined {
    const held = super.get(id);
    if (held || !isMade(id)) return held;
    const seed = [...id].reduce((s, c) => (Math.imul(s, 31) + c.charCodeAt(0)) >>> 0, 7);
    const channels = super.get(ofPlayedId(id).sourceId)?.map((_, c) => noise(MOST_MADE, seed + c));
    if (channels) this.set(id, channels);
    return channels;
  }
}

export const PCM: ReadonlyMap<string, readonly Float32Array[]> = new Held([
  ["mono", [noise(6000, 1)]],
  ["stereo", [noise(9000, 2), noise(9000, 3)]],
]);

export const plainTrack = (id: string): Track => ({
  id,
  name: id,
  color: "indigo",
  height: 96,
  mute: false,
  solo: false,
  gain: 0,
  pan: 0,
  hidden: false,
  link: null,
});

export const plainClip = (over: Partial<Clip> & Pick<Clip, "id">): Clip => ({
  trackId: "t0",
  sourceId: "mono",
  start: 0,
  length: 1000,
  offset: 0,
  name: over.id,
  color: null,
  gain: 0,
  pan: 0,
  mute: false,
  layer: 0,
  fadeIn: NO_FADE,
  fadeOut: NO_FADE,
  blend: null,
  sync: null,
  bundle: null,
  ...over,
});

export function documentOf(tracks: number, clips: readonly Clip[]): Document {
  const list = Array.from({ length: tracks }, (_, i) => plainTrack(`t${i}`));
  return documentFrom(
    { sampleRate: RATE, piece: { ...NEW_PIECE, trackOrder: list.map((t) => t.id) }, tracks: list, clips: [...clips], markers: [], sections: [] },
    SOURCES,
  );
}

const fade = (most: number) =>
  fc.record({
    length: fc.integer({ min: 0, max: most }),
    shape: fc.constantFrom("straight" as const, "power" as const, "s" as const, "slow" as const, "fast" as const),
    bend: fc.constantFrom(-1, -0.3, 0, 0.5, 1),
  });

export const clips = (id: string) =>
  fc
    .record({
      sourceId: fc.constantFrom("mono", "stereo"),
      track: fc.integer({ min: 0, max: 2 }),
      start: fc.integer({ min: 0, max: 12_000 }),
      offset: fc.integer({ min: 0, max: 3000 }),
      length: fc.integer({ min: 1, max: 3000 }),
      gain: fc.constantFrom(0, -6, 3),
      pan: fc.constantFrom(-1, 0, 0.4),
      mute: fc.boolean(),
    })
    .chain((c) => fc.tuple(fc.constant(c), fade(Math.floor(c.length / 2)), fade(Math.floor(c.length / 2))))
    .map(([{ track, ...c }, fadeIn, fadeOut]): Clip => plainClip({ ...c, id, trackId: `t${track}`, fadeIn, fadeOut }));

/** Documents of three tracks with up to eight clips c0, c1, … that may overlap in any way, each on a layer of its own. */
export const documents: fc.Arbitrary<Document> = fc
  .integer({ min: 1, max: 8 })
  .chain((n) => fc.tuple(...Array.from({ length: n }, (_, i) => clips(`c${i}`))))
  .map((list) =>
    documentOf(
      3,
      list.map((c, i) => ({ ...c, layer: i })),
    ),
  );

/** Whether two runs of samples are the same to the last bit. */
export const sameSamples = (a: Float32Array, b: Float32Array): boolean => a.length === b.length && a.every((v, i) => v === b[i]);

/** What is heard of a document of these recordings: left and right. */
export function playOf(doc: Document, from = 0, count = 16_000): [Float32Array, Float32Array] {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  new Renderer(doc, new MemoryReader(PCM)).render(from, count, left, right);
  return [left, right];
}
