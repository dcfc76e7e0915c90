import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { rates, tempoMaps, timebases } from "../testing/times";
import { formatBars, formatClock, parsePosition } from "./format";
import { gridLines, stepForZoom, stepSamples, type Timebase } from "./grid";
import { describeStep, type GridStep } from "./grid-step";
import { MeterMap } from "./meter";
import { type TempoEvent, TempoMap } from "./tempo";
import { FRAME_RATES, formatTimecode, frameRate, frameToSample, sampleToFrame, timecodeToFrame } from "./timecode";

/** An independent, wholly exact conversion for maps of steps: sums of big fractions. */
function exactSample(events: readonly TempoEvent[], rate: number, tick: number): number {
  let num = 0n;
  let den = 1n;
  events.forEach((e, i) => {
    const end = Math.min(tick, events[i + 1]?.tick ?? tick);
    if (end <= e.tick) return;
    const milli = BigInt(Math.round(e.bpm * 1000));
    const [n, d] = [BigInt(end - e.tick) * BigInt(rate) * 60_000n, milli * 960n];
    num = num * d + n * den;
    den *= d;
  });
  return Number((2n * num + den) / (2n * den));
}

describe("tempo", () => {
  it("holds for thousands of tempos with decimals of their own", () => {
    const events = Array.from({ length: 3000 }, (_, i) => ({ tick: i * 960, bpm: 60 + ((i * 37_987) % 90_001) / 1000 + 0.0001 * (i % 7) }));
    const map = new TempoMap(events, 48_000);
    let sample = 0;
    for (let i = 0; i < events.length; i++) {
      expect(Math.abs(map.samplesAt(events[i].tick) - sample)).toBeLessThan(1e-3);
      sample += (48_000 * 60) / events[i].bpm;
    }
    expect(map.ticksAt(map.samplesAt(2999 * 960))).toBeCloseTo(2999 * 960, 6);
  });
  it("puts bar 10,000 at 92.5 beats a minute on its sample", () => {
    const map = new TempoMap([{ tick: 0, bpm: 92.5 }], 48_000);
    // 9999 bars · 4 beats · 60/92.5 s · 48000, rounded once
    expect(map.tickToSample(9999 * 3840)).toBe(Number((2n * 9999n * 4n * 60n * 48_000n * 10n + 925n) / (2n * 925n)));
  });
  it("agrees with exact sums over many steps", () => {
    fc.assert(
      fc.property(tempoMaps, fc.integer({ min: 0, max: 4_000_000 }), (map, tick) => {
        const steps = new TempoMap(
          map.events.map((e) => ({ ...e, ramp: false })),
          map.sampleRate,
        );
        expect(steps.tickToSample(tick)).toBe(exactSample(steps.events, steps.sampleRate, tick));
      }),
    );
  });
  it("gives each tick back from its sample, ramps included", () => {
    fc.assert(
      fc.property(tempoMaps, fc.integer({ min: 0, max: 4_000_000 }), (map, tick) => {
        expect(map.sampleToTick(map.tickToSample(tick))).toBe(tick);
      }),
    );
  });
  it("never goes back", () => {
    fc.assert(
      fc.property(tempoMaps, fc.integer({ min: 0, max: 3_000_000 }), fc.integer({ min: 1, max: 5000 }), (map, tick, more) => {
        expect(map.tickToSample(tick + more)).toBeGreaterThan(map.tickToSample(tick));
      }),
    );
  });
  it("takes as long over a ramp as the integral says", () => {
    const map = new TempoMap(
      [
        { tick: 0, bpm: 60, ramp: true },
        { tick: 9600, bpm: 120 },
      ],
      48_000,
    );
    let seconds = 0;
    const parts = 200_000;
    for (let i = 0; i < parts; i++) seconds += 60 / (60 + (60 * (i + 0.5)) / parts) / 960 / (parts / 9600);
    expect(Math.abs(map.tickToSample(9600) - seconds * 48_000)).toBeLessThan(1);
  });
  it.each([[{ tick: 0, bpm: -3 }], [{ tick: 0, bpm: Number.NaN }], [{ tick: 5, bpm: 90 }]])("refuses %o", (event) => {
    expect(() => new TempoMap([event], 48_000)).toThrow(RangeError);
  });
});

const base = (over: Partial<Timebase> = {}): Timebase => ({
  sampleRate: 48_000,
  tempo: new TempoMap([{ tick: 0, bpm: 92 }], 48_000),
  meter: new MeterMap([{ tick: 0, numerator: 4, denominator: 4 }]),
  frameRate: frameRate("25"),
  ...over,
});

