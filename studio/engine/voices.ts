/** A slice that sounds: from a frame of all that is made on. */
interface Voice {
  readonly pad: number;
  readonly sound: readonly Float32Array[];
  readonly start: number;
  readonly gain: number;
  /** Where the same key was struck anew: it dies away from there on. */
  end: number;
}

/** Frames over which a voice dies away whose key was struck anew. */
const DIES = 240;

/** Slices that were struck and sound beside whatever else is made. What they add to a frame depends on the frame alone, so it can be made anew. */
export class Voices {
  private list: Voice[] = [];

  get any(): boolean {
    return this.list.length > 0;
  }

  /** Strikes a key at a frame: its slice begins there, and one of the same key that still sounds dies away. */
  strike(pad: number, sound: readonly Float32Array[], start: number, gain: number): void {
    for (const v of this.list) if (v.pad === pad) v.end = Math.min(v.end, start);
    this.list.push({ pad, sound, start, gain, end: Number.POSITIVE_INFINITY });
  }

  /** All of them end at once. */
  clear(): void {
    this.list = [];
  }

  /** Adds what sounds in [frame, frame + n) to both channels at `at`. */
  add(frame: number, n: number, left: Float32Array, right: Float32Array, at: number): void {
    for (const { sound, start, gain, end } of this.list) {
      const [l, r = l] = sound;
      const last = Math.min(start + l.length, frame + n, end + DIES);
      for (let f = Math.max(frame, start); f < last; f++) {
        const g = f < end ? gain : gain * (1 - (f - end + 0.5) / DIES);
        left[at + f - frame] += l[f - start] * g;
        right[at + f - frame] += r[f - start] * g;
      }
    }
  }

  /** Forgets those that are over at a frame. */
  prune(frame: number): void {
    this.list = this.list.filter(({ sound, start, end }) => Math.min(start + sound[0].length, end + DIES) > frame);
  }
}
