/**
 * The ring between the engine worker (which writes) and the audio worklet (which only copies out): two channels of floats in shared
 * memory, and counters of frames that only grow. Invariant: read ≤ written ≤ read + FRAMES.
 */
export const RING_FRAMES = 16_384;
/** Frames that lie ready before playing starts. */
export const HEAD_START = 8192;

export const HEADER = { read: 0, written: 1, playing: 2, starved: 3 } as const;
const HEADER_INTS = 8;

export interface Ring {
  readonly memory: SharedArrayBuffer;
  readonly header: Int32Array;
  readonly left: Float32Array;
  readonly right: Float32Array;
}

export const newRing = (): SharedArrayBuffer => new SharedArrayBuffer(HEADER_INTS * 4 + 2 * RING_FRAMES * 4);

export function ringOf(memory: SharedArrayBuffer): Ring {
  const start = HEADER_INTS * 4;
  return {
    memory,
    header: new Int32Array(memory, 0, HEADER_INTS),
    left: new Float32Array(memory, start, RING_FRAMES),
    right: new Float32Array(memory, start + RING_FRAMES * 4, RING_FRAMES),
  };
}
