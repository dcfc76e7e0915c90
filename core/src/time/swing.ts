import { z } from "zod";
import { type GridLines, gridLines, type Timebase } from "./grid";
import { type GridStep, isMusical, measureOf } from "./grid-step";

/** By how many ticks each line of a bar comes later. */
export const FeelOffsets = z.array(z.number().min(-7680).max(7680)).min(1).max(512);

const halfUp = (x: number): number => Math.floor(x + 0.5);

/** How far from its place each line of a bar is played: by swing, or as somebody played it. */
export interface Playing {
  /** 0 to 1: every second line of a bar, counted from its first, comes later by this · half a step. */
  readonly swing: number;
  /** A feel: by how many ticks each line of a bar comes later (earlier below zero); it takes the place of swing. */
  readonly feel?: readonly number[];
}

/** Whether the lines of a step have a place in the bar that can be swung. */
export const hasFeel = (step: GridStep): boolean => isMusical(step) && step.kind !== "bar";

/** Where a line lies in its bar: the how manieth it is, how many there are, and how long a step is, in ticks. */
function placeInBar(step: GridStep, timebase: Timebase, tick: number): { k: number; lines: number; length: number } {
  const { meter } = timebase;
  const start = meter.barIndexToTick(meter.barIndexAt(tick));
  const { beatTicks, barTicks } = meter.meterAt(start);
  const measure = measureOf(step, timebase);
  const length = measure.unit === "beat" ? (beatTicks * measure.count) / measure.parts : measure.unit === "tick" ? measure.count : 1;
  return { k: Math.round((tick - start) / length), lines: Math.ceil(barTicks / length), length };
}

/**
 * The lines of a grid between two places, and one beyond each, in order, as they are played. Line and swing are rounded once, half up. Grids
 * that are not counted in bars, and whole bars, do not swing. Throws RangeError, in words, where a feel has another number of lines than a bar.
 */
export function swungLines(lines: GridLines, timebase: Timebase, { swing, feel }: Playing, from: number, to: number): number[] {
  const { step } = lines;
  const { tempo } = timebase;
  if (feel && !hasFeel(step)) throw new RangeError("A feel goes with a grid of beats or note values.");
  const swings = (swing > 0 || feel !== undefined) && hasFeel(step);
  const place = (sample: number, tick: number | undefined): number => {
    if (!swings || tick === undefined) return sample;
    const { k, lines: count, length } = placeInBar(step, timebase, tick);
    if (feel) {
      // The lines on both sides of the span may lie in bars of another meter, which are not asked for.
      if (count !== feel.length && (sample < from || sample > to)) return sample;
      if (count !== feel.length)
        throw new RangeError(`This feel was taken from bars of ${feel.length} lines; here a bar has ${count}: another meter, or another grid.`);
      return Math.max(0, halfUp(tempo.samplesAt(Math.max(0, tick + feel[k]))));
    }
    return k % 2 === 1 ? halfUp(tempo.samplesAt(tick + (swing * length) / 2)) : sample;
  };
  const found: number[] = [];
  let line = lines.before(Math.max(0, lines.before(Math.max(0, from)).sample - 1));
  for (;;) {
    found.push(place(line.sample, line.tick));
    if (line.sample > to) return feel ? found.sort((a, b) => a - b) : found;
    line = lines.after(line.sample);
  }
}

/**
 * The feel of hits: for each line of a bar, by how many ticks the hits nearest to it come later, in the middle of all bars; 0 where there are none. Bars of another
 * number of lines than the first hit's don't count. `hits` are in order, in samples. Throws RangeError, in words, without hits or a step that has no
 * place in the bar.
 */
export function feelOf(hits: readonly number[], timebase: Timebase, step: GridStep): number[] {
  if (!hasFeel(step)) throw new RangeError("A feel goes with a grid of beats or note values.");
  if (hits.length === 0) throw new RangeError("There are no hits to take a feel from.");
  const lines = gridLines(step, timebase);
  const near = hits.map((hit) => {
    const [before, after] = [lines.before(hit), lines.after(hit)];
    const line = after.sample - hit < hit - before.sample ? after : before;
    const tick = line.tick ?? 0;
    return { ...placeInBar(step, timebase, tick), late: timebase.tempo.ticksAt(hit) - tick };
  });
  const count = near[0].lines;
  return Array.from({ length: count }, (_, k) => {
    const of = near.filter((n) => n.lines === count && n.k === k).map((n) => n.late);
    return of.length === 0 ? 0 : of.reduce((a, b) => a + b, 0) / of.length;
  });
}
