import fc from "fast-check";
import { expect, test } from "vitest";
import { countIn, MOST_COUNTED, NO_COUNT } from "./count-in";
import { MeterMap } from "./meter";
import { TempoMap } from "./tempo";
import { FRAME_RATES } from "./timecode";

const RATE = 48_000;
const base = (bpm: number, numerator = 4, denominator = 4) => ({
  sampleRate: RATE,
  tempo: new TempoMap([{ tick: 0, bpm }], RATE),
  meter: new MeterMap([{ tick: 0, numerator, denominator }]),
  frameRate: Object.values(FRAME_RATES)[0],
});

test("two bars of four quarters before the piece begins, the first of each higher", () => {
  const count = countIn(base(120), 0, 2);
  expect(count.frames).toBe(8 * 24_000);
  expect(count.ticks.map((t) => t.at)).toEqual([0, 1, 2, 3, 4, 5, 6, 7].map((n) => n * 24_000));
  expect(count.ticks.map((t) => t.bar)).toEqual([true, false, false, false, true, false, false, false]);
});

test("in the midst of a bar the beats run on into the piece", () => {
  // Half a beat after beat 3 of bar 2, in 6/8 at 120 quarters a minute: an eighth is 12,000 samples.
  const position = 8 * 12_000 + 6_000;
  const count = countIn(base(120, 6, 8), position, 1);
  expect(count.frames).toBe(6 * 12_000);
  expect(count.ticks.map((t) => position - (count.frames - t.at))).toEqual([3, 4, 5, 6, 7, 8].map((n) => n * 12_000));
  expect(count.ticks.map((t) => t.bar)).toEqual([false, false, false, true, false, false]);
});

test("no bars count nothing", () => expect(countIn(base(90), 1000, 0)).toBe(NO_COUNT));

test("the beats counted are those of the piece, whatever tempo, meter and place", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 20, max: 400 }),
      fc.constantFrom([4, 4], [3, 4], [7, 8], [5, 16]),
      fc.integer({ min: 0, max: 400 }),
      fc.integer({ min: 1, max: MOST_COUNTED }),
      (bpm, [numerator, denominator], beat, bars) => {
        const timebase = base(bpm, numerator, denominator);
        const beatTicks = 3840 / denominator;
        const position = timebase.tempo.tickToSample(beat * beatTicks);
        const { ticks, frames } = countIn(timebase, position, bars);
        expect(ticks.length).toBe(bars * numerator);
        for (const [i, { at, bar }] of ticks.entries()) {
          const back = bars * numerator - i;
          expect(Math.abs(frames - at - timebase.tempo.samplesAt(back * beatTicks))).toBeLessThanOrEqual(1);
          expect(bar).toBe((((beat - back) % numerator) + numerator) % numerator === 0);
        }
      },
    ),
  );
});
