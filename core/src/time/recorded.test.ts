import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type HeardRun, heardRuns, LEAST_TAKE, takesOf } from "./recorded";

describe("what was heard when", () => {
  it("follows both counts over a count-in, a loop and a moment in which playing stood still", () => {
    // The device began at its frame 5000 with made frame 100; 40 frames of count-in; a loop of 60 from position 1000; a stop of 500 at made frame 180.
    const played = [
      { frame: 5000, to: 100 },
      { frame: 5580, to: 180 },
    ];
    const made = [
      { frame: 140, to: 1000 },
      { frame: 200, to: 1000 },
    ];
    expect(heardRuns(played, made, 230)).toEqual([
      { frame: 5040, position: 1000, frames: 40 },
      { frame: 5580, position: 1040, frames: 20 },
      { frame: 5600, position: 1000, frames: 30 },
    ]);
    expect(heardRuns(played, made, 120)).toEqual([]);
    expect(heardRuns([], made, 230)).toEqual([]);
  });
});

describe("where a recording belongs", () => {
  it("takes off the round trip, and keeps what lies before the start as hidden material", () => {
    const runs = [{ frame: 10_000, position: 5000, frames: 20_000 }];
    expect(takesOf(runs, { first: 8000, frames: 30_000, roundTrip: 700, start: 6000, end: null })).toEqual([
      [{ start: 6000, offset: 2000 + 700 + 1000, length: 19_000 }],
    ]);
  });

  it("punches into a span, and cuts what had not come in yet", () => {
    const runs = [{ frame: 0, position: 0, frames: 50_000 }];
    expect(takesOf(runs, { first: 0, frames: 50_000, roundTrip: 0, start: 1000, end: 3000 })).toEqual([
      [{ start: 1000, offset: 1000, length: 2000 }],
    ]);
    expect(takesOf(runs, { first: 0, frames: 2500, roundTrip: 100, start: 1000, end: 3000 })).toEqual([
      [{ start: 1000, offset: 1100, length: 1400 }],
    ]);
  });

  it("begins another take where the ear jumps back, and another part where playing stood still", () => {
    const runs = [
      { frame: 100, position: 1000, frames: 1000 },
      { frame: 1100, position: 0, frames: 500 },
      { frame: 2000, position: 500, frames: 1500 },
      { frame: 3500, position: 0, frames: 10 },
    ];
    expect(takesOf(runs, { first: 0, frames: 9000, roundTrip: 0, start: 0, end: null })).toEqual([
      [{ start: 1000, offset: 100, length: 1000 }],
      [
        { start: 0, offset: 1100, length: 500 },
        { start: 500, offset: 2000, length: 1500 },
      ],
    ]);
  });

  it("lays every sample where it was heard a round trip earlier, whatever the breaks", () => {
    const runsOf = fc
      .array(fc.record({ gap: fc.integer({ min: 0, max: 300 }), frames: fc.integer({ min: 1, max: 2000 }), jump: fc.boolean() }), {
        minLength: 1,
        maxLength: 8,
      })
      .map((list) => {
        const runs: HeardRun[] = [];
        let [frame, position] = [500, 1000];
        for (const { gap, frames, jump } of list) {
          if (jump) position = 1000;
          runs.push({ frame: frame + gap, position, frames });
          frame += gap + frames;
          position += frames;
        }
        return runs;
      });
    fc.assert(
      fc.property(
        runsOf,
        fc.integer({ min: 0, max: 900 }),
        fc.integer({ min: 0, max: 400 }),
        fc.integer({ min: 0, max: 8000 }),
        (runs, first, roundTrip, frames) => {
          const captured = { first, frames, roundTrip, start: 1200, end: 6000 };
          const takes = takesOf(runs, captured);
          for (const parts of takes) {
            let after = 0;
            for (const { start, offset, length } of parts) {
              expect(start).toBeGreaterThanOrEqual(Math.max(after, 1200));
              expect(start + length).toBeLessThanOrEqual(6000);
              expect(offset).toBeGreaterThanOrEqual(0);
              expect(offset + length).toBeLessThanOrEqual(frames);
              after = start + length;
              for (const at of [0, length - 1]) {
                const heard = runs.find((r) => r.frame <= first + offset + at - roundTrip && r.frame + r.frames > first + offset + at - roundTrip);
                expect(heard && heard.position + first + offset + at - roundTrip - heard.frame).toBe(start + at);
              }
            }
          }
          // Nothing that came in where it counts is left away but takes of a moment.
          let due = 0;
          for (const r of runs)
            for (let i = 0; i < r.frames; i++) {
              const [p, o] = [r.position + i, r.frame + i + roundTrip - first];
              if (p >= 1200 && p < 6000 && o >= 0 && o < frames) due++;
            }
          const kept = takes.flat().reduce((n, p) => n + p.length, 0);
          expect(due - kept).toBeGreaterThanOrEqual(0);
          expect(due - kept).toBeLessThan(LEAST_TAKE * runs.length);
        },
      ),
    );
  });
});
