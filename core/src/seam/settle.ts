import { blendAfter, type Document } from "../model/document";
import { hitsBetween } from "../model/hits";
import { playedId, playedSource } from "../model/played";
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
  /** Whether a splice may lie at a place: there is material on both sides, and no attack is lost, doubled or blended over. */
  const allowed = (s: number, shift: number): boolean => {
    const [a, b] = [splice + s - half, splice + s - half + length];
    if (a < leftStart || b > rightEnd) return false;
    if (left.offset + b - left.start > leftLength || right.offset + a - right.start - shift < 0) return false;
    if (shift !== 0 && right.offset - shift + right.length > rightLength) return false;
    if (s === 0) return true;
    if ([...leftHits, ...rightHits].some((h) => h >= a && h < b)) return false;
    return s < 0 ? !leftHits.some((h) => h >= splice + s && h < splice) : !rightHits.some((h) => h >= splice && h < splice + s);
  };
  // All channels that are played together; one alone stands for both.
  const pairs = Array.from(
    { length: Math.max(out.length, into.length) },
    (_, c) => [out[Math.min(c, out.length - 1)], into[Math.min(c, into.length - 1)]] as const,
  );
  const product = (list: readonly (readonly [Float32Array, Float32Array])[], i: number, j: number): number => {
    let sum = 0;
    for (const [x, y] of list) sum += x[i] * y[j];
    return sum;
  };
  const outs = pairs.map(([x]) => [x, x] as const);
  const intos = pairs.map(([, y]) => [y, y] as const);
  const own = sums((i) => product(outs, i, i), n);
  const found: { s: number; shift: number; r: number }[] = [];
  let before = 0;
  for (let lag = 2 * shifts; lag >= 0; lag--) {
    // Shifted later by so much, a place plays what lay so much before it.
    const shift = shifts - lag;
    const both = sums((i) => product(pairs, i, i + lag), n);
    const other = sums((i) => product(intos, i + lag, i + lag), n);
    for (let s = -reach; s <= reach; s++) {
      const [a, b] = [s + reach, s + reach + length];
      const energy = (own[b] - own[a]) * (other[b] - other[a]);
      const r = energy > 1e-18 ? (both[b] - both[a]) / Math.sqrt(energy) : 0;
      if (s === 0 && shift === 0) before = r;
      if (allowed(s, shift)) found.push({ s, shift, r });
    }
  }
  if (found.length === 0) return undefined;
  const greatest = found.reduce((m, c) => Math.max(m, c.r), -1);
  if (greatest <= before) return { splice, shift: 0, likeness: before, before };
  const energyOf = (list: Float32Array): number => list.reduce((sum, x) => sum + x * x, 0);
  const loudest = out.reduce((a, b) => (energyOf(b) > energyOf(a) ? b : a));
  const crossing = (s: number): number => {
    const middle = s + reach + half;
    for (let d = 0; d < half + reach; d++)
      for (const i of [middle - d, middle + d]) if (i > 0 && i < n && loudest[i - 1] < 0 !== loudest[i] < 0) return d;
    return Number.MAX_SAFE_INTEGER;
  };
  const best = found
    .filter((c) => c.r >= greatest - AS_GOOD)
    .map((c) => ({ ...c, far: crossing(c.s) }))
    .sort((a, b) => a.far - b.far || Math.abs(a.s) + Math.abs(a.shift) - Math.abs(b.s) - Math.abs(b.shift))[0];
  return best.r >= before ? { splice: splice + best.s, shift: best.shift, likeness: best.r, before } : { splice, shift: 0, likeness: before, before };
}
