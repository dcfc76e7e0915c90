import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Timebase } from "./grid";
import type { GridStep } from "./grid-step";
import { MeterMap } from "./meter";
import { nudged } from "./nudge";
import { TempoMap } from "./tempo";
import { frameRate } from "./timecode";

const base: Timebase = {
  sampleRate: 48_000,
  tempo: new TempoMap([{ tick: 0, bpm: 92.5 }], 48_000),
  meter: new MeterMap([{ tick: 0, numerator: 6, denominator: 8 }]),
  frameRate: frameRate("29.97"),
};

describe("nudging", () => {
  it("10,000 times by a frame lands where one nudge of 10,000 frames does", () => {
    expect(nudged(777, 10_000, { kind: "frame", fraction: 1, count: 1 }, base) - 777).toBe(Math.round((10_000 * 48_000 * 1001) / 30_000));
  });
  it("by triplets does not drift", () => {
    expect(nudged(0, 12_000, { kind: "note", division: 8, feel: "triplet" }, base)).toBe(base.tempo.tickToSample(12_000 * 320));
  });
  it("there and back again is where it began, for every step", () => {
    const steps: GridStep[] = [
      { kind: "frame", fraction: 0.25, count: 1 },
      { kind: "time", milliseconds: 0.3 },
      { kind: "sample", count: 3 },
      { kind: "bar", count: 1 },
      { kind: "beat", count: 1 },
      { kind: "tick", count: 7 },
      { kind: "note", division: 16, feel: "dotted" },
      { kind: "part", parts: 7 },
    ];
    fc.assert(
      fc.property(fc.constantFrom(...steps), fc.integer({ min: 0, max: 10_000_000 }), (step, start) => {
        expect(nudged(start, 0, step, base)).toBe(start);
        for (let n = -3; n < 3; n++) expect(nudged(start, n + 1, step, base)).toBeGreaterThanOrEqual(nudged(start, n, step, base));
      }),
    );
  });
  it("by parts of a beat five fifths are the beat, through a change of meter too", () => {
    expect(nudged(0, 5, { kind: "part", parts: 5 }, base)).toBe(base.tempo.tickToSample(480));
    expect(nudged(0, 1, { kind: "part", parts: 5 }, base)).toBe(Math.round(base.tempo.samplesAt(96)));
    expect(nudged(base.tempo.tickToSample(480), -7, { kind: "part", parts: 7 }, base)).toBe(0);
  });
  it("a bar of 6/8 is six eighths", () => {
    expect(nudged(0, 1, { kind: "bar", count: 1 }, base)).toBe(base.tempo.tickToSample(2880));
    expect(nudged(0, 1, { kind: "beat", count: 1 }, base)).toBe(base.tempo.tickToSample(480));
  });
});

describe("nudges by bars and beats", () => {
  const timebase = {
    sampleRate: 48_000,
    tempo: new TempoMap([{ tick: 0, bpm: 120 }], 48_000),
    meter: new MeterMap([
      { tick: 0, numerator: 4, denominator: 4 },
      { tick: 3840, numerator: 3, denominator: 4 },
      { tick: 3840 + 2880, numerator: 6, denominator: 8 },
    ]),
    frameRate: frameRate("25"),
  };
  const bars = (base: number, count: number, by = 1) => nudged(base, count, { kind: "bar", count: by }, timebase);
  it("are counted through the meters on the way", () => {
    expect(bars(0, 1, 2)).toBe(168_000);
    expect(bars(0, 2)).toBe(168_000);
    expect(bars(168_000, -2)).toBe(0);
    expect(nudged(0, 8, { kind: "beat", count: 1 }, timebase)).toBe(168_000 + 12_000);
  });
  it("keep the distance from the line, and come back to where they began", () => {
    expect(bars(1234, 2)).toBe(169_234);
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 400_000 }),
        fc.integer({ min: -6, max: 6 }),
        fc.constantFrom("bar" as const, "beat" as const),
        (base, n, kind) => {
          const there = nudged(base, n, { kind, count: 1 }, timebase);
          // Where the next bar is shorter than the distance, the place lies in another bar: there the way back is another.
          const index = (s: number) => timebase.meter[kind === "bar" ? "barIndexAt" : "beatIndexAt"](timebase.tempo.placeOf(s));
          if (there >= 0 && index(there) === index(base) + n) expect(nudged(there, -n, { kind, count: 1 }, timebase)).toBe(base);
        },
      ),
    );
  });
});
