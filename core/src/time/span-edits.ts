import type { MeterEvent } from "./meter";
import { MeterMap } from "./meter";
import type { TempoEvent } from "./tempo";

/**
 * Taking a span of ticks out of a tempo or meter map, or putting one in. What lies after keeps its events; an event's value that was in
 * force at the later border is restated at the join when it would otherwise be lost. All lists stay sorted, start at tick 0, and repeat
 * no value.
 */
function tempoAt(events: readonly TempoEvent[], tick: number): TempoEvent {
  let i = events.length - 1;
  while (events[i].tick > tick) i--;
  const [e, next] = [events[i], events[i + 1]];
  const ramps = e.ramp === true && next !== undefined;
  const bpm = ramps ? e.bpm + ((next.bpm - e.bpm) * (tick - e.tick)) / (next.tick - e.tick) : e.bpm;
  return ramps && next.tick > tick ? { tick, bpm, ramp: true } : { tick, bpm };
}

/** The tempo that is reached just before a tick: an event that stands on it does not count yet. */
export function bpmBefore(events: readonly TempoEvent[], tick: number): number {
  const i = events.findLastIndex((e) => e.tick < tick);
  if (i < 0) return events[0].bpm;
  const [e, next] = [events[i], events[i + 1]];
  return e.ramp && next ? e.bpm + ((next.bpm - e.bpm) * (tick - e.tick)) / (next.tick - e.tick) : e.bpm;
}

/** The events before `tick`, a ramp that runs over it ended just before it, so that what follows does not bend it. */
function tempoBefore(events: readonly TempoEvent[], tick: number): TempoEvent[] {
  const before = events.filter((e) => e.tick < tick);
  const last = before.at(-1);
  if (!last?.ramp || before.length === events.length) return before;
  const held = tick - 1;
  if (held > last.tick) return [...before, { tick: held, bpm: tempoAt(events, held).bpm }];
  return [...before.slice(0, -1), { tick: last.tick, bpm: last.bpm }];
}

const moved = <E extends { readonly tick: number }>(events: readonly E[], by: number): E[] => events.map((e) => ({ ...e, tick: e.tick + by }));

/** Sorted, one event a tick (the later given wins), without events that say what was in force already. */
function tidyTempo(events: readonly TempoEvent[]): TempoEvent[] {
  const byTick = new Map(events.map((e) => [e.tick, e]));
  const out: TempoEvent[] = [];
  for (const e of [...byTick.values()].sort((a, b) => a.tick - b.tick)) {
    const last = out.at(-1);
    if (last && !last.ramp && !e.ramp && last.bpm === e.bpm) continue;
    out.push(e);
  }
  return out;
}

/** A tempo map without the ticks [from, to). */
export function tempoWithout(events: readonly TempoEvent[], from: number, to: number): TempoEvent[] {
  const after = events.filter((e) => e.tick >= to);
  return tidyTempo([...tempoBefore(events, from), { ...tempoAt(events, to), tick: from }, ...moved(after, from - to)]);
}

/**
 * A tempo map with `ticks` ticks put in at `at`: at the tempo reached there, or with `inner`, events counted from `at`. An event that
 * stands at the very place moves, as everything does that stands there; only the first of all stays at 0 as well.
 */
export function tempoWith(events: readonly TempoEvent[], at: number, ticks: number, inner?: readonly TempoEvent[]): TempoEvent[] {
  const there = tempoAt(events, at);
  const after = events.filter((e) => e.tick >= at);
  const between = inner ? moved(inner, at) : [{ tick: at, bpm: bpmBefore(events, at) }];
  const before = at === 0 ? [] : tempoBefore(events, at);
  return tidyTempo([...before, ...between.filter((e) => e.tick < at + ticks), { ...there, tick: at + ticks }, ...moved(after, ticks)]);
}

/** The tempo events of [from, to), counted from `from`; the first, at 0, is what is in force there. */
export function tempoIn(events: readonly TempoEvent[], from: number, to: number): TempoEvent[] {
  const inside = events.filter((e) => e.tick > from && e.tick < to);
  const list = moved([tempoAt(events, from), ...inside], -from);
  const last = list.at(-1) as TempoEvent;
  if (!last.ramp) return list;
  const held = to - from - 1;
  return held > last.tick ? [...list, { tick: held, bpm: tempoAt(events, to - 1).bpm }] : [...list.slice(0, -1), { tick: last.tick, bpm: last.bpm }];
}

const meterAt = <E extends MeterEvent>(events: readonly E[], tick: number): E => {
  let i = events.length - 1;
  while (events[i].tick > tick) i--;
  return { ...events[i], tick };
};

/** As tidyTempo; an event that repeats the meter in force goes only where a bar starts anyway. */
function tidyMeter<E extends MeterEvent>(events: readonly E[]): E[] {
  const byTick = new Map(events.map((e) => [e.tick, e]));
  const out: E[] = [];
  for (const e of [...byTick.values()].sort((a, b) => a.tick - b.tick)) {
    const last = out.at(-1);
    if (last && last.numerator === e.numerator && last.denominator === e.denominator) {
      if ((e.tick - last.tick) % new MeterMap([{ ...last, tick: 0 }]).meterAt(0).barTicks === 0) continue;
    }
    out.push(e);
  }
  return out;
}

/** A meter map without the ticks [from, to). */
export function meterWithout<E extends MeterEvent>(events: readonly E[], from: number, to: number): E[] {
  const before = events.filter((e) => e.tick < from);
  const after = moved(
    events.filter((e) => e.tick >= to),
    from - to,
  );
  const [was, now] = [meterAt(events, Math.max(0, from - 1)), meterAt(events, to)];
  const restated = from === 0 || was.numerator !== now.numerator || was.denominator !== now.denominator ? [{ ...now, tick: from }] : [];
  return tidyMeter([...before, ...restated, ...after]);
}

/** A meter map with `ticks` ticks put in at `at`: in the meter in force there, or with `inner`, events counted from `at`. */
export function meterWith<E extends MeterEvent>(events: readonly E[], at: number, ticks: number, inner?: readonly E[]): E[] {
  const before = events.filter((e) => e.tick < at);
  const after = moved(
    events.filter((e) => e.tick >= at),
    ticks,
  );
  const there = meterAt(events, at);
  const between = inner ? [...moved(inner, at).filter((e) => e.tick < at + ticks), { ...there, tick: at + ticks }] : at === 0 ? [there] : [];
  return tidyMeter([...before, ...between, ...after]);
}

/** The meter events of [from, to), counted from `from`; the first, at 0, is what is in force there. */
export const meterIn = <E extends MeterEvent>(events: readonly E[], from: number, to: number): E[] =>
  moved([meterAt(events, from), ...events.filter((e) => e.tick > from && e.tick < to)], -from);
