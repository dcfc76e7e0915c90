import { lastAtOrBefore } from "../base/sorted";
import { TICKS_PER_QUARTER } from "./tempo";

/** From `tick` on, bars have `numerator` beats of 1/`denominator` note each. A meter event starts a bar. */
export interface MeterEvent {
  readonly tick: number;
  readonly numerator: number;
  readonly denominator: number;
}

export interface BarPosition {
  readonly bar: number;
  /** From 1. */
  readonly beat: number;
  /** Ticks into the beat, from 0. */
  readonly tick: number;
}

const WHOLE_NOTE = TICKS_PER_QUARTER * 4;
export const METER_DENOMINATORS = [1, 2, 4, 8, 16, 32, 64] as const;

interface Span {
  readonly tick: number;
  readonly numerator: number;
  readonly denominator: number;
  readonly beatTicks: number;
  readonly barTicks: number;
  /** Bars before this event, from 0. */
  readonly bars: number;
  /** Beats that begin before this event. */
  readonly beats: number;
}

/** Bars and beats to ticks and back. Invariant: events sorted by tick, the first at tick 0; an event in mid bar cuts that bar short. */
export class MeterMap {
  private readonly spans: Span[] = [];
  /** Where spans begin, as plain numbers to search in. */
  private readonly starts = { tick: [] as number[], bars: [] as number[], beats: [] as number[] };

  constructor(
    readonly events: readonly MeterEvent[],
    /** The number shown on the first bar. */
    readonly firstBar = 1,
  ) {
    if (events.length === 0 || events[0].tick !== 0) throw new RangeError("A meter map starts with a meter at tick 0.");
    let [bars, beats] = [0, 0];
    events.forEach((event, i) => {
      const { numerator, denominator } = event;
      if (!Number.isInteger(numerator) || numerator < 1 || numerator > 64)
        throw new RangeError(`A bar has 1 to 64 beats; ${numerator} is none of them.`);
      if (!(METER_DENOMINATORS as readonly number[]).includes(denominator))
        throw new RangeError(`A beat is a 1, 2, 4, 8, 16, 32 or 64th note, not 1/${denominator}.`);
      const previous = this.spans[i - 1];
      if (previous) {
        if (event.tick <= previous.tick) throw new RangeError("Meter events are in order and none share a tick.");
        bars += Math.ceil((event.tick - previous.tick) / previous.barTicks);
        beats += Math.ceil((event.tick - previous.tick) / previous.beatTicks);
      }
      const beatTicks = WHOLE_NOTE / denominator;
      this.spans.push({ ...event, beatTicks, barTicks: beatTicks * numerator, bars, beats });
      this.starts.tick.push(event.tick);
      this.starts.bars.push(bars);
      this.starts.beats.push(beats);
    });
  }

  private spanAt(value: number, key: "tick" | "bars" | "beats"): Span {
    return this.spans[Math.max(0, lastAtOrBefore(this.starts[key], value))];
  }

  meterAt(tick: number): { numerator: number; denominator: number; beatTicks: number; barTicks: number } {
    return this.spanAt(tick, "tick");
  }

  /** How many whole bars start before the bar that holds `tick` (0 for the first bar, whatever its number). */
  barIndexAt(tick: number): number {
    const span = this.spanAt(tick, "tick");
    return span.bars + Math.floor((tick - span.tick) / span.barTicks);
  }

  /** The tick at which bar `index` (from 0) starts. */
  barIndexToTick(index: number): number {
    const span = this.spanAt(index, "bars");
    return span.tick + (index - span.bars) * span.barTicks;
  }

  /** How many beats begin before the one that holds `tick`, whatever the meters on the way. */
  beatIndexAt(tick: number): number {
    const span = this.spanAt(tick, "tick");
    return span.beats + Math.floor((tick - span.tick) / span.beatTicks);
  }

  /** The tick at which beat `index` (from 0) of the whole map begins. */
  beatIndexToTick(index: number): number {
    const span = this.spanAt(index, "beats");
    return span.tick + (index - span.beats) * span.beatTicks;
  }

  /** Where a tick is, counted in bars, beats of the meter, and ticks. */
  position(tick: number): BarPosition {
    const span = this.spanAt(tick, "tick");
    const into = tick - span.tick;
    const bar = Math.floor(into / span.barTicks);
    const inBar = into - bar * span.barTicks;
    const beat = Math.floor(inBar / span.beatTicks);
    return { bar: span.bars + bar + this.firstBar, beat: beat + 1, tick: inBar - beat * span.beatTicks };
  }

  /** The tick of a bar, beat and tick; the beat may lie beyond its bar. */
  tickOf({ bar, beat, tick }: BarPosition): number {
    const start = this.barIndexToTick(bar - this.firstBar);
    return start + (beat - 1) * this.meterAt(start).beatTicks + tick;
  }
}
