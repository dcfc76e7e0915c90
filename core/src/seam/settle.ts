import { hitsBetween } from "../model/clip/hits";
import { blendAfter, type Document } from "../model/document";
import { playedId, playedSource } from "../model/recipe/played-recording";
import { type Clip, clipEnd, playedChannels } from "../model/schema";
import type { PcmReader, SourceSpan } from "../render/reader";

/** How far a splice may go, how long the blend is, and whether the later clip's audio may be shifted too. Lengths in samples. */
export interface SettleHow {
  readonly reach: number;
  readonly length: number;
  readonly shifts: boolean;
}

/** Where a splice settles: its place, by how much the later clip plays later inside its edges, and how alike both sides are there. */
export interface Settled {
  readonly splice: number;
  readonly shift: number;
  readonly likeness: number;
  /** How alike they were at the old place. */
  readonly before: number;
}

/** Candidates within this of the greatest likeness are as good: the one nearest to a zero crossing is taken. */
const AS_GOOD = 0.01;

/** Two clips of a seam and where they part: what touches, or blends. */
export interface Parting {
  readonly left: Clip;
  readonly right: Clip;
  readonly splice: number;
}

/** The stretches of recordings that settling a seam reads. */
export function settleSpans(doc: Document, { left, right, splice }: Parting, { reach, length }: SettleHow): SourceSpan[] {
  const around = 2 * reach + length;
  return [left, right].map((c) => {
    const at = c.offset + splice - c.start;
    return { sourceId: playedId(c), from: Math.max(0, at - around), to: Math.min(playedSource(doc.sources, c)?.length ?? 0, at + around) };
  });
}

/** The samples of a clip's recording at places of the timeline, of each channel that it plays; zeros where there are none. Null while they are not at hand. */
function samplesOf(doc: Document, clip: Clip, from: number, count: number, reader: PcmReader): Float32Array[] | null {
  const source = playedSource(doc.sources, clip);
  if (!source) return null;
  const first = clip.offset + from - clip.start;
  const [a, b] = [Math.max(0, first), Math.min(source.length, first + count)];
  const channels: Float32Array[] = [];
  for (const channel of playedChannels(clip, source.channels)) {
    const out = new Float32Array(count);
    if (b > a && !reader.read(playedId(clip), channel, a, out, a - first, b - a)) return null;
    channels.push(out);
  }
  return channels;
}

/** Sums of a list up to each place. */
function sums(value: (i: number) => number, n: number): Float64Array {
  const out = new Float64Array(n + 1);
  for (let i = 0; i < n; i++) out[i + 1] = out[i] + value(i);
  return out;
}

/**
 * The place near a splice where both sides are most alike (sound.md, Settle): the normalised correlation over the blend, for every place within
 * reach and, where they are allowed and the later clip holds no hit, every shift of its audio. No attack comes to lie in the blend, is cut
 * away or heard twice that was not before. Undefined while samples are not at hand, or where no other place has material for the blend.
 */
