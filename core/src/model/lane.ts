import { type Clip, clipEnd } from "./schema";

const inOrder = (a: Clip, b: Clip): number => a.start - b.start || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

/** The clips of one track. Invariant: sorted by start, then id; `longest` is at least the length of the longest clip. */
export class Lane {
  private constructor(
    readonly clips: readonly Clip[],
    readonly longest: number,
  ) {}

  static readonly empty = new Lane([], 0);

  static from(clips: readonly Clip[]): Lane {
    return new Lane(
      [...clips].sort(inOrder),
      clips.reduce((m, c) => Math.max(m, c.length), 0),
    );
  }

  /** The lane without `removed` (clips of this lane) and with `added`. */
  with(removed: readonly Clip[], added: readonly Clip[]): Lane {
    const longest = added.reduce((m, c) => Math.max(m, c.length), this.longest);
    if (removed.length + added.length > 16) {
      const gone = new Set(removed.map((c) => c.id));
      return new Lane([...this.clips.filter((c) => !gone.has(c.id)), ...added].sort(inOrder), longest);
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
    return new Lane(clips, longest);
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
    for (let i = this.firstFrom(from - this.longest); i < this.clips.length && this.clips[i].start < to; i++) {
      if (clipEnd(this.clips[i]) > from) found.push(this.clips[i]);
    }
    return found;
  }
}
