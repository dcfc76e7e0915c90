/**
 * The ring between the engine worker (which writes) and the audio worklet (which only copies out): two channels of floats in shared
 * memory, a third one that is not for the ear (what the stand-in for a sound device plays), and counters of frames that only grow. Invariant: read ≤ written ≤ read + FRAMES. The counters are of 64 bits: those of 32 would
 * be full after half a day of playing.
 */
export const RING_FRAMES = 16_384;
/** Frames that lie ready before playing starts. */
export const HEAD_START = 8192;

/** Places of the counters of frames. */
export const COUNTER = { read: 0, written: 1 } as const;
/** Places of the flags, in 32 bits: they follow on the counters. */
export const FLAG = { playing: 0, starved: 1 } as const;
const COUNTER_BYTES = 16;
const HEADER_BYTES = 32;

export interface Ring {
  readonly memory: SharedArrayBuffer | ArrayBuffer;
  readonly counters: BigInt64Array;
  readonly flags: Int32Array;
  readonly left: Float32Array;
  readonly right: Float32Array;
  readonly side: Float32Array;
}

const BYTES = HEADER_BYTES + 3 * RING_FRAMES * 4;
/** Shared where the page may share memory; elsewhere there is no sound, and the ring only stands still. */
export const newRing = (): SharedArrayBuffer | ArrayBuffer =>
  typeof SharedArrayBuffer === "undefined" ? new ArrayBuffer(BYTES) : new SharedArrayBuffer(BYTES);

export const ringOf = (memory: SharedArrayBuffer | ArrayBuffer): Ring => ({
  memory,
  counters: new BigInt64Array(memory, 0, 2),
  flags: new Int32Array(memory, COUNTER_BYTES, 2),
  left: new Float32Array(memory, HEADER_BYTES, RING_FRAMES),
  right: new Float32Array(memory, HEADER_BYTES + RING_FRAMES * 4, RING_FRAMES),
  side: new Float32Array(memory, HEADER_BYTES + 2 * RING_FRAMES * 4, RING_FRAMES),
});

/** Frames that have gone to the ear, and that have been written, since the page was opened. */
export const framesRead = (ring: Ring): number => Number(Atomics.load(ring.counters, COUNTER.read));
export const framesWritten = (ring: Ring): number => Number(Atomics.load(ring.counters, COUNTER.written));
export const setWritten = (ring: Ring, frames: number): void => void Atomics.store(ring.counters, COUNTER.written, BigInt(frames));

export const isPlaying = (ring: Ring): boolean => Atomics.load(ring.flags, FLAG.playing) === 1;
export const setPlaying = (ring: Ring, on: boolean): void => void Atomics.store(ring.flags, FLAG.playing, on ? 1 : 0);
/** How often the ring ran dry. */
export const timesStarved = (ring: Ring): number => Atomics.load(ring.flags, FLAG.starved);

/** Where a frame lies in the ring. */
export const placeOf = (frame: number): number => frame % RING_FRAMES;
