import { treat } from "@wet-thread/core/dsp/treat/treat";
import { type Making, madeLength, playedId } from "@wet-thread/core/model/recipe/played-recording";
import { ringsOn, runInOf } from "@wet-thread/core/model/recipe/treatment";
import type { Clip, Recipe } from "@wet-thread/core/model/schema";
import { LRUCache } from "lru-cache";

/** Samples that are treated in one go. */
const BLOCK = 16_384;
/** So much before a block is heard at most, and so much after it for what looks ahead, in seconds. */
const MOST_BEFORE = 2;
const AFTER = 0.12;
const MOST_BLOCKS = 48;

/** Copies samples of what is played under an id; false where they are not at hand. */
type Read = (id: string, channel: number, from: number, out: Float32Array, at: number, count: number) => boolean;

/** A recording that is treated, and how. */
export interface TreatedRecording {
  readonly id: string;
  readonly making: Making;
  readonly sourceId: string;
  /** Of the recording itself, in samples. */
  readonly length: number;
  readonly channels: number;
  readonly sampleRate: number;
}

/** What a treatment is laid on: the same clip's recording without it. */
export function innerOf({ sourceId, making }: Pick<TreatedRecording, "sourceId" | "making">): Pick<Clip, "sourceId" | "recipe"> {
  const { treat: _, reverse, ...time } = making;
  const recipe: Recipe = { ...time, ...(reverse && { reverse }) };
  return { sourceId, ...(Object.keys(recipe).length > 0 && { recipe }) };
}

/** The stretch of what is treated that samples [from, to) of a treatment hear. */
export function heardBy(
  { making, sampleRate }: Pick<TreatedRecording, "making" | "sampleRate">,
  from: number,
  to: number,
): { from: number; to: number } {
  const before = Math.min(MOST_BEFORE, runInOf(making.treat?.chain ?? []));
  const [first, last] = [Math.floor(from / BLOCK) * BLOCK, Math.ceil(to / BLOCK) * BLOCK];
  return { from: Math.max(0, first - Math.ceil(before * sampleRate)), to: last + Math.ceil(AFTER * sampleRate) };
}

/**
 * Treats sound here, while the server has not made it yet: what is turned at is heard at once. It begins a little before each block from silence, so it
 * may be a shade off until what the server makes takes its place.
 */
export class TreatedHere {
  private readonly blocks = new LRUCache<string, Float32Array[]>({ max: MOST_BLOCKS });

  constructor(private readonly read: Read) {}

  private block(one: TreatedRecording, index: number): Float32Array[] | null {
    const key = `${one.id} ${index}`;
    const known = this.blocks.get(key);
    if (known) return known;
    const treatment = one.making.treat;
    if (!treatment) return null;
    const inner = innerOf(one);
    const whole = madeLength(one.length, inner.recipe);
    const { from, to } = heardBy(one, index * BLOCK, (index + 1) * BLOCK);
    const heard = ringsOn(treatment.chain) ? treatment.window : { from: 0, to: whole };
    const [a, b] = [Math.max(from, heard.from), Math.min(to, heard.to, whole)];
    const samples = Array.from({ length: one.channels }, () => new Float32Array(to - from));
    if (b > a) for (const [c, x] of samples.entries()) if (!this.read(playedId(inner), c, a, x, a - from, b - a)) return null;
    treat(samples, treatment.chain, one.sampleRate, from);
    const made = samples.map((x) => x.slice(index * BLOCK - from, (index + 1) * BLOCK - from));
    this.blocks.set(key, made);
    return made;
  }

  /** Copies treated samples of a channel from `from` on; false where what they are made of is not at hand. */
  copy(one: TreatedRecording, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    for (let i = 0; i < count; ) {
      const index = Math.floor((from + i) / BLOCK);
      const block = this.block(one, index);
      if (!block) return false;
      const into = from + i - index * BLOCK;
      const n = Math.min(count - i, BLOCK - into);
      out.set((block[channel] ?? block[0]).subarray(into, into + n), at + i);
      i += n;
    }
    return true;
  }
}
