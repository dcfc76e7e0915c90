import type { Timebase } from "./grid";

/** What is counted before a place is reached: how long it takes in samples, and where in it the beats fall. */
export interface CountIn {
  readonly frames: number;
  readonly ticks: readonly { readonly at: number; readonly bar: boolean }[];
}

export const NO_COUNT: CountIn = { frames: 0, ticks: [] };
/** More bars than this are surely not counted. */
export const MOST_COUNTED = 8;

/**
 * Some bars counted before a position, at the tempo and in the meter that are in force there, so that the beats run on into the piece. It needs
 * no time of the timeline: a piece can be counted in from its very start. `bars` is 0 to 8.
 */
export function countIn({ tempo, meter }: Timebase, position: number, bars: number): CountIn {
  if (bars <= 0) return NO_COUNT;
  // A position that is a line rounded to a sample stands for the line.
  const exact = tempo.ticksAt(position);
  const tick = tempo.tickToSample(Math.round(exact)) === position ? Math.round(exact) : exact;
  const { beatTicks, barTicks } = meter.meterAt(Math.floor(tick));
  const perTick = tempo.samplesAt(Math.floor(tick) + 1) - tempo.samplesAt(Math.floor(tick));
  const place = meter.position(Math.floor(tick));
  const intoBar = (place.beat - 1) * beatTicks + place.tick + (tick - Math.floor(tick));
  const whole = bars * barTicks;
  const frames = Math.round(whole * perTick);
  const ticks: { at: number; bar: boolean }[] = [];
  // Beats before the place, the earliest first: `back` ticks before it.
  for (let back = intoBar % beatTicks || beatTicks; back <= whole + 1e-6; back += beatTicks)
    ticks.unshift({ at: Math.max(0, frames - Math.round(back * perTick)), bar: isWhole((intoBar - back) / barTicks) });
  return { frames, ticks };
}

const isWhole = (n: number): boolean => Math.abs(n - Math.round(n)) < 1e-6;
