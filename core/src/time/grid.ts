import { type GridStep, type MusicalMeasure, measureOf, NOTE_DIVISIONS, noteTicks, type PlainMeasure } from "./grid-step";
import type { MeterMap } from "./meter";
import { roundMultiple } from "./rational";
import { type TempoMap, TICKS_PER_QUARTER } from "./tempo";
import type { FrameRate } from "./timecode";

/** Which ladder a grid that follows zoom climbs. */
export type GridFamily = "musical" | "time" | "frame" | "sample";

export interface Timebase {
  readonly sampleRate: number;
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
  readonly frameRate: FrameRate;
}

/** A line of the grid: its sample, its tick on musical grids, and how coarse it is (2 bar, minute; 1 beat, second; 0 finer). */
export interface GridLine {
  readonly sample: number;
  readonly tick?: number;
  readonly rank: 0 | 1 | 2;
}

/** The lines of one step. All positions are at or after zero. */
export interface GridLines {
  readonly step: GridStep;
  /** The last line at or before a sample. Asked for a sample below zero it answers the line at zero. */
  before(sample: number): GridLine;
  /** The first line after a sample. */
  after(sample: number): GridLine;
}

function regularLines(step: GridStep, { num, den, coarse, middle }: PlainMeasure): GridLines {
  const at = (n: number): GridLine => ({ sample: roundMultiple(n, num, den), rank: n % coarse === 0 ? 2 : n % middle === 0 ? 1 : 0 });
  const indexBefore = (sample: number): number => {
    let n = Math.max(0, Math.floor((sample * den) / num));
    while (roundMultiple(n + 1, num, den) <= sample) n++;
    while (n > 0 && roundMultiple(n, num, den) > sample) n--;
    return n;
  };
  return {
    step,
    before: (sample) => at(indexBefore(sample)),
    after: (sample) => {
      if (sample < 0) return at(0);
      let n = indexBefore(sample) + 1;
      // Lines closer than a sample round to one; step on until the sample differs.
      while (roundMultiple(n, num, den) <= sample) n++;
      return at(n);
    },
  };
}

/** What figures miss of a whole part of a beat. */
const MISSED = 1e-9;

function musicalLines(step: GridStep, { unit, count, parts }: MusicalMeasure, { tempo, meter }: Timebase): GridLines {
  const line = (tick: number): GridLine => {
    const p = meter.position(tick);
    return { sample: tempo.sampleAt(tick), tick, rank: p.tick !== 0 ? 0 : p.beat === 1 ? 2 : 1 };
  };
  const bars = unit === "bar" ? count : 0;
  /** What is counted, in ticks; parts of it need not be whole ticks, and are divided only then. */
  const ticksIn = (tick: number): number => (unit === "beat" ? meter.meterAt(tick).beatTicks * count : count);
  /** How many lines lie between a bar's start and a tick in it. */
  const linesTo = (start: number, tick: number): number => Math.floor(((tick - start) * parts) / ticksIn(start) + MISSED);
  /** The last line's tick at or before a tick. */
  const beforeTick = (tick: number): number => {
    const bar = meter.barIndexAt(tick);
    if (bars) return meter.barIndexToTick(bar - (bar % bars));
    const start = meter.barIndexToTick(bar);
    return start + (linesTo(start, tick) * ticksIn(start)) / parts;
  };
  const afterTick = (tick: number): number => {
    const bar = meter.barIndexAt(tick);
    if (bars) return meter.barIndexToTick(bar - (bar % bars) + bars);
    const start = meter.barIndexToTick(bar);
    return Math.min(start + ((linesTo(start, tick) + 1) * ticksIn(start)) / parts, meter.barIndexToTick(bar + 1));
  };
  return {
    step,
    before(sample) {
      if (sample <= 0) return line(0);
      let tick = beforeTick(Math.max(0, Math.floor(tempo.ticksAt(sample)) + 1));
      while (tick > 0 && tempo.sampleAt(tick) > sample) tick = beforeTick(tick - (parts > 1 ? 0.5 : 1));
      return line(tick);
    },
    after(sample) {
      if (sample < 0) return line(0);
      let tick = afterTick(Math.max(0, Math.floor(tempo.ticksAt(sample)) - 1));
      while (tempo.sampleAt(tick) <= sample) tick = afterTick(tick);
      return line(tick);
    },
  };
}

/** The lines of a step over a timebase. Throws RangeError for a step of nothing. */
export function gridLines(step: GridStep, timebase: Timebase): GridLines {
  const measure = measureOf(step, timebase);
  return measure.unit === "sample" ? regularLines(step, measure) : musicalLines(step, measure, timebase);
}

/** The ladder of a family at a tick, coarsest first. */
export function gridLadder(family: GridFamily, timebase: Timebase, tick = 0): GridStep[] {
  switch (family) {
    case "musical": {
      const beat = timebase.meter.meterAt(tick).beatTicks;
      return [
        ...[64, 32, 16, 8, 4, 2, 1].map((count): GridStep => ({ kind: "bar", count })),
        { kind: "beat", count: 1 },
        ...NOTE_DIVISIONS.filter((d) => noteTicks(d, "straight") < beat).map((division): GridStep => ({ kind: "note", division, feel: "straight" })),
        ...[10, 1].map((count): GridStep => ({ kind: "tick", count })),
      ];
    }
    case "time":
      return [
        ...[600_000, 60_000, 10_000, 1000, 100, 10, 1].map((milliseconds): GridStep => ({ kind: "time", milliseconds })),
        { kind: "sample", count: 1 },
      ];
    case "frame":
      return [
        ...[600, 60, 10, 1].map((s): GridStep => ({ kind: "frame", fraction: 1, count: s * timebase.frameRate.count })),
        { kind: "frame", fraction: 1, count: 1 },
        { kind: "frame", fraction: 0.5, count: 1 },
        { kind: "frame", fraction: 0.25, count: 1 },
      ];
    case "sample":
      return [1_000_000, 100_000, 10_000, 1000, 100, 10, 1].map((count) => ({ kind: "sample", count }));
  }
}

/** The length of a step at a tick, in samples with their fraction. */
export function stepSamples(step: GridStep, timebase: Timebase, tick = 0): number {
  const measure = measureOf(step, timebase);
  if (measure.unit === "sample") return measure.num / measure.den;
  const { sampleRate, tempo, meter } = timebase;
  const { beatTicks, barTicks } = meter.meterAt(tick);
  const each = measure.unit === "bar" ? barTicks : measure.unit === "beat" ? beatTicks : 1;
  return ((each * measure.count) / measure.parts) * ((sampleRate * 60) / (tempo.bpmAt(tick) * TICKS_PER_QUARTER));
}

/** Closest that two grid lines may come on the screen while the grid follows zoom, in pixels. */
export const MIN_LINE_PIXELS = 14;

/**
 * The finest step of the family's ladder whose lines are at least 14 px apart, never finer than `finest`.
 * `samplesPerPixel` is the zoom, `tick` where the view is (tempo and meter count there).
 */
export function stepForZoom(family: GridFamily, samplesPerPixel: number, timebase: Timebase, tick = 0, finest?: GridStep): GridStep {
  const ladder = gridLadder(family, timebase, tick);
  const floor = finest ? stepSamples(finest, timebase, tick) * (1 - 1e-9) : 0;
  let chosen = ladder[0];
  for (const step of ladder) {
    const length = stepSamples(step, timebase, tick);
    if (length < MIN_LINE_PIXELS * samplesPerPixel || length < floor) break;
    chosen = step;
  }
  return chosen;
}
