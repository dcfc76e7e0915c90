import { HEADER, RING_FRAMES, type Ring, ringOf } from "../ring";

declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare function registerProcessor(
  name: string,
  processor: new (options: { processorOptions: { memory: SharedArrayBuffer } }) => AudioWorkletProcessor,
): void;

/** Copies frames out of the ring and counts them; silence while not playing, and where the ring has run dry (which is counted). */
class Player extends AudioWorkletProcessor {
  private readonly ring: Ring;

  constructor(options: { processorOptions: { memory: SharedArrayBuffer } }) {
    super();
    this.ring = ringOf(options.processorOptions.memory);
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const { header, left, right } = this.ring;
    const [outLeft, outRight = outLeft] = outputs[0];
    if (Atomics.load(header, HEADER.playing) === 0) return true;
    const read = Atomics.load(header, HEADER.read);
    const ready = Atomics.load(header, HEADER.written) - read;
    const n = Math.min(outLeft.length, ready);
    for (let i = 0; i < n; i++) {
      const at = (read + i) & (RING_FRAMES - 1);
      outLeft[i] = left[at];
      outRight[i] = right[at];
    }
    if (n < outLeft.length) Atomics.add(header, HEADER.starved, 1);
    Atomics.store(header, HEADER.read, read + n);
    Atomics.notify(header, HEADER.read);
    return true;
  }
}

registerProcessor("player", Player);
