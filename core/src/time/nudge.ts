import type { Timebase } from "./grid";
import { type GridStep, measureOf } from "./grid-step";
import { roundMultiple } from "./rational";

/**
 * Where `count` nudges of one step from `base` land, in samples: rounded once for the whole way, so that n nudges by v are one nudge by
 * n·v, for frames and triplets too. May be negative; a count below zero goes back.
 */
export function nudged(base: number, count: number, step: GridStep, timebase: Timebase): number {
  const { tempo, meter } = timebase;
  const measure = measureOf(step, timebase);
  if (measure.unit === "sample") return base + roundMultiple(count, measure.num, measure.den);
  const at = tempo.placeOf(base);
  const { parts } = measure;
  switch (measure.unit) {
    // Counted through the maps, whatever meters lie between; the distance from the line is kept.
    case "bar": {
      const index = meter.barIndexAt(at);
      return tempo.sampleAt(meter.barIndexToTick(index + count * measure.count) + (at - meter.barIndexToTick(index)));
    }
    case "beat": {
      const index = meter.beatIndexAt(at);
      const start = meter.beatIndexToTick(index);
      if (parts === 1) return tempo.sampleAt(meter.beatIndexToTick(index + count * measure.count) + (at - start));
      // As many parts as lie between, however long a beat is there.
      const into = ((at - start) * parts) / meter.meterAt(start).beatTicks + count;
      const over = Math.floor(into / parts + 1e-9);
      const line = meter.beatIndexToTick(index + over);
      return tempo.sampleAt(line + ((into - over * parts) * meter.meterAt(line).beatTicks) / parts);
    }
    case "tick":
      return tempo.sampleAt(at + count * measure.count);
  }
}
