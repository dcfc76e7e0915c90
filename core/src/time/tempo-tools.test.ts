import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Timebase } from "./grid";
import { MeterMap } from "./meter";
import { type TempoEvent, TempoMap } from "./tempo";
import { pinned, pinsOnHits, tempoOfSpan, withBarAt } from "./tempo-tools";
import { frameRate } from "./timecode";

const RATE = 48_000;
const METERS = [
  { tick: 0, numerator: 4, denominator: 4 },
  { tick: 4 * 3840, numerator: 3, denominator: 4 },
];
const based = (events: readonly TempoEvent[]): Timebase => ({
  sampleRate: RATE,
  tempo: new TempoMap(events, RATE),
  meter: new MeterMap(METERS, 1),
  frameRate: frameRate("25"),
});
const maps = fc
  .uniqueArray(fc.record({ tick: fc.integer({ min: 0, max: 40 * 960 }), bpm: fc.double({ min: 60, max: 160, noNaN: true }), ramp: fc.boolean() }), {
    selector: (e) => e.tick,
    maxLength: 5,
  })
  .map((list): TempoEvent[] => [{ tick: 0, bpm: 92 }, ...list.filter((e) => e.tick > 0).sort((a, b) => a.tick - b.tick)]);

describe("tempo from what is heard", () => {
  it("of a span: so many ticks last just so long", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 64 }), fc.double({ min: 21, max: 399, noNaN: true }), (beats, bpm) => {
        const samples = Math.round((beats * 60 * RATE) / bpm);
        const exact = tempoOfSpan(samples, beats * 960, RATE);
        fc.pre(exact >= 20 && exact <= 400);
        expect(based([{ tick: 0, bpm: exact }]).tempo.tickToSample(beats * 960)).toBe(samples);
      }),
    );
  });

  it("pins lie at their samples; before the event that leads to them nothing moves; later events keep their bars", () => {
    fc.assert(
      fc.property(maps, fc.array(fc.integer({ min: -4000, max: 4000 }), { minLength: 1, maxLength: 8 }), (events, offs) => {
        const base = based(events);
        const pins = offs.map((off, i) => ({ tick: (i + 9) * 960, sample: base.tempo.tickToSample((i + 9) * 960) + off }));
        let made: TempoEvent[];
        try {
          made = pinned(events, base, pins);
        } catch (error) {
          expect(error).toBeInstanceOf(RangeError);
          return;
        }
        const after = new TempoMap(made, RATE);
        for (const pin of pins) expect(after.tickToSample(pin.tick)).toBe(pin.sample);
        const lead = events.filter((e) => e.tick < pins[0].tick).at(-1) as TempoEvent;
        // Where no tempo glides towards it, nothing before it moves; where one does, the events themselves don't.
        const glides = events.some((e) => e.tick < lead.tick && e.ramp);
        for (const e of events) if (e.tick <= lead.tick) expect(Math.abs(after.samplesAt(e.tick) - base.tempo.samplesAt(e.tick))).toBeLessThan(0.01);
        if (!glides) for (let t = 0; t <= lead.tick; t += 240) expect(after.tickToSample(t)).toBe(base.tempo.tickToSample(t));
        const last = pins[pins.length - 1].tick;
        expect(made.filter((e) => e.tick > last)).toEqual(events.filter((e) => e.tick > last));
      }),
    );
  });

  it("a bar begins at the sample, at the tempo asked for; what leads to it is as near to that tempo as whole bars allow", () => {
    fc.assert(
      fc.property(maps, fc.integer({ min: 0, max: 60 * RATE }), fc.double({ min: 50, max: 180, noNaN: true }), (events, sample, bpm) => {
        const base = based(events);
        let maps: ReturnType<typeof withBarAt>;
        try {
          maps = withBarAt(base, sample, bpm);
        } catch (error) {
          expect(error).toBeInstanceOf(RangeError);
          return;
        }
        const made = maps.tempo;
        const after = { ...based([...made]), meter: new MeterMap(maps.meter) };
        const tick = after.tempo.sampleToTick(sample);
        expect(after.tempo.tickToSample(tick)).toBe(sample);
        expect(after.meter.position(tick)).toMatchObject({ beat: 1, tick: 0 });
        expect(after.tempo.bpmAt(tick)).toBeCloseTo(bpm, made.find((e) => e.tick === tick)?.ramp ? 0 : 9);
      }),
    );
  });

  it("lines take the hit nearest to them, none twice, and none that is far", () => {
    const base = based([{ tick: 0, bpm: 120 }]);
    const ticks = [0, 960, 1920, 2880, 3840];
    const hits = [0, 23_900, 24_300, 49_000, 90_000];
    expect(pinsOnHits(base, ticks, hits, 2000)).toEqual([
      { tick: 0, sample: 0 },
      { tick: 960, sample: 23_900 },
      { tick: 1920, sample: 49_000 },
    ]);
    expect(pinsOnHits(base, ticks, [], 2000)).toEqual([]);
  });

  it("a bar begins soon after the piece, too: the one before it is cut short", () => {
    for (const sample of [8, 100, 2000, 12_000, 28_799, 28_800]) {
      const base = based([{ tick: 0, bpm: 120 }]);
      const { tempo, meter } = withBarAt(base, sample, 120);
      const after = { tempo: new TempoMap(tempo, RATE), meter: new MeterMap(meter) };
      const tick = after.tempo.sampleToTick(sample);
      expect([after.tempo.tickToSample(tick), after.meter.position(tick)]).toEqual([sample, { bar: 2, beat: 1, tick: 0 }]);
      expect(after.tempo.bpmAt(tick)).toBe(120);
      // As far as whole ticks allow it the short bar keeps the tempo.
      if (sample < 28_800 && sample > 1000) expect(Math.abs(after.tempo.bpmAt(0) - 120)).toBeLessThan(2);
    }
    expect(() => withBarAt(based([{ tick: 0, bpm: 120 }]), 3, 120)).toThrow(/no room for even the shortest bar/);
  });

  it("refuses in words what no tempo can do", () => {
    const base = based([{ tick: 0, bpm: 120 }]);
    expect(() => pinned(base.tempo.events, base, [{ tick: 960, sample: 100 }])).toThrow(/tempo of .* between 20 and 400/);
    expect(() =>
      pinned(base.tempo.events, base, [
        { tick: 960, sample: 24_000 },
        { tick: 1920, sample: 23_000 },
      ]),
    ).toThrow(/order/);
    expect(() => withBarAt(base, 0, 500)).toThrow(/tempo of 500/);
  });
});
