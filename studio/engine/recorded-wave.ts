/** Frames that one column of a growing waveform stands for. */
export const WAVE_STEP = 256;

/** The least and the greatest sample of every 256 frames of what comes in, for each group of channels: what is drawn while it grows. */
export class RecordedWave {
  readonly lows: number[][];
  readonly highs: number[][];
  private held = 0;
  private low: number[];
  private high: number[];

  /** `groups` are, for each track, the channels (in what comes in) that are its own. */
  constructor(
    private readonly groups: readonly (readonly number[])[],
    private readonly width: number,
  ) {
    this.lows = groups.map(() => []);
    this.highs = groups.map(() => []);
    this.low = groups.map(() => 0);
    this.high = groups.map(() => 0);
  }

  /** Takes interleaved samples. */
  push(samples: Float32Array): void {
    const frames = samples.length / this.width;
    for (let i = 0; i < frames; i++) {
      for (const [g, channels] of this.groups.entries())
        for (const c of channels) {
          const v = samples[i * this.width + c];
          if (v < this.low[g]) this.low[g] = v;
          if (v > this.high[g]) this.high[g] = v;
        }
      if (++this.held < WAVE_STEP) continue;
      this.held = 0;
      for (const g of this.groups.keys()) {
        this.lows[g].push(this.low[g]);
        this.highs[g].push(this.high[g]);
        this.low[g] = 0;
        this.high[g] = 0;
      }
    }
  }
}
