import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MeterMap } from "./meter";
import { meterIn, meterWith, meterWithout, tempoIn, tempoWith, tempoWithout } from "./span-edits";
import { type TempoEvent, TempoMap } from "./tempo";

const tempos = fc
  .uniqueArray(fc.record({ tick: fc.integer({ min: 1, max: 40_000 }), bpm: fc.integer({ min: 40, max: 200 }), ramp: fc.boolean() }), {
    maxLength: 5,
    selector: (e) => e.tick,
  })
  .chain((list) => fc.integer({ min: 40, max: 200 }).map((bpm): TempoEvent[] => [{ tick: 0, bpm }, ...list.sort((a, b) => a.tick - b.tick)]));
const meters = fc
  .uniqueArray(
    fc.record({
      tick: fc.integer({ min: 1, max: 40_000 }),
      numerator: fc.constantFrom(3, 4, 6),
      denominator: fc.constantFrom(4 as const, 8 as const),
    }),
    {
      maxLength: 4,
      selector: (e) => e.tick,
    },
  )
  .map((list) => [{ tick: 0, numerator: 4, denominator: 4 as const }, ...list.sort((a, b) => a.tick - b.tick)]);
const tick = fc.integer({ min: 0, max: 50_000 });
const bpm = (events: readonly TempoEvent[], at: number): number => new TempoMap(events, 48_000).bpmAt(at);

describe("time put into or taken out of the maps", () => {
  it("leaves the tempo of what stays as it was, but for the tick before a cut ramp", () => {
    fc.assert(
      fc.property(tempos, tick, fc.integer({ min: 1, max: 20_000 }), tick, (events, at, ticks, asked) => {
        const opened = tempoWith(events, at, ticks);
        if (asked < at - 2) expect(bpm(opened, asked)).toBeCloseTo(bpm(events, asked), 0);
        if (asked >= at) expect(bpm(opened, asked + ticks)).toBeCloseTo(bpm(events, asked), 6);
        const closed = tempoWithout(events, at, at + ticks);
        if (asked < at - 2) expect(bpm(closed, asked)).toBeCloseTo(bpm(events, asked), 0);
        if (asked >= at + ticks) expect(bpm(closed, asked - ticks)).toBeCloseTo(bpm(events, asked), 6);
      }),
    );
  });
  it("put in and taken out again is the same map, where no ramp was cut", () => {
    const steps = tempos.map((list) => list.map(({ tick: t, bpm: b }) => ({ tick: t, bpm: b })));
    fc.assert(
      fc.property(steps, meters, tick, fc.integer({ min: 1, max: 20_000 }), (events, bars, at, ticks) => {
        const back = tempoWithout(tempoWith(events, at, ticks), at, at + ticks);
        for (const t of [0, at, at + 1, 30_000, 60_000]) expect(bpm(back, t)).toBe(bpm(events, t));
        const meter = meterWithout(meterWith(bars, at, ticks), at, at + ticks);
        for (const t of [0, at, at + 1, 30_000, 60_000]) expect(new MeterMap(meter).meterAt(t).barTicks).toBe(new MeterMap(bars).meterAt(t).barTicks);
      }),
    );
  });
  it("a copied span brings its own tempo and meter, and what follows goes on as before", () => {
    fc.assert(
      fc.property(tempos, meters, tick, fc.integer({ min: 2, max: 20_000 }), tick, fc.nat(), (events, bars, from, length, at, pick) => {
        const inside = pick % length;
        const tempo = tempoWith(events, at, length, tempoIn(events, from, from + length));
        if (inside < length - 2) expect(bpm(tempo, at + inside)).toBeCloseTo(bpm(events, from + inside), 0);
        expect(bpm(tempo, at + length)).toBeCloseTo(bpm(events, at), 6);
        const meter = new MeterMap(meterWith(bars, at, length, meterIn(bars, from, from + length)));
        expect(meter.meterAt(at + inside).barTicks).toBe(new MeterMap(bars).meterAt(from + inside).barTicks);
        expect(meter.meterAt(at + length).barTicks).toBe(new MeterMap(bars).meterAt(at).barTicks);
      }),
    );
  });
  it("repeats nothing: bars in the same meter put in between bars need no event", () => {
    const bars = [{ tick: 0, numerator: 4, denominator: 4 as const }];
    expect(meterWith(bars, 7680, 3840, meterIn(bars, 0, 3840))).toEqual(bars);
    expect(tempoWith([{ tick: 0, bpm: 92 }], 7680, 3840, [{ tick: 0, bpm: 92 }])).toEqual([{ tick: 0, bpm: 92 }]);
  });
});
