import { SURE } from "../model/clip/hits";
import type { Hit } from "../model/schema";
import { Novelty } from "./novelty";
import { LOOKS_AFTER, LOOKS_BACK, placeOnset } from "./onset-place";

/** A place where something begins: how surely (1: as surely as a hit must), and how loud what is new is. */
export interface Onset {
  readonly at: number;
  readonly sure: number;
  readonly level: number;
}

/** The mean rise of all bands, in natural logarithms, that a hit has at least; what has less is taken note of down to a part of it. */
const RISE = 0.06;
const FAINTEST = 0.4;
/** What is usual around a frame, so many times, is taken off its rise first. */
const USUAL = 2;
/** In seconds: a hit is the highest within NEAR, the usual is the median within AROUND; two lie APART at least. */
const NEAR = 0.02;
const AROUND = 0.15;
const APART = 0.04;
const END = 0.005;
/** A hit that is softer than the loudest by so much is no more than a faint one, however sure. */
const SOFTEST_DB = 40;

/**
 * Finds where hits begin in a recording that comes in pieces of any size; memory holds a moment of it. Hits stand out as what is new in the
 * spectrum (`Novelty`), and are placed to the sample in what the past does not tell (`placeOnset`).
 */
export class OnsetFinder {
  private readonly novelty: Novelty;
  private readonly near: number;
  private readonly around: number;
  private readonly apart: number;
  private readonly rises: number[] = [];
  private readonly levels: number[] = [];
  private decided = 0;
  private last = Number.NEGATIVE_INFINITY;
  private readonly found: Onset[] = [];
  /** The latest samples, from sample `base` on; what lies before the recording is silence. */
  private readonly samples: Float32Array;
  private base: number;
  private held: number;
  private length = 0;

  constructor(private readonly sampleRate: number) {
    this.novelty = new Novelty(sampleRate);
    const { hop, size } = this.novelty;
    const frames = (seconds: number): number => Math.max(1, Math.round((seconds * sampleRate) / hop));
    this.near = frames(NEAR);
    this.around = frames(AROUND);
    this.apart = frames(APART);
    this.samples = new Float32Array(2 * this.kept() + 64 * size);
    this.base = -size / 2;
    this.held = size / 2;
  }

  /** Samples before the next frame that may still be asked for. */
  private kept(): number {
    const { hop, size } = this.novelty;
    const scale = this.sampleRate / 48_000;
    return (this.around + 2) * hop + size + Math.ceil((LOOKS_BACK + LOOKS_AFTER) * Math.max(1, scale));
  }

  push(samples: Float32Array): void {
    this.length += samples.length;
    this.take(samples);
  }

  private take(samples: Float32Array): void {
    for (let at = 0; at < samples.length; ) {
      const n = Math.min(samples.length - at, this.samples.length - this.held);
      this.samples.set(samples.subarray(at, at + n), this.held);
      this.held += n;
      at += n;
      this.follow();
    }
  }

  /** Takes in the frames that have become whole, and lets go of what nobody will ask for any more. */
  private follow(): void {
    const { hop, size } = this.novelty;
    for (let begins = this.rises.length * hop - size / 2; begins + size + hop <= this.base + this.held; begins += 2 * hop) {
      for (const { rise, level } of this.novelty.two(this.samples, begins - this.base)) {
        this.rises.push(rise);
        this.levels.push(level);
      }
      this.decide(this.rises.length - this.around);
    }
    const drop = this.rises.length * hop - size / 2 - this.kept() - this.base;
    if (this.held < this.samples.length || drop <= 0) return;
    this.samples.copyWithin(0, drop, this.held);
    this.base += drop;
    this.held -= drop;
  }

  /** Decides which of the frames before `end` are hits. */
  private decide(end: number): void {
    const { rises, near, around } = this;
    for (; this.decided < end; this.decided++) {
      const n = this.decided;
      const rise = rises[n];
      if (rise < RISE * FAINTEST || n - this.last < this.apart || !this.isTop(n)) continue;
      const usual = rises.slice(Math.max(0, n - around), Math.min(rises.length, n + around + 1)).sort((a, b) => a - b);
      const sure = (rise - USUAL * usual[usual.length >> 1]) / RISE;
      if (sure < FAINTEST) continue;
      this.last = n;
      const sample = (i: number): number => this.samples[i - this.base] ?? 0;
      const at = placeOnset(sample, n * this.novelty.hop, this.sampleRate);
      const level = Math.max(...this.levels.slice(Math.max(0, n - near), n + near + 1));
      this.found.push({ at: Math.max(0, Math.min(this.length - 1, at)), sure, level });
    }
  }

  private isTop(n: number): boolean {
    const { rises, near } = this;
    for (let k = Math.max(0, n - near); k <= Math.min(rises.length - 1, n + near); k++)
      if (rises[k] > rises[n] || (rises[k] === rises[n] && k < n)) return false;
    return true;
  }

  /** Where something begins, in order. */
  finish(): Onset[] {
    if (this.length === 0) return [];
    const { hop, size } = this.novelty;
    // It goes on as its own mirror: breaking off is no hit.
    const rest = new Float32Array(2 * size + (this.around + 2) * hop);
    const end = this.length - this.base;
    for (let i = 0; i < rest.length; i++) rest[i] = i < end && i < this.length ? this.samples[end - 1 - i] : 0;
    this.take(rest);
    this.decide(this.rises.length);
    // What would begin as the recording ends is its end.
    const last = this.length - END * this.sampleRate;
    return this.found.filter((o) => o.at < last).sort((a, b) => a.at - b.at);
  }
}

/** Hits of several channels this close together are one, where the first of them begins. */
const ONE_HIT_SECONDS = 0.02;

/**
 * The hits of a recording from what was found in its channels: one that only a single channel has counts like any other. From `SURE` on the
 * strength tells how loud a hit is, from 40 dB below the recording's loudest up to it; what is less sure or softer lies below.
 */
export function hitsOfChannels(channels: readonly (readonly Onset[])[], sampleRate: number): Hit[] {
  const apart = ONE_HIT_SECONDS * sampleRate;
  const all = channels.flat().sort((a, b) => a.at - b.at);
  const loudest = all.reduce((m, o) => Math.max(m, o.level), 1e-9);
  const strengthOf = ({ sure, level }: Onset): number => {
    const loud = 1 + (20 * Math.log10(Math.max(1e-9, level) / loudest)) / SOFTEST_DB;
    return Math.round(Math.max(0, sure < 1 ? SURE * Math.min(sure, 1 + loud) : SURE + (1 - SURE) * loud) * 1000) / 1000;
  };
  const hits: Hit[] = [];
  let began = Number.NEGATIVE_INFINITY;
  for (const onset of all) {
    const strength = strengthOf(onset);
    const before = hits.at(-1);
    if (!before || onset.at - began > apart) {
      hits.push({ at: onset.at, strength });
      began = onset.at;
      // What is hardly sure does not tell where a sure one begins.
    } else if (strength > before.strength) hits[hits.length - 1] = { at: before.strength >= SURE ? before.at : onset.at, strength };
  }
  return hits;
}