export function settlePlace(doc: Document, { left, right, splice }: Parting, how: SettleHow, reader: PcmReader): Settled | undefined {
  const { reach, length } = how;
  const half = Math.floor(length / 2);
  const shifts = how.shifts && hitsBetween(doc.sources, right, right.start, clipEnd(right)).length === 0 ? reach : 0;
  const from = splice - reach - half;
  const n = 2 * reach + length;
  const out = samplesOf(doc, left, from, n, reader);
  const into = samplesOf(doc, right, from - shifts, n + 2 * shifts, reader);
  if (!out || !into) return undefined;
  const leftLength = playedSource(doc.sources, left)?.length ?? 0;
  const rightLength = playedSource(doc.sources, right)?.length ?? 0;
  const follower = blendAfter(doc, right);
  const rightEnd = follower && follower.id !== right.id ? follower.start : clipEnd(right) - right.fadeOut.length;
  const leftStart = left.start + left.fadeIn.length;
  const leftHits = hitsBetween(doc.sources, { ...left, length: leftLength - left.offset }, from, from + n);
  const rightHits = hitsBetween(doc.sources, { ...right, start: right.start - right.offset, offset: 0, length: rightLength }, from, from + n);
  const hits = [...leftHits, ...rightHits];
  /** Whether a splice may lie at a place, whatever the shift: within both clips' fades, and no attack is lost, doubled or blended over. */
  const may = Uint8Array.from({ length: 2 * reach + 1 }, (_, k) => {
    const s = k - reach;
    const [a, b] = [splice + s - half, splice + s - half + length];
    if (a < leftStart || b > rightEnd || left.offset + b - left.start > leftLength) return 0;
    if (s === 0) return 1;
    if (hits.some((h) => h >= a && h < b)) return 0;
    return (s < 0 ? leftHits.some((h) => h >= splice + s && h < splice) : rightHits.some((h) => h >= splice && h < splice + s)) ? 0 : 1;
  });
  /** From which place on the later clip, shifted, has material before it. */
  const firstWith = (shift: number): number => half + shift - right.offset + right.start - splice;
  // All channels that are played together; one alone stands for both.
  const pairs = Array.from(
    { length: Math.max(out.length, into.length) },
    (_, c) => [out[Math.min(c, out.length - 1)], into[Math.min(c, into.length - 1)]] as const,
  );
  /** For each place a window begins at, one over the root of the energy in it. */
  const inverse = (list: readonly Float32Array[]): Float64Array => {
    const energy = sums((i) => list.reduce((sum, x) => sum + x[i] * x[i], 0), list[0].length);
    return Float64Array.from({ length: energy.length - length }, (_, k) => {
      const e = energy[k + length] - energy[k];
      return e > 1e-9 ? 1 / Math.sqrt(e) : 0;
    });
  };
  const own = inverse(pairs.map(([x]) => x));
  const other = inverse(pairs.map(([, y]) => y));
  const products = new Float64Array(n);
  /** The likeness at each place for one shift, −2 where a splice may not lie: nothing of it is kept, however many shifts there are. */
  const alike = new Float64Array(2 * reach + 1);
  const lookThrough = (shift: number): number => {
    // Shifted later by so much, a place plays what lay so much before it.
    const lag = shifts - shift;
    products.fill(0);
    for (const [x, y] of pairs) addProducts(products, x, y, lag);
    return slide(products, length, may, firstWith(shift) + reach, own, other, lag, alike);
  };
  const still = pairs.reduce((sum, [x, y]) => {
    let part = 0;
    for (let i = reach; i < reach + length; i++) part += x[i] * y[i + shifts];
    return sum + part;
  }, 0);
  const before = still * own[reach] * other[reach + shifts];
  const greatestAt = new Float64Array(2 * shifts + 1).fill(-2);
  let any = false;
  for (let shift = 0 - shifts; shift <= shifts; shift++) {
    if (shift !== 0 && right.offset - shift + right.length > rightLength) continue;
    const most = lookThrough(shift);
    greatestAt[shift + shifts] = most;
    any ||= most > -2;
  }
  if (!any) return undefined;
  const greatest = greatestAt.reduce((m, r) => Math.max(m, r), -1);
  if (greatest <= before) return { splice, shift: 0, likeness: before, before };
  const energyOf = (list: Float32Array): number => list.reduce((sum, x) => sum + x * x, 0);
  const loudest = out.reduce((a, b) => (energyOf(b) > energyOf(a) ? b : a));
  const crossing = (s: number): number => {
    const middle = s + reach + half;
    for (let d = 0; d < half + reach; d++)
      for (const i of [middle - d, middle + d]) if (i > 0 && i < n && loudest[i - 1] < 0 !== loudest[i] < 0) return d;
    return Number.MAX_SAFE_INTEGER;
  };
  const far = Float64Array.from({ length: 2 * reach + 1 }, () => -1);
  let best: { s: number; shift: number; r: number; far: number } | null = null;
  for (let shift = 0 - shifts; shift <= shifts; shift++) {
    if (greatestAt[shift + shifts] < greatest - AS_GOOD) continue;
    lookThrough(shift);
    for (let k = 0; k <= 2 * reach; k++) {
      if (alike[k] < greatest - AS_GOOD) continue;
      if (far[k] < 0) far[k] = crossing(k - reach);
      const one = { s: k - reach, shift, r: alike[k], far: far[k] };
      if (!best || nearer(one, best)) best = one;
    }
  }
  const { s, shift, r } = best as unknown as { s: number; shift: number; r: number };
  return r >= before ? { splice: splice + s, shift, likeness: r, before } : { splice, shift: 0, likeness: before, before };
}

/** Adds to each sum the product of a sample and one so much later. */
function addProducts(to: Float64Array, x: Float32Array, y: Float32Array, lag: number): void {
  for (let i = 0; i < to.length; i++) to[i] += x[i] * y[i + lag];
}

/** Likenesses of windows that begin one after the other, from products and what their energies divide by; −2 where none may lie. Returns the greatest. */
function slide(
  products: Float64Array,
  length: number,
  may: Uint8Array,
  first: number,
  own: Float64Array,
  other: Float64Array,
  lag: number,
  alike: Float64Array,
): number {
  let [sum, most] = [0, -2];
  for (let i = 0; i < length - 1; i++) sum += products[i];
  for (let k = 0; k < alike.length; k++) {
    sum += products[k + length - 1];
    const r = may[k] !== 0 && k >= first ? sum * own[k] * other[k + lag] : -2;
    alike[k] = r;
    if (r > most) most = r;
    sum -= products[k];
  }
  return most;
}

/** Of two as good, the one nearer to a zero crossing; else the one that changes less. */
function nearer(a: { s: number; shift: number; far: number }, b: { s: number; shift: number; far: number }): boolean {
  return a.far !== b.far ? a.far < b.far : Math.abs(a.s) + Math.abs(a.shift) < Math.abs(b.s) + Math.abs(b.shift);
}
