import { lastAtOrBefore } from "../base/sorted";
import { add, divide, fromDecimal, multiply, type Rational, rational, roundRational, toNumber } from "./rational";

/** Ticks to a quarter note. */
export const TICKS_PER_QUARTER = 960;
export const MIN_BPM = 20;
export const MAX_BPM = 400;

/** From `tick` on the tempo is `bpm` quarter notes a minute; with `ramp` it glides, evenly in ticks, to the next event's tempo. */
export interface TempoEvent {
  readonly tick: number;
  readonly bpm: number;
  readonly ramp?: boolean;
}

interface Segment {
  readonly tick: number;
  readonly anchor: Rational;
  readonly anchorSample: number;
  readonly samplesPerTick: Rational;
  readonly spt: number;
  readonly bpm: number;
  /** For a ramp: the tempo at its end and its length in ticks. */
  readonly toBpm: number;
  readonly ticks: number;
}

/** How close to a half the fast path in doubles may come before the exact path decides; its own error stays below 1e-5 sample. */
const DOUBT = 1e-3;
/** A ramp's end is irrational; its anchor is fixed to this fraction of a sample, the same on every machine. */
const RAMP_STEPS = 2 ** 20;

/**
 * The denominators of tempos with decimals multiply: after some dozen of them a fraction is so long that thousands could not be worked out any
 * more. From so many bits on an anchor is kept to 2^−80 of a sample, the same on every machine; nothing that is a whole or a half sample has that many.
 */
const MOST_BITS = 2n ** 200n;
const KEPT = 2n ** 80n;
const bounded = (a: Rational): Rational => (a.den < MOST_BITS ? a : rational((2n * a.num * KEPT + a.den) / (2n * a.den), KEPT));

/**
 * Ticks to samples and back. Each event's anchor is an exact fraction of a sample, so that nothing accumulates however many bars
 * lie before; the result is rounded once. Invariant: events are sorted by tick, the first is at tick 0, none share a tick.
 */
export class TempoMap {
  private readonly segments: Segment[] = [];
  /** Where segments begin, as plain numbers to search in. */
  private readonly starts = { tick: [] as number[], anchorSample: [] as number[] };

  constructor(
    readonly events: readonly TempoEvent[],
    readonly sampleRate: number,
  ) {
    if (events.length === 0 || events[0].tick !== 0) throw new RangeError("A tempo map starts with a tempo at tick 0.");
    let anchor = rational(0n);
    events.forEach((event, i) => {
      if (!(event.bpm >= MIN_BPM && event.bpm <= MAX_BPM))
        throw new RangeError(`A tempo lies between ${MIN_BPM} and ${MAX_BPM}; ${event.bpm} does not.`);
      if (i > 0 && event.tick <= events[i - 1].tick) throw new RangeError("Tempo events are in order and none share a tick.");
      // rate · 60 / (bpm · 960) samples a tick
      const samplesPerTick = divide(rational(BigInt(sampleRate) * 60n), multiply(fromDecimal(event.bpm), rational(BigInt(TICKS_PER_QUARTER))));
      const next = events[i + 1];
      const ramps = event.ramp === true && next !== undefined && next.bpm !== event.bpm;
      const segment: Segment = {
        tick: event.tick,
        anchor,
        anchorSample: toNumber(anchor),
        samplesPerTick,
        spt: toNumber(samplesPerTick),
        bpm: event.bpm,
        toBpm: ramps ? next.bpm : event.bpm,
        ticks: next ? next.tick - event.tick : Number.POSITIVE_INFINITY,
      };
      this.segments.push(segment);
      this.starts.tick.push(segment.tick);
      this.starts.anchorSample.push(segment.anchorSample);
      if (!next) return;
      anchor = bounded(
        ramps
          ? add(anchor, rational(BigInt(Math.round(this.rampSamples(segment, segment.ticks) * RAMP_STEPS)), BigInt(RAMP_STEPS)))
          : add(anchor, multiply(samplesPerTick, rational(BigInt(segment.ticks)))),
      );
    });
  }

  /** Samples from a ramp's start to `ticks` into it: rate/16 · T/(b1−b0) · ln(b(t)/b0), the integral of 60·rate/(960·b(t)). */
  private rampSamples(s: Segment, ticks: number): number {
    const slope = (s.toBpm - s.bpm) / s.ticks;
    return ((this.sampleRate * 60) / TICKS_PER_QUARTER / slope) * Math.log1p((slope * ticks) / s.bpm);
  }

  private segmentAt(value: number, key: "tick" | "anchorSample"): Segment {
    return this.segments[Math.max(0, lastAtOrBefore(this.starts[key], value))];
  }

  /** The position of a tick, which may be a fraction, in samples with their fraction. */
  samplesAt(tick: number): number {
    const s = this.segmentAt(tick, "tick");
    const ticks = tick - s.tick;
    return s.anchorSample + (s.toBpm === s.bpm ? ticks * s.spt : this.rampSamples(s, ticks));
  }

  /** The sample nearest to a tick (an integer). */
  tickToSample(tick: number): number {
    const s = this.segmentAt(tick, "tick");
    const ticks = tick - s.tick;
    if (s.toBpm !== s.bpm) return Math.round(s.anchorSample + this.rampSamples(s, ticks));
    const position = s.anchorSample + ticks * s.spt;
    const whole = Math.floor(position);
    if (Math.abs(position - whole - 0.5) > DOUBT || !Number.isInteger(ticks)) return Math.round(position);
    return roundRational(add(s.anchor, multiply(s.samplesPerTick, rational(BigInt(ticks)))));
  }

  /** The place of a sample in ticks, with the fraction. */
  ticksAt(sample: number): number {
    const s = this.segmentAt(sample, "anchorSample");
    const samples = sample - s.anchorSample;
    if (s.toBpm === s.bpm) return s.tick + samples / s.spt;
    const slope = (s.toBpm - s.bpm) / s.ticks;
    return s.tick + (s.bpm / slope) * Math.expm1((samples * slope * TICKS_PER_QUARTER) / (60 * this.sampleRate));
  }

  /** Where a position is in ticks: at the nearest one when that tick's sample is the position (semantics, Time), else with its fraction. */
  placeOf(sample: number): number {
    const exact = this.ticksAt(sample);
    const nearest = Math.round(exact);
    return this.tickToSample(nearest) === sample ? nearest : exact;
  }

  /** The sample nearest to a tick that may be a fraction. */
  sampleAt(tick: number): number {
    return Number.isInteger(tick) ? this.tickToSample(tick) : Math.round(this.samplesAt(tick));
  }

  /** The tick nearest to a sample. tickToSample then sampleToTick is the identity while a tick is longer than a sample. */
  sampleToTick(sample: number): number {
    return Math.round(this.ticksAt(sample));
  }

  /** Quarter notes a minute in force at a tick. */
  bpmAt(tick: number): number {
    const s = this.segmentAt(tick, "tick");
    return s.toBpm === s.bpm ? s.bpm : s.bpm + ((s.toBpm - s.bpm) * (tick - s.tick)) / s.ticks;
  }
}
