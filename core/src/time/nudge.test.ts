import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { GridStep, Timebase } from "./grid";
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
    ];
    fc.assert(
      fc.property(fc.constantFrom(...steps), fc.integer({ min: 0, max: 10_000_000 }), (step, start) => {
        expect(nudged(start, 0, step, base)).toBe(start);
        for (let n = -3; n < 3; n++) expect(nudged(start, n + 1, step, base)).toBeGreaterThanOrEqual(nudged(start, n, step, base));
      }),
    );
  });
  it("a bar of 6/8 is six eighths", () => {
    expect(nudged(0, 1, { kind: "bar", count: 1 }, base)).toBe(base.tempo.tickToSample(2880));
    expect(nudged(0, 1, { kind: "beat", count: 1 }, base)).toBe(base.tempo.tickToSample(480));
  });
});
