import { type GridStep, isMusical, noteTicks, type Timebase } from "./grid";
import { fromDecimal, roundMultiple } from "./rational";

/**
 * Where `count` nudges of one step from `base` land, in samples: rounded once for the whole way, so that n nudges by v are one nudge by
 * n·v, for frames and triplets too. May be negative; a count below zero goes back.
 */
export function nudged(base: number, count: number, step: GridStep, timebase: Timebase): number {
  const { sampleRate, frameRate, tempo, meter } = timebase;
  if (!isMusical(step)) {
    if (step.kind === "time") {
      const ms = fromDecimal(step.milliseconds);
      return base + roundMultiple(count, Number(ms.num) * sampleRate, Number(ms.den) * 1000);
    }
    if (step.kind === "frame") return base + roundMultiple(count * step.count, sampleRate * frameRate.den, frameRate.num / step.fraction);
    return base + count * (step.kind === "sample" ? step.count : 1);
  }
  const at = tempo.placeOf(base);
  if (step.kind === "bar" || step.kind === "beat") {
    // Counted through the maps, whatever meters lie between; the distance from the line is kept.
    const [index, line] =
      step.kind === "bar"
        ? ([meter.barIndexAt(at), (i: number) => meter.barIndexToTick(i)] as const)
        : ([meter.beatIndexAt(at), (i: number) => meter.beatIndexToTick(i)] as const);
    return tempo.sampleAt(line(index + count * step.count) + (at - line(index)));
  }
  if (step.kind === "part") {
    // As many parts as lie between, however long a beat is there.
    const beat = meter.beatIndexAt(at);
    const start = meter.beatIndexToTick(beat);
    const into = ((at - start) * step.parts) / meter.meterAt(start).beatTicks + count;
    const over = Math.floor(into / step.parts + 1e-9);
    const line = meter.beatIndexToTick(beat + over);
    return tempo.sampleAt(line + ((into - over * step.parts) * meter.meterAt(line).beatTicks) / step.parts);
  }
  const ticks = step.kind === "note" ? noteTicks(step.division, step.feel) : step.kind === "tick" ? step.count : 0;
  return tempo.sampleAt(at + count * ticks);
}
