import { COUNTER, FLAG, framesRead, framesWritten, isPlaying, placeOf, type Ring, ringOf } from "../ring";

/**
 * Copies frames out of the ring and counts them; silence while not playing, and where the ring has run dry (which is counted). The second
 * output is what the stand-in for a sound device plays. Each time frames begin to go along with the device's own count anew, it says so.
 */
class Player extends AudioWorkletProcessor {
  private readonly ring: Ring;
  private ahead = Number.NaN;

  constructor(options: { processorOptions: { memory: SharedArrayBuffer } }) {
    super();
    this.ring = ringOf(options.processorOptions.memory);
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const { ring } = this;
    const [outLeft, outRight = outLeft] = outputs[0];
    const side = outputs[1]?.[0];
    if (!isPlaying(ring)) return true;
    const read = framesRead(ring);
    const n = Math.max(0, Math.min(outLeft.length, framesWritten(ring) - read));
    if (n > 0 && currentFrame - read !== this.ahead) {
      this.ahead = currentFrame - read;
      this.port.postMessage({ frame: currentFrame, to: read });
    }
    for (let i = 0; i < n; i++) {
      const at = placeOf(read + i);
      outLeft[i] = ring.left[at];
      outRight[i] = ring.right[at];
      if (side) side[i] = ring.side[at];
    }
    if (n < outLeft.length) Atomics.add(ring.flags, FLAG.starved, 1);
    Atomics.store(ring.counters, COUNTER.read, BigInt(read + n));
    Atomics.notify(ring.counters, COUNTER.read);
    return true;
  }
}

registerProcessor("player", Player);
