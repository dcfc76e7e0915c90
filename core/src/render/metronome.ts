import type { CountIn } from "../time/count-in";
import { type GridLines, gridLines, type Timebase } from "../time/grid";

/** Pitch, in Hz, of a beat and of the first beat of a bar; how long a tick lasts, and how fast it dies away, in seconds. */
const BEAT_HZ = 1320;
const BAR_HZ = 1980;
const LASTS = 0.04;
const DECAY = 0.007;

/** The ticks of a metronome over the beats of the meter: heard besides a piece, never part of it. */
export class Metronome {
  private readonly lines: GridLines;
  private readonly ticks: readonly [Float32Array, Float32Array];

  constructor(timebase: Timebase) {
    this.lines = gridLines({ kind: "beat", count: 1 }, timebase);
    const tick = (hertz: number): Float32Array =>
      Float32Array.from({ length: Math.round(LASTS * timebase.sampleRate) }, (_, i) => {
        const t = i / timebase.sampleRate;
        return Math.sin(2 * Math.PI * hertz * t) * Math.exp(-t / DECAY) * Math.min(1, i / 16);
      });
    this.ticks = [tick(BEAT_HZ), tick(BAR_HZ)];
  }

  /** Adds the ticks that sound in [from, from + n) to both outputs at `at`, at a gain as a factor. The result does not depend on block borders. */
  add(from: number, n: number, left: Float32Array, right: Float32Array, at: number, gain: number): void {
    let line = this.lines.before(Math.max(0, from - this.ticks[0].length));
    for (; line.sample < from + n; line = this.lines.after(line.sample)) this.strike(line.sample, line.rank >= 2, from, n, left, right, at, gain);
  }

  /** The same for a count-in, whose frames count from its own beginning. */
  addCountIn(count: CountIn, from: number, n: number, left: Float32Array, right: Float32Array, at: number, gain: number): void {
    for (const { at: place, bar } of count.ticks) this.strike(place, bar, from, n, left, right, at, gain);
  }

  private strike(place: number, bar: boolean, from: number, n: number, left: Float32Array, right: Float32Array, at: number, gain: number): void {
    const tick = this.ticks[bar ? 1 : 0];
    const last = Math.min(tick.length, from + n - place);
    for (let i = Math.max(0, from - place); i < last; i++) {
      const to = at + place + i - from;
      left[to] += tick[i] * gain;
      right[to] += tick[i] * gain;
    }
  }
}
