import type { Timebase } from "./grid";
import type { MeterEvent } from "./meter";
import { MAX_BPM, MIN_BPM, type TempoEvent, TICKS_PER_QUARTER } from "./tempo";

/** A place of the music that is to lie at a place of the time. Both whole, not below zero. */
export interface Pin {
  readonly tick: number;
  readonly sample: number;
}

const quarters = (ticks: number): number => ticks / TICKS_PER_QUARTER;

const isTempo = (bpm: number): boolean => bpm >= MIN_BPM && bpm <= MAX_BPM;

/** A tempo, if there can be one such. Throws a RangeError in words where it is out of bounds. */
export function checkedTempo(bpm: number): number {
  if (isTempo(bpm)) return bpm;
  throw new RangeError(`That asks for a tempo of ${Number(bpm.toFixed(2))}; one lies between ${MIN_BPM} and ${MAX_BPM}.`);
}

/** The tempo at which so many ticks last so many samples, in quarter notes a minute. */
export const tempoOfSpan = (samples: number, ticks: number, sampleRate: number): number => (quarters(ticks) * 60 * sampleRate) / samples;

/**
 * The tempo map with some places of the music laid at places of the time, to the sample: one tempo from each pin to the next, kept in full
 * precision. What lies before the first pin is changed only from the last event before it on; after the last one `then` goes on (the last
 * stretch's tempo where it is not given) up to the next event. Pins are in order. Throws a RangeError, in words, where a tempo would be out of
 * bounds or pins are not in order.
 */
export function pinned(events: readonly TempoEvent[], base: Timebase, pins: readonly Pin[], then?: number): TempoEvent[] {
  const { tempo, sampleRate } = base;
  if (pins.length === 0) return [...events];
  const [first, last] = [pins[0], pins[pins.length - 1]];
  const before = events.filter((e) => e.tick < first.tick);
  const start = before.at(-1);
  const anchors: Pin[] = [...(start ? [{ tick: start.tick, sample: tempo.samplesAt(start.tick) }] : []), ...pins];
  const made: TempoEvent[] = before.slice(0, -1);
  // Tempi that glided towards the one that changes would bring it elsewhere: they become even, each as long as it was.
  for (let i = made.length - 1, next = start; i >= 0 && made[i].ramp && next; next = before[i], i--) {
    const samples = tempo.samplesAt(next.tick) - tempo.samplesAt(made[i].tick);
    made[i] = { tick: made[i].tick, bpm: tempoOfSpan(samples, next.tick - made[i].tick, sampleRate) };
  }
  for (let i = 0; i + 1 < anchors.length; i++) {
    const [a, b] = [anchors[i], anchors[i + 1]];
    if (b.tick <= a.tick || b.sample <= a.sample) throw new RangeError("These places are not in the order in which the music has them.");
    made.push({ tick: a.tick, bpm: checkedTempo(tempoOfSpan(b.sample - a.sample, b.tick - a.tick, sampleRate)) });
  }
  const on = checkedTempo(then ?? made.at(-1)?.bpm ?? tempo.bpmAt(last.tick));
  return [...made, { tick: last.tick, bpm: on }, ...events.filter((e) => e.tick > last.tick)];
}

/** Tempo and meter events of a piece. */
export interface Maps {
  readonly tempo: readonly TempoEvent[];
  readonly meter: readonly MeterEvent[];
}

/**
 * The maps with a bar that begins at a sample and goes on from there at a tempo. What lies between the tempo event before it and the
 * sample becomes as many whole bars as come nearest to that tempo; where not even one can be as short, or as long, a bar that is cut short by the one
 * that begins there. At sample 0 the first bar begins. Throws as `pinned` does.
 */
export function withBarAt(base: Timebase, sample: number, bpm: number): Maps {
  const { tempo, meter, sampleRate } = base;
  const { events } = tempo;
  if (sample === 0) return { tempo: [{ tick: 0, bpm: checkedTempo(bpm) }, ...events.filter((e) => e.tick > 0)], meter: meter.events };
  checkedTempo(bpm);
  const start = events.filter((e) => tempo.tickToSample(e.tick) < sample).at(-1) ?? events[0];
  const room = sample - tempo.samplesAt(start.tick);
  const wanted = start.tick + (room / sampleRate / 60) * bpm * TICKS_PER_QUARTER;
  const bar = meter.barIndexAt(Math.max(0, Math.round(wanted)));
  const ticks = [bar, bar + 1].map((b) => meter.barIndexToTick(b)).filter((t) => t > start.tick);
  const leading = (t: number): number => tempoOfSpan(room, t - start.tick, sampleRate);
  const far = (t: number): number => Math.abs(Math.log(leading(t) / bpm));
  const whole = ticks.filter((t) => isTempo(leading(t))).sort((a, b) => far(a) - far(b))[0];
  const short = start.tick + Math.max(1, Math.round(wanted - start.tick));
  const tick = whole ?? short;
  if (!isTempo(leading(tick)))
    throw new RangeError("There is no room for even the shortest bar before that place: let the bar begin where the tempo does.");
  const made = pinned(
    // Events from here up to that bar would lie in the way.
    events.filter((e) => e.tick <= start.tick || e.tick > tick),
    base,
    [{ tick, sample }],
    bpm,
  );
  if (whole !== undefined) return { tempo: made, meter: meter.events };
  const { numerator, denominator } = meter.meterAt(tick);
  return {
    tempo: made,
    meter: [...meter.events.filter((m) => m.tick < tick), { tick, numerator, denominator }, ...meter.events.filter((m) => m.tick > tick)],
  };
}

/**
 * Where the lines of a step of the music (its ticks) would be pinned: each to the hit nearest to it, within `reach` samples, no hit twice and
 * never closer than a quarter of what lies between two lines. Lines without a hit near are left between the others.
 */
export function pinsOnHits(base: Timebase, ticks: readonly number[], hits: readonly number[], reach: number): Pin[] {
  const pins: Pin[] = [];
  let i = 0;
  for (const [n, tick] of ticks.entries()) {
    const at = base.tempo.tickToSample(tick);
    while (i + 1 < hits.length && Math.abs(hits[i + 1] - at) < Math.abs(hits[i] - at)) i++;
    const hit = hits[i];
    if (hit === undefined || Math.abs(hit - at) > reach) continue;
    const last = pins.at(-1);
    const length = n > 0 ? at - base.tempo.tickToSample(ticks[n - 1]) : 0;
    if (last && hit - last.sample < length / 4) continue;
    if (tick === 0 ? hit !== 0 : hit === 0) continue;
    pins.push({ tick, sample: hit });
  }
  return pins;
}
