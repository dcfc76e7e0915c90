import { firstAtOrAfter } from "../../base/sorted";
import { type GridLines, gridLines, type Timebase } from "../../time/grid";
import type { GridStep } from "../../time/grid-step";
import { type Playing, swungLines } from "../../time/swing";

/** How hits are drawn to a grid. Lengths in samples. */
export interface Tightening extends Playing {
  readonly step: GridStep;
  /** 0 to 1: how much of the way a hit goes. */
  readonly strength: number;
  /** Hits farther from their line than this stay. */
  readonly reach: number;
  /** Hits no farther from their line than this stay. */
  readonly leave: number;
}

/** A hit, the line nearest to it, and where it goes; `to` is `at` where it stays. */
export interface TightenedHit {
  readonly at: number;
  readonly line: number;
  readonly to: number;
}

/** The one of some sorted places that is nearest; at a tie the earlier. */
function nearest(sorted: readonly number[], at: number): number {
  const i = firstAtOrAfter(sorted, at);
  const [before, after] = [sorted[i - 1] ?? Number.NEGATIVE_INFINITY, sorted[i] ?? Number.POSITIVE_INFINITY];
  return after - at < at - before ? after : before;
}

/**
 * Where hits go (sound.md, Tighten): of several nearest to one line only the nearest moves; a hit moves when its distance is at most the reach
 * and more than what is left alone, by `strength` of the way, rounded to a sample; none overtakes another. Throws RangeError, in words, for a feel
 * that the bars do not have room for.
 */
export function tightened(
  hits: readonly number[],
  timebase: Timebase,
  how: Tightening,
  lines: GridLines = gridLines(how.step, timebase),
): TightenedHit[] {
  if (hits.length === 0) return [];
  const places = swungLines(lines, timebase, how, hits[0], hits[hits.length - 1]);
  const nearestLine = hits.map((at) => nearest(places, at));
  const owner = new Map<number, number>();
  nearestLine.forEach((line, i) => {
    const now = owner.get(line);
    if (now === undefined || Math.abs(hits[i] - line) < Math.abs(hits[now] - line)) owner.set(line, i);
  });
  const plan = hits.map((at, i): TightenedHit => {
    const line = nearestLine[i];
    const distance = Math.abs(line - at);
    const moves = owner.get(line) === i && distance <= how.reach && distance > how.leave;
    return { at, line, to: moves ? Math.max(0, Math.round(at + how.strength * (line - at))) : at };
  });
  // Where one would come to another or past it, the one that goes farther stays.
  for (let again = true; again; ) {
    again = false;
    for (let i = 1; i < plan.length; i++) {
      if (plan[i].to > plan[i - 1].to) continue;
      const [a, b] = [Math.abs(plan[i - 1].to - plan[i - 1].at), Math.abs(plan[i].to - plan[i].at)];
      const k = a >= b ? i - 1 : i;
      if (plan[k].to === plan[k].at) continue;
      plan[k] = { ...plan[k], to: plan[k].at };
      again = true;
    }
  }
  return plan;
}

/** Mean and spread (standard deviation) of how far hits lie from their lines, in samples; 0 for none. */
export function offsetsOf(plan: readonly TightenedHit[], which: "before" | "after"): { mean: number; spread: number } {
  if (plan.length === 0) return { mean: 0, spread: 0 };
  const off = plan.map((h) => (which === "before" ? h.at : h.to) - h.line);
  const mean = off.reduce((s, x) => s + x, 0) / off.length;
  return { mean, spread: Math.sqrt(off.reduce((s, x) => s + (x - mean) ** 2, 0) / off.length) };
}
