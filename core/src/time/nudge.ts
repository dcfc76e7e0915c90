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
  const at = tempo.ticksAt(base);
  const { beatTicks, barTicks } = meter.meterAt(Math.max(0, at));
  const ticks =
    step.kind === "bar"
      ? barTicks * step.count
      : step.kind === "beat"
        ? beatTicks * step.count
        : step.kind === "note"
          ? noteTicks(step.division, step.feel)
          : step.kind === "tick"
            ? step.count
            : 0;
  return Math.round(tempo.samplesAt(at + count * ticks));
}
