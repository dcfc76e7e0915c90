import { CHUNK } from "../analysis/peaks";

/**
 * Copies `count` samples from sample `from` on out of chunks of 65,536: `chunk(index)` gives one channel's samples of a chunk, or undefined
 * while it is not at hand. Returns false, with zeros in those places, where any was missing.
 */
export function readChunked(chunk: (index: number) => Float32Array | undefined, from: number, out: Float32Array, at: number, count: number): boolean {
  let whole = true;
  for (let done = 0; done < count; ) {
    const index = Math.floor((from + done) / CHUNK);
    const into = from + done - index * CHUNK;
    const n = Math.min(count - done, CHUNK - into);
    const samples = chunk(index);
    if (samples) out.set(samples.subarray(into, into + n), at + done);
    else {
      out.fill(0, at + done, at + done + n);
      whole = false;
    }
    done += n;
  }
  return whole;
}

/** One channel of a chunk that holds all channels, one after the other. */
export function channelOf(chunk: Float32Array, channels: number, channel: number): Float32Array {
  const length = chunk.length / channels;
  return chunk.subarray(channel * length, (channel + 1) * length);
}
