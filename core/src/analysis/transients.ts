import { newKernels } from "../kernels/kernels";

/** Samples in one step of the analysis. */
export const HOP = 64;
/** An onset rises at least this many times above the level before it … */
const RISE = 5;
/** … and above this part of full scale; two onsets lie at least this far apart. */
const FLOOR = 0.004;
const GAP_SECONDS = 0.05;
const BEFORE_SECONDS = 0.02;

/** Samples that are looked at together; a whole number of hops. */
const RECENT = 1 << 16;
/** Hops around an onset in which its exact sample is looked for. */
const AROUND = 8;

/**
 * Finds where hits begin in a recording that comes in pieces of any size; memory holds a moment of it. An onset is a hop whose sharp part
 * (RMS of the first difference, in which an attack stands out) rises far above what was there just before, with no hit just before.
 */
export class OnsetFinder {
  private readonly before: number;
  private readonly gap: number;
  /** Levels of the latest hops, by hop modulo its length. */
  private readonly levels: Float32Array;
  private hop = 0;
  private lastOnset = Number.NEGATIVE_INFINITY;
  /** The kernels' memory: one sample from before, then the latest ones from sample `base` on, then the levels of their hops. */
  private readonly kernels = newKernels(1 + RECENT + RECENT / HOP);
  private base = 0;
  private held = 0;
  private readonly open: number[] = [];
  private readonly found: number[] = [];

  constructor(sampleRate: number) {
    this.before = Math.max(2, Math.round((BEFORE_SECONDS * sampleRate) / HOP));
    this.gap = Math.round((GAP_SECONDS * sampleRate) / HOP);
    this.levels = new Float32Array(this.before + 1);
  }

  push(samples: Float32Array): void {
    const { floats } = this.kernels;
    for (let at = 0; at < samples.length; ) {
      const n = Math.min(samples.length - at, RECENT - this.held);
      floats.set(samples.subarray(at, at + n), 1 + this.held);
      this.held += n;
      at += n;
      this.follow();
      this.place(false);
      // Kept as far back as an open onset may need it, by whole hops.
      const drop = Math.max(0, ((this.open[0] ?? this.hop) - AROUND) * HOP - this.base);
      if (drop > 0) floats.copyWithin(0, drop, 1 + this.held);
      this.base += drop;
      this.held -= drop;
    }
  }

  /** Takes in the hops that have become whole. */
  private follow(): void {
    const { kernels } = this;
    const first = this.hop * HOP - this.base;
    const hops = Math.floor((this.held - first) / HOP);
    kernels.sharpness(1 + first, hops, 1 + RECENT);
    for (let k = 0; k < hops; k++) this.level(kernels.floats[1 + RECENT + k]);
  }

  private level(level: number): void {
    const { hop, levels, before } = this;
    if (level >= FLOOR && hop - this.lastOnset >= this.gap) {
      let most = FLOOR / RISE;
      for (let j = Math.max(0, hop - before); j < hop; j++) most = Math.max(most, levels[j % levels.length]);
      if (level > RISE * most) {
        this.lastOnset = hop;
        this.open.push(hop);
      }
    }
    levels[hop % levels.length] = level;
    this.hop++;
  }

  /** Looks up the exact samples of onsets of which enough has come; of all of them at the end. */
  private place(all: boolean): void {
    const end = this.base + this.held;
    while (this.open.length && (all || (this.open[0] + AROUND) * HOP <= end)) {
      const start = (this.open.shift() as number) * HOP;
      const from = Math.max(0, start - AROUND * HOP);
      const part = this.kernels.floats.subarray(1 + from - this.base, 1 + Math.min(end, from + 2 * AROUND * HOP) - this.base);
      this.found.push(from + refineOnset(part, start - from));
    }
  }

  /** The samples at which hits begin. */
  finish(): number[] {
    const rest = this.base + this.held - this.hop * HOP;
    if (rest > 0) {
      // The last hop is short: its level is that of what there is.
      const { floats } = this.kernels;
      let sum = 0;
      for (let i = 1 + this.held - rest; i <= this.held; i++) sum += (floats[i] - floats[i - 1]) ** 2;
      this.level(Math.fround(Math.sqrt(sum / rest)));
    }
    this.place(true);
    return this.found;
  }
}

/** Hits of several channels this close together are one, where the first of them begins. */
const ONE_HIT_SECONDS = 0.02;

/** The hits of a recording from those of its channels: one that only a single channel has counts like any other. */
export function hitsOfChannels(channels: readonly (readonly number[])[], sampleRate: number): number[] {
  const apart = ONE_HIT_SECONDS * sampleRate;
  const hits: number[] = [];
  for (const at of channels.flat().sort((a, b) => a - b)) if (hits.length === 0 || at - hits[hits.length - 1] > apart) hits.push(at);
  return hits;
}

/**
 * The sample at which a hit begins, within the samples around an onset hop: the first that reaches a quarter of the attack's peak,
 * taken back to where the signal last was no louder than before the hit.
 */
export function refineOnset(samples: Float32Array, hopStart: number): number {
  const end = Math.min(samples.length, hopStart + 3 * HOP);
  let peak = 0;
  for (let i = Math.max(0, hopStart - HOP); i < end; i++) peak = Math.max(peak, Math.abs(samples[i]));
  let before = 0;
  for (let i = Math.max(0, hopStart - 6 * HOP); i < hopStart - HOP; i++) before = Math.max(before, Math.abs(samples[i]));
  let at = Math.max(0, hopStart - HOP);
  while (at < end && Math.abs(samples[at]) < Math.max(peak / 4, before)) at++;
  const quiet = Math.max(before, peak / 50);
  while (at > 0 && Math.abs(samples[at - 1]) > quiet) at--;
  return at;
}
