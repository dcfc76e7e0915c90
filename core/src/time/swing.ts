import { type GridLines, isMusical, noteTicks, type Timebase } from "./grid";

/** A line of a grid as it is swung, in samples. */
export interface SwungLine {
  readonly sample: number;
}

const halfUp = (x: number): number => Math.floor(x + 0.5);

/**
 * The lines of a grid between two places, and one beyond each, in order: every second line of a bar, counted from its first, comes later by
 * `swing` · half a step. Line and swing are rounded once, half up. Grids that are not counted in bars, and whole bars, do not swing.
 */
export function swungLines(lines: GridLines, timebase: Timebase, swing: number, from: number, to: number): number[] {
  const { step } = lines;
  const { tempo, meter } = timebase;
  const swings = swing > 0 && isMusical(step) && step.kind !== "bar";
  /** The step's length in ticks where a bar begins. */
  const ticks = (start: number): number =>
    step.kind === "note"
      ? noteTicks(step.division, step.feel)
      : step.kind === "beat"
        ? meter.meterAt(start).beatTicks * step.count
        : step.kind === "tick"
          ? step.count
          : 0;
  const place = (sample: number, tick: number | undefined): number => {
    if (!swings || tick === undefined) return sample;
    const start = meter.barIndexToTick(meter.barIndexAt(tick));
    const length = ticks(start);
    const k = Math.round((tick - start) / length);
    return k % 2 === 1 ? halfUp(tempo.samplesAt(tick + (swing * length) / 2)) : sample;
  };
  const found: number[] = [];
  let line = lines.before(Math.max(0, lines.before(Math.max(0, from)).sample - 1));
  for (;;) {
    found.push(place(line.sample, line.tick));
    if (line.sample > to) return found;
    line = lines.after(line.sample);
  }
}