describe("meter", () => {
  const meter = new MeterMap([
    { tick: 0, numerator: 6, denominator: 8 },
    { tick: 2880 * 4, numerator: 3, denominator: 4 },
    { tick: 2880 * 4 + 2880 * 2, numerator: 4, denominator: 4 },
  ]);
  it("counts 6/8 into 3/4 into 4/4", () => {
    expect(meter.position(480 * 5)).toEqual({ bar: 1, beat: 6, tick: 0 });
    expect(meter.position(2880 * 4)).toEqual({ bar: 5, beat: 1, tick: 0 });
    expect(meter.position(2880 * 6 + 3840 + 961)).toEqual({ bar: 8, beat: 2, tick: 1 });
  });
  it("gives each tick back from its bar, beat and tick", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 10_000_000 }), (tick) => {
        expect(meter.tickOf(meter.position(tick))).toBe(tick);
      }),
    );
  });
  it("starts a bar at a meter event in mid bar", () => {
    const cut = new MeterMap(
      [
        { tick: 0, numerator: 4, denominator: 4 },
        { tick: 5000, numerator: 3, denominator: 4 },
      ],
      10,
    );
    expect(cut.position(5000)).toEqual({ bar: 12, beat: 1, tick: 0 });
  });
  it("refuses 0/4 and 4/3", () => {
    expect(() => new MeterMap([{ tick: 0, numerator: 0, denominator: 4 }])).toThrow(/1 to 64 beats/);
    expect(() => new MeterMap([{ tick: 0, numerator: 4, denominator: 3 }])).toThrow(/1\/3/);
  });
});

describe("timecode", () => {
  it("counts drop frames at the minute, the tenth minute and the hour", () => {
    const drop = frameRate("29.97 drop");
    expect(formatTimecode(1799, drop)).toBe("00:00:59;29");
    expect(formatTimecode(1800, drop)).toBe("00:01:00;02");
    expect(formatTimecode(17_982, drop)).toBe("00:10:00;00");
    expect(formatTimecode(107_892, drop)).toBe("01:00:00;00");
    expect(timecodeToFrame(1, 0, 0, 0, drop)).toBe(107_892);
    expect(() => timecodeToFrame(0, 1, 0, 0, drop)).toThrow(/no frame/);
  });
  it("goes frame → text → frame and frame → sample → frame at every rate", () => {
    fc.assert(
      fc.property(fc.constantFrom(...FRAME_RATES), fc.integer({ min: 0, max: 5_000_000 }), rates, (rate, frame, sampleRate) => {
        const [h, m, s, f] = formatTimecode(frame, rate).split(/[:;]/).map(Number);
        expect(timecodeToFrame(h, m, s, f, rate)).toBe(frame);
        expect(sampleToFrame(frameToSample(frame, rate, sampleRate), rate, sampleRate)).toBe(frame);
      }),
    );
  });
});

describe("a table checked by hand", () => {
  // 6/8 for two bars at 120, 3/4 for two bars gliding from 120 to 60, then 4/4 at 60.
  const table = base({
    tempo: new TempoMap(
      [
        { tick: 0, bpm: 120 },
        { tick: 5760, bpm: 120, ramp: true },
        { tick: 11_520, bpm: 60 },
      ],
      48_000,
    ),
    meter: new MeterMap([
      { tick: 0, numerator: 6, denominator: 8 },
      { tick: 5760, numerator: 3, denominator: 4 },
      { tick: 11_520, numerator: 4, denominator: 4 },
    ]),
  });
  // The glide lasts 60/960 · 5760/(60 − 120) · ln(60/120) = 6 · ln 2 = 4.158883083 s, so 199,626.388 samples.
  it.each([
    ["1.1.000", 0],
    ["1.6.000", 60_000],
    ["2.1.000", 72_000],
    ["3.1.000", 144_000],
    ["5.1.000", 144_000 + 199_626],
    ["5.2.000", 144_000 + 199_626 + 48_000],
    ["6.1.480", 144_000 + 199_626 + 4 * 48_000 + 24_000],
  ])("%s is sample %i", (bars, sample) => {
    expect(parsePosition(bars, "bars", table)).toBe(sample);
    expect(formatBars(sample, table)).toBe(bars);
  });
  it("half way through the glide's bars the tempo is half way", () => {
    expect(table.tempo.bpmAt(5760 + 2880)).toBe(90);
  });
  it("29.97 drop-frame at the hour is frame 107,892, at its own sample", () => {
    expect(parsePosition("01:00:00:00", "timecode", base({ frameRate: frameRate("29.97 drop") }))).toBe(
      Math.round((107_892 * 48_000 * 1001) / 30_000),
    );
  });
});

