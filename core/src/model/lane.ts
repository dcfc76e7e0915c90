import { type Clip, clipEnd } from "./schema";

const inOrder = (a: Clip, b: Clip): number => a.start - b.start || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

/** So many clips share one entry of `ends`. */
const BLOCK = 64;

/**
 * The clips of one track. Invariant: sorted by start, then id. So that looking into one place costs as much whatever else lies on the
 * track, the latest end of each block of clips is kept beside them: a long clip is looked at only where its own block reaches.
 */
export class Lane {
  private blocks: Float64Array | null = null;

  private constructor(readonly clips: readonly Clip[]) {}

  static readonly empty = new Lane([]);

  static from(clips: readonly Clip[]): Lane {
    return new Lane([...clips].sort(inOrder));
  }

  /** The lane without `removed` (clips of this lane) and with `added`. */
  with(removed: readonly Clip[], added: readonly Clip[]): Lane {
    if (removed.length + added.length > 16) {
      const gone = new Set(removed.map((c) => c.id));
      return new Lane([...this.clips.filter((c) => !gone.has(c.id)), ...added].sort(inOrder));
    }
    const clips = this.clips.slice();
    const place = (clip: Clip): number => {
      let low = 0;
      let high = clips.length;
      while (low < high) {
        const middle = (low + high) >> 1;
        if (inOrder(clips[middle], clip) < 0) low = middle + 1;
        else high = middle;
      }
      return low;
    };
    for (const clip of removed) clips.splice(place(clip), 1);
    for (const clip of added) clips.splice(place(clip), 0, clip);
    return new Lane(clips);
  }

  /** The latest end in each block of clips. */
  private get ends(): Float64Array {
    if (!this.blocks) {
      const { clips } = this;
      const ends = new Float64Array(Math.ceil(clips.length / BLOCK));
      for (let i = 0; i < clips.length; i++) {
        const end = clips[i].start + clips[i].length;
        if (end > ends[(i / BLOCK) | 0]) ends[(i / BLOCK) | 0] = end;
      }
      this.blocks = ends;
    }
    return this.blocks;
  }

  /** Where the last clip to end ends, in samples; 0 for an empty lane. */
  get end(): number {
    let end = 0;
    for (const e of this.ends) if (e > end) end = e;
    return end;
  }

  /** Index of the first clip that starts at or after a position. */
  firstFrom(position: number): number {
    let low = 0;
    let high = this.clips.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.clips[middle].start < position) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /** The clips that have a sample in [from, to), in order. */
  within(from: number, to: number): Clip[] {
    const found: Clip[] = [];
    const { clips, ends } = this;
    const stop = this.firstFrom(to);
    for (let b = 0; b * BLOCK < stop; b++) {
      if (ends[b] <= from) continue;
      const last = Math.min(stop, (b + 1) * BLOCK);
      for (let i = b * BLOCK; i < last; i++) if (clipEnd(clips[i]) > from) found.push(clips[i]);
    }
    return found;
  }
}
