import { ofPlayedId } from "../model/recipe/played-recording";

/** Gives the samples of recordings to whatever renders or measures. */
export interface PcmReader {
  /**
   * Copies `count` samples of a channel from sample `from` on into `out` at `at`. Returns false, with zeros in `out`, if they are not
   * at hand; the host is expected to have them ready (see `spansNeeded`).
   */
  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean;
}

/** A stretch of a recording, in samples at the project's rate. */
export interface SourceSpan {
  readonly sourceId: string;
  readonly from: number;
  readonly to: number;
}

/** Recordings held whole in memory, and those made from them: for tests and short work. */
export class MemoryReader implements PcmReader {
  constructor(private readonly sources: ReadonlyMap<string, readonly Float32Array[]>) {}

  read(sourceId: string, channel: number, from: number, out: Float32Array, at: number, count: number): boolean {
    const { forwards: id, reverse } = ofPlayedId(sourceId);
    const channels = this.sources.get(id);
    if (channels && reverse) {
      const whole = channels[Math.min(channel, channels.length - 1)];
      for (let i = 0; i < count; i++) out[at + i] = whole[whole.length - 1 - from - i];
      return true;
    }
    if (!channels) {
      out.fill(0, at, at + count);
      return false;
    }
    out.set(channels[Math.min(channel, channels.length - 1)].subarray(from, from + count), at);
    return true;
  }
}