const steps = fc.oneof(
  fc.record({
    kind: fc.constant("note" as const),
    division: fc.constantFrom(1, 4, 16, 128),
    feel: fc.constantFrom("straight" as const, "dotted" as const, "triplet" as const),
  }),
  fc.record({ kind: fc.constantFrom("bar" as const, "beat" as const, "tick" as const), count: fc.integer({ min: 1, max: 7 }) }),
  fc.record({ kind: fc.constant("part" as const), parts: fc.integer({ min: 2, max: 32 }) }),
  fc.record({ kind: fc.constant("time" as const), milliseconds: fc.constantFrom(0.1, 1, 10, 100, 1000, 333.3) }),
  fc.record({ kind: fc.constant("frame" as const), fraction: fc.constantFrom(1 as const, 0.5 as const, 0.25 as const), count: fc.constant(1) }),
  fc.record({ kind: fc.constant("sample" as const), count: fc.integer({ min: 1, max: 5000 }) }),
) as fc.Arbitrary<GridStep>;
describe("grid", () => {
  it("has its line at or before every position, its next line after it, and nothing between", () => {
    fc.assert(
      fc.property(timebases, steps, fc.integer({ min: 0, max: 20_000_000 }), (timebase, step, sample) => {
        const lines = gridLines(step, timebase);
        const before = lines.before(sample);
        const after = lines.after(sample);
        expect(before.sample).toBeLessThanOrEqual(sample);
        expect(after.sample).toBeGreaterThan(sample);
        expect(lines.before(before.sample).sample).toBe(before.sample);
        expect(lines.before(after.sample - 1).sample).toBe(before.sample);
        expect(lines.after(before.sample).sample).toBe(after.sample);
      }),
      { numRuns: 300 },
    );
  });
  it("restarts at each bar line", () => {
    fc.assert(
      fc.property(timebases, steps, fc.integer({ min: 0, max: 60 }), (timebase, step, bar) => {
        if (step.kind !== "note" && step.kind !== "beat" && step.kind !== "part" && step.kind !== "tick") return;
        const at = timebase.tempo.tickToSample(timebase.meter.barIndexToTick(bar));
        expect(gridLines(step, timebase).before(at).sample).toBe(at);
      }),
    );
  });
  it("divides each beat of the meter into equal parts, each at the sample nearest to its place", () => {
    // 3/8 at 100: a beat is an eighth, 14,400 samples.
    const timebase = base({
      tempo: new TempoMap([{ tick: 0, bpm: 100 }], 48_000),
      meter: new MeterMap([{ tick: 0, numerator: 3, denominator: 8 }]),
    });
    const lines = gridLines({ kind: "part", parts: 7 }, timebase);
    let at = -1;
    for (let n = 0; n < 60; n++) {
      const line = lines.after(at);
      expect(line.sample).toBe(Math.round((n * 14_400) / 7));
      expect(line.rank).toBe(n % 21 === 0 ? 2 : n % 7 === 0 ? 1 : 0);
      at = line.sample;
    }
  });
  it("puts line n of a frame grid at the sample nearest to its time, without drift", () => {
    const timebase = base({ frameRate: frameRate("29.97") });
    const lines = gridLines({ kind: "frame", fraction: 1, count: 1 }, timebase);
    let at = 0;
    for (let n = 1; n <= 10_000; n++) at = lines.after(at).sample;
    expect(at).toBe(Math.round((10_000 * 48_000 * 1001) / 30_000));
  });
  it("follows zoom: the finest step with lines at least 14 px apart, not finer than asked", () => {
    fc.assert(
      fc.property(
        timebases,
        fc.constantFrom("musical" as const, "time" as const, "frame" as const),
        fc.double({ min: 0.05, max: 20_000, noNaN: true }),
        (timebase, family, spp) => {
          const step = stepForZoom(family, spp, timebase);
          const coarsest = stepForZoom(family, 1e9, timebase);
          if (describeStep(step) !== describeStep(coarsest)) expect(stepSamples(step, timebase) / spp).toBeGreaterThanOrEqual(14);
          const eighth: GridStep = { kind: "note", division: 8, feel: "straight" };
          expect(stepSamples(stepForZoom("musical", spp, timebase, 0, eighth), timebase)).toBeGreaterThanOrEqual(
            stepSamples(eighth, timebase) * 0.999,
          );
        },
      ),
    );
  });
});

describe("reading and writing positions", () => {
  it("reads every unit", () => {
    const b = base();
    expect(formatBars(parsePosition("17.2.240", "time", b), b)).toBe("17.2.240");
    expect(parsePosition("1:02.5", "bars", b)).toBe(62.5 * 48_000);
    expect(parsePosition("01:00:10:12", "bars", b)).toBe(3610 * 48_000 + 12 * 1920);
    expect(parsePosition("48000 samples", "bars", b)).toBe(48_000);
    expect(parsePosition("+10 ms", "bars", b, 1000)).toBe(1480);
    expect(parsePosition("-2 frames", "bars", b, 10_000)).toBe(10_000 - 3840);
    expect(formatClock(48_000 * 41.739, 48_000)).toBe("00:41.739");
  });
  it.each(["", "wet", "17.9.000", "1:75", "0.1.000", "5 furlongs", "-1 s", "17.1.960", "4:99:10"])(
    "says what it did not understand in %j",
    (text) => {
      expect(() => parsePosition(text, "bars", base())).toThrow(/was not understood/);
    },
  );
});
