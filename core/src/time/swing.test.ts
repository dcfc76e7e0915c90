import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { gridLines, type Timebase } from "./grid";
import type { GridStep } from "./grid-step";
import { MeterMap } from "./meter";
import { feelOf, swungLines } from "./swing";
import { TempoMap } from "./tempo";
import { frameRate } from "./timecode";

const RATE = 48_000;
const base = (bpm: number, numerator = 4): Timebase => ({
  sampleRate: RATE,
  tempo: new TempoMap([{ tick: 0, bpm }], RATE),
  meter: new MeterMap([{ tick: 0, numerator, denominator: 4 }], 1),
  frameRate: frameRate("25"),
});
const EIGHTHS: GridStep = { kind: "note", division: 8, feel: "straight" };

describe("a feel", () => {
  it("is the offsets that hits were played with, and its lines lie on them, to the sample", () => {
    fc.assert(
      fc.property(
        fc.double({ min: 60, max: 180, noNaN: true }),
        fc.array(fc.integer({ min: -200, max: 200 }), { minLength: 8, maxLength: 8 }),
        fc.integer({ min: 1, max: 5 }),
        (bpm, late, bars) => {
          const at = base(bpm);
          const hits = Array.from({ length: 8 * bars }, (_, i) => Math.max(0, at.tempo.tickToSample(Math.max(0, i * 480 + late[i % 8])))).filter(
            (h, i) => i > 0 || h > 0,
          );
          const feel = feelOf(hits, at, EIGHTHS);
          const lines = swungLines(gridLines(EIGHTHS, at), at, { swing: 0, feel }, hits[0], hits[hits.length - 1]);
          // A tick is longer than a sample: the mean of places rounded to samples is within one of each.
          for (const [i, hit] of hits.entries())
            if (i > 0) expect(lines.reduce((least, l) => Math.min(least, Math.abs(l - hit)), 1e9)).toBeLessThanOrEqual(1);
        },
      ),
    );
  });

  it("leaves lines without hits where they are, and counts only bars like the first", () => {
    const at = base(120);
    expect(feelOf([at.tempo.tickToSample(490)], at, EIGHTHS)).toEqual([0, 10, 0, 0, 0, 0, 0, 0]);
    const mixed: Timebase = {
      ...at,
      meter: new MeterMap(
        [
          { tick: 0, numerator: 4, denominator: 4 },
          { tick: 3840, numerator: 3, denominator: 4 },
        ],
        1,
      ),
    };
    expect(
      feelOf(
        [490, 3840 + 480 + 40].map((t) => at.tempo.tickToSample(t)),
        mixed,
        EIGHTHS,
      )[1],
    ).toBeCloseTo(10, 9);
  });

  it("goes up to a change of meter on both sides, and is refused only across it", () => {
    const six = {
      ...base(120),
      meter: new MeterMap(
        [3, 4, 3].map((numerator, i) => ({ tick: [0, 2880, 2880 + 3840][i], numerator, denominator: 4 })),
        1,
      ),
    };
    const [from, to] = [2880, 2880 + 3840 - 1].map((t) => six.tempo.tickToSample(t));
    const lines = (end: number) => swungLines(gridLines(EIGHTHS, six), six, { swing: 0, feel: Array.from({ length: 8 }, () => 10) }, from, end);
    const late = six.tempo.tickToSample(10);
    for (let t = 2880; t < 2880 + 3840; t += 480) expect(lines(to)).toContain(six.tempo.tickToSample(t) + late);
    expect(() => lines(to + 24_000)).toThrow(/here a bar has 6/);
  });

  it("from another meter, of a grid without bars, or from no hits is refused in words", () => {
    const feel = feelOf([1000], base(120), EIGHTHS);
    const three = base(120, 3);
    expect(() => swungLines(gridLines(EIGHTHS, three), three, { swing: 0, feel }, 0, RATE)).toThrow(/taken from bars of 8 lines; here a bar has 6/);
    expect(() => feelOf([], three, EIGHTHS)).toThrow(/no hits/);
    for (const step of [
      { kind: "bar", count: 1 },
      { kind: "time", milliseconds: 10 },
    ] as const)
      expect(() => feelOf([1], three, step)).toThrow(/beats or note values/);
  });
});
