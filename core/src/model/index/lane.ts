import { firstWhere, lastWhere } from "../../base/sorted";
import { type Clip, clipEnd } from "../schema";

const inOrder = (a: Clip, b: Clip): number => a.start - b.start || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

/** A chunk is filled up to this when a lane is made, and parted when it grows past the most. */
const FILLED = 64;
const MOST = 128;

/** A run of clips of a lane, in order, with what a look at the lane as a whole must know of it. Never empty, never changed. */
interface Chunk {
  readonly clips: readonly Clip[];
  /** The latest end of its clips. */
  readonly end: number;
  readonly blends: boolean;
  /** Whether one of its clips lies over another of them. */
  readonly overlaps: boolean;
}

function chunkOf(clips: readonly Clip[]): Chunk {
  let [end, blends, overlaps] = [0, false, false];
  for (const clip of clips) {
    if (clip.start < end) overlaps = true;
    if (clip.blend) blends = true;
    end = Math.max(end, clipEnd(clip));
  }
  return { clips, end, blends, overlaps };
}

/** Sorted clips in chunks. */
function chunked(clips: readonly Clip[]): Chunk[] {
  const chunks: Chunk[] = [];
  for (let at = 0; at < clips.length; at += FILLED) chunks.push(chunkOf(clips.slice(at, at + FILLED)));
  return chunks;
}

/** Sorted clips without some of them: mostly those come in order too, and one walk beside each other finds them. */
function without(clips: readonly Clip[], removed: readonly Clip[]): readonly Clip[] {
  const left: Clip[] = [];
  let next = 0;
  for (const clip of clips) {
    if (clip === removed[next]) next++;
    else left.push(clip);
  }
  if (next === removed.length) return left;
  const gone = new Set(removed.map((c) => c.id));
  return clips.filter((c) => !gone.has(c.id));
}

const sorted = (clips: readonly Clip[]): readonly Clip[] =>
  clips.every((c, i) => i === 0 || inOrder(clips[i - 1], c) <= 0) ? clips : [...clips].sort(inOrder);

/** Two runs of sorted clips as one. */
function merged(a: readonly Clip[], b: readonly Clip[]): readonly Clip[] {
  if (a.length === 0) return b;
  const out: Clip[] = [];
  let [i, j] = [0, 0];
  while (i < a.length && j < b.length) out.push(inOrder(a[i], b[j]) <= 0 ? a[i++] : b[j++]);
  while (i < a.length) out.push(a[i++]);
  while (j < b.length) out.push(b[j++]);
  return out;
}

/**
 * The clips of one track. Invariant: sorted by start, then id. They lie in chunks that lanes share, so that a change copies one of them
 * and looks at a few dozen clips however many there are, and a long clip is looked at only where its own chunk reaches.
 */
export class Lane {
  private flat: readonly Clip[] | null = null;

  private constructor(private readonly chunks: readonly Chunk[]) {}

  static readonly empty = new Lane([]);

  static from(clips: readonly Clip[]): Lane {
    return new Lane(chunked(sorted(clips)));
  }

  get size(): number {
    return this.flat?.length ?? this.chunks.reduce((n, c) => n + c.clips.length, 0);
  }

  /** All clips in order. */
  get clips(): readonly Clip[] {
    this.flat ??= ([] as Clip[]).concat(...this.chunks.map((c) => c.clips));
    return this.flat;
  }

  /** The lane without `removed` (clips of this lane) and with `added`. */
  with(removed: readonly Clip[], added: readonly Clip[]): Lane {
    if (removed.length + added.length > 16) {
      return new Lane(chunked(merged(without(this.clips, removed), sorted(added))));
    }
    const chunks = this.chunks.slice();
    for (const clip of removed) {
      const k = chunkFor(chunks, clip);
      const clips = chunks[k].clips.slice();
      clips.splice(placeIn(clips, clip), 1);
      if (clips.length) chunks[k] = chunkOf(clips);
      else chunks.splice(k, 1);
    }
    for (const clip of added) {
      if (chunks.length === 0) {
        chunks.push(chunkOf([clip]));
        continue;
      }
      const k = chunkFor(chunks, clip);
      const clips = chunks[k].clips.slice();
      clips.splice(placeIn(clips, clip), 0, clip);
      if (clips.length > MOST) chunks.splice(k, 1, ...chunked(clips));
      else chunks[k] = chunkOf(clips);
    }
    return new Lane(chunks);
  }

  /** Whether any clip takes over from another in a blend. */
  get hasBlends(): boolean {
    return this.chunks.some((c) => c.blends);
  }

  /** Whether any clip lies over another, blends among them. */
  get hasOverlaps(): boolean {
    let end = 0;
    return this.chunks.some((c) => {
      if (c.overlaps || c.clips[0].start < end) return true;
      end = Math.max(end, c.end);
      return false;
    });
  }

  /** Where the last clip to end ends, in samples; 0 for an empty lane. */
  get end(): number {
    return this.chunks.reduce((m, c) => Math.max(m, c.end), 0);
  }

  /** Index of the first clip that starts at or after a position. */
  firstFrom(position: number): number {
    const { clips } = this;
    return firstWhere(clips.length, (i) => clips[i].start >= position);
  }

  /** The clips that have a sample in [from, to), in order. */
  within(from: number, to: number): Clip[] {
    const found: Clip[] = [];
    for (const { clips, end } of this.chunks) {
      if (clips[0].start >= to) break;
      if (end <= from) continue;
      for (const clip of clips) {
        if (clip.start >= to) break;
        if (clipEnd(clip) > from) found.push(clip);
      }
    }
    return found;
  }
}

/** The chunk in which a clip lies, or belongs: the last whose first clip does not come after it. */
const chunkFor = (chunks: readonly Chunk[], clip: Clip): number =>
  Math.max(
    0,
    lastWhere(chunks.length, (i) => inOrder(chunks[i].clips[0], clip) <= 0),
  );

/** Index at which a clip lies, or belongs, in a run of clips. */
const placeIn = (clips: readonly Clip[], clip: Clip): number => firstWhere(clips.length, (i) => inOrder(clips[i], clip) >= 0);
