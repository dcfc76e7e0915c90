/** Fastest that scrubbing goes, in times of normal speed; slower than `STILL` it fades to silence. */
const MOST_SPEED = 8;
const STILL = 0.04;
/** Within this time, in seconds, the ear catches up with the hand. */
const CATCH_UP = 0.08;
/** How much of the way to the wished speed is gone in one block of BLOCK frames: smooth, but no drag to be felt. */
const EASE = 0.4;

/** Frames that are made in one go. */
export const SCRUB_BLOCK = 256;
/** Longest stretch of the timeline that one block can read. */
export const SCRUB_REACH = MOST_SPEED * SCRUB_BLOCK + 8;

/** Fills both outputs with [from, from + count) of the timeline. */
export type Rendered = (from: number, count: number, left: Float32Array, right: Float32Array) => void;

/**
 * Sound under the hand: it follows a wished position at the speed at which that moves, forwards or backwards, higher when faster and lower
 * when slower, and is silent while the hand rests. Positions are samples of the timeline, with their fraction.
 */
export class Scrub {
  private speed = 0;
  private readonly left = new Float32Array(SCRUB_REACH);
  private readonly right = new Float32Array(SCRUB_REACH);

  constructor(
    public position: number,
    private readonly sampleRate: number,
  ) {}

  /** The stretch that the next block towards `wanted` may read. */
  reach(): { from: number; to: number } {
    return { from: Math.max(0, Math.floor(this.position) - SCRUB_REACH), to: Math.ceil(this.position) + SCRUB_REACH };
  }

  /** Makes the next SCRUB_BLOCK frames on the way to `wanted`. */
  next(wanted: number, rendered: Rendered, outLeft: Float32Array, outRight: Float32Array): void {
    const wish = (wanted - this.position) / (CATCH_UP * this.sampleRate);
    const before = this.speed;
    const after = before + (Math.max(-MOST_SPEED, Math.min(MOST_SPEED, wish)) - before) * EASE;
    const moved = ((before + after) / 2) * SCRUB_BLOCK;
    const lowest = Math.min(0, moved, before * SCRUB_BLOCK, after * SCRUB_BLOCK);
    const base = Math.floor(this.position + lowest) - 2;
    const span = Math.min(SCRUB_REACH, Math.ceil(Math.abs(moved) + Math.abs(after - before) * SCRUB_BLOCK) + 6);
    const from = Math.max(0, base);
    const skip = from - base;
    this.left.fill(0, 0, span);
    this.right.fill(0, 0, span);
    if (span > skip) rendered(from, span - skip, this.left.subarray(skip), this.right.subarray(skip));
    let at = this.position;
    for (let i = 0; i < SCRUB_BLOCK; i++) {
      const speed = before + ((after - before) * (i + 0.5)) / SCRUB_BLOCK;
      const gain = Math.min(1, Math.abs(speed) / STILL);
      const x = Math.max(0, Math.min(span - 2, at - base));
      const k = Math.floor(x);
      const part = x - k;
      outLeft[i] = (this.left[k] + (this.left[k + 1] - this.left[k]) * part) * gain;
      outRight[i] = (this.right[k] + (this.right[k + 1] - this.right[k]) * part) * gain;
      at = Math.max(0, at + speed);
    }
    this.position = at;
    this.speed = after;
  }
}
