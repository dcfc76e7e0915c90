import type { MeterMap } from "./meter";
import { fromDecimal, roundMultiple } from "./rational";
import { type TempoMap, TICKS_PER_QUARTER } from "./tempo";
import { type FrameRate, frameToSample } from "./timecode";

export const NOTE_DIVISIONS = [1, 2, 4, 8, 16, 32, 64, 128] as const;
export type NoteFeel = "straight" | "dotted" | "triplet";

/** One step of a grid. `count` multiplies the unit (2 bars, 3 ticks). */
export type GridStep =
  | { readonly kind: "bar"; readonly count: number }
  | { readonly kind: "beat"; readonly count: number }
  | { readonly kind: "note"; readonly division: number; readonly feel: NoteFeel }
  /** A beat of the meter in so many equal parts: quintuplets and the like. */
  | { readonly kind: "part"; readonly parts: number }
  | { readonly kind: "tick"; readonly count: number }
  | { readonly kind: "time"; readonly milliseconds: number }
  | { readonly kind: "frame"; readonly fraction: 1 | 0.5 | 0.25; readonly count: number }
  | { readonly kind: "sample"; readonly count: number };

/** Which ladder a grid that follows zoom climbs. */
export type GridFamily = "musical" | "time" | "frame" | "sample";

export interface Timebase {
  readonly sampleRate: number;
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
  readonly frameRate: FrameRate;
}

export const isMusical = (step: GridStep): boolean =>
  step.kind === "bar" || step.kind === "beat" || step.kind === "note" || step.kind === "part" || step.kind === "tick";

/** Parts that a beat can be divided into. */
export const [LEAST_PARTS, MOST_PARTS] = [2, 32];

export function noteTicks(division: number, feel: NoteFeel): number {
  const straight = (TICKS_PER_QUARTER * 4) / division;
  return feel === "dotted" ? (straight * 3) / 2 : feel === "triplet" ? (straight * 2) / 3 : straight;
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

function regularLines(step: GridStep, num: number, den: number, coarse: number, middle: number): GridLines {
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

function musicalLines(step: GridStep, { tempo, meter }: Timebase): GridLines {
  const line = (tick: number): GridLine => {
    const p = meter.position(tick);
    return { sample: tempo.sampleAt(tick), tick, rank: p.tick !== 0 ? 0 : p.beat === 1 ? 2 : 1 };
  };
  const bars = step.kind === "bar" ? step.count : 0;
  /** Parts of a beat need not be whole ticks: they are counted, and only then divided. */
  const parts = step.kind === "part" ? step.parts : 1;
  const ticksIn = (tick: number): number =>
    step.kind === "beat"
      ? meter.meterAt(tick).beatTicks * step.count
      : step.kind === "note"
        ? noteTicks(step.division, step.feel)
        : step.kind === "part"
          ? meter.meterAt(tick).beatTicks
          : step.kind === "tick"
            ? step.count
            : 0;
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
  const { sampleRate, frameRate } = timebase;
  switch (step.kind) {
    case "time": {
      const ms = fromDecimal(step.milliseconds);
      if (ms.num <= 0n) throw new RangeError("A grid step is longer than nothing.");
      const perSecond = Math.max(1, Math.round(1000 / step.milliseconds));
      return regularLines(step, Number(ms.num) * sampleRate, Number(ms.den) * 1000, perSecond * 10, perSecond);
    }
    case "frame": {
      const parts = 1 / step.fraction;
      const second = Math.max(1, Math.round((frameRate.count * parts) / step.count));
      return regularLines(step, sampleRate * frameRate.den * step.count, frameRate.num * parts, second, parts);
    }
    case "sample":
      if (!(step.count >= 1)) throw new RangeError("A grid step is at least one sample.");
      return regularLines(step, step.count, 1, 100, 10);
    default:
      if (step.kind === "part" ? !(step.parts >= 1) : step.kind !== "note" && !(step.count >= 1))
        throw new RangeError("A grid step is longer than nothing.");
      return musicalLines(step, timebase);
  }
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
  const { sampleRate, tempo, meter, frameRate } = timebase;
  const spt = (sampleRate * 60) / (tempo.bpmAt(tick) * TICKS_PER_QUARTER);
  switch (step.kind) {
    case "bar":
      return meter.meterAt(tick).barTicks * step.count * spt;
    case "beat":
      return meter.meterAt(tick).beatTicks * step.count * spt;
    case "note":
      return noteTicks(step.division, step.feel) * spt;
    case "part":
      return (meter.meterAt(tick).beatTicks / step.parts) * spt;
    case "tick":
      return step.count * spt;
    case "time":
      return (step.milliseconds * sampleRate) / 1000;
    case "frame":
      return (step.fraction * step.count * sampleRate * frameRate.den) / frameRate.num;
    case "sample":
      return step.count;
  }
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

const plural = (n: number, word: string): string => (n === 1 ? word : `${n} ${word}s`);

/** A step in words: "bar", "2 bars", "1/16", "1/8 triplet", "beat in 5", "100 ms", "half frame", "480 ticks". */
export function describeStep(step: GridStep): string {
  switch (step.kind) {
    case "bar":
      return plural(step.count, "bar");
    case "beat":
      return plural(step.count, "beat");
    case "note":
      return `1/${step.division}${step.feel === "straight" ? "" : ` ${step.feel}`}`;
    case "part":
      return `beat in ${step.parts}`;
    case "tick":
      return plural(step.count, "tick");
    case "time":
      return step.milliseconds >= 60_000 && step.milliseconds % 60_000 === 0
        ? `${step.milliseconds / 60_000} min`
        : step.milliseconds >= 1000
          ? `${step.milliseconds / 1000} s`
          : `${step.milliseconds} ms`;
    case "frame":
      return step.fraction === 1 ? plural(step.count, "frame") : step.fraction === 0.5 ? "half frame" : "quarter frame";
    case "sample":
      return plural(step.count, "sample");
  }
}

export { frameToSample };
