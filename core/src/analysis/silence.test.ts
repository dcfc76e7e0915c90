import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { gapsBetween, type Interval, roomLevel, type SilenceRule, soundStretches, soundThreshold, suggestThreshold, unionOf } from "./silence";

const BLOCK = 64;
const levels = fc.array(fc.float({ min: 0, max: 1, noNaN: true }), { maxLength: 200 }).map((l) => Float32Array.from(l));
const rules: fc.Arbitrary<SilenceRule> = fc.record({
  threshold: fc.float({ min: Math.fround(0.01), max: 1, noNaN: true }),
  shortestSilence: fc.nat(1500),
  shortestSound: fc.nat(1500),
  padBefore: fc.nat(500),
  padAfter: fc.nat(500),
});

const lengthOf = (l: Float32Array): number => Math.max(0, l.length * BLOCK - 20);
const covers = (stretches: readonly Interval[], sample: number): boolean => stretches.some(([a, b]) => a <= sample && sample < b);

describe("the room's level", () => {
  it("is the one that sorting tells, and nothing is moved by asking", () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom(0, 0.001, 0.01, 0.01, 0.2, 0.5, 0.7, 1), { minLength: 1, maxLength: 4000 }), (list) => {
        const l = Float32Array.from(list);
        const peaks: number[] = [];
        for (let i = 0; i < l.length; i += 32) {
          const peak = Math.max(...l.subarray(i, i + 32));
          if (peak > 1e-5 && (i + 32 <= l.length || peaks.length === 0)) peaks.push(peak);
        }
        peaks.sort((a, b) => a - b);
        const [was, before] = [peaks[Math.floor(0.05 * peaks.length)], l.slice()];
        expect(roomLevel(l)).toBe(peaks.length === 0 ? null : 20 * Math.log10(was));
        suggestThreshold(l);
        expect(l).toEqual(before);
      }),
    );
  });
});

describe("stretches with sound", () => {
  it("are in order, apart, and within the recording", () => {
    fc.assert(
      fc.property(levels, rules, (l, rule) => {
        const found = soundStretches(l, BLOCK, lengthOf(l), rule);
        let at = -1;
        for (const [from, to] of found) {
          expect(from).toBeGreaterThan(at);
          expect(to).toBeGreaterThan(from);
          at = to;
        }
        expect(at).toBeLessThanOrEqual(lengthOf(l));
      }),
    );
  });
  it("hold every loud block, with its pads, when no sound is too short to count", () => {
    fc.assert(
      fc.property(levels, rules, (l, rule) => {
        const length = lengthOf(l);
        const found = soundStretches(l, BLOCK, length, { ...rule, shortestSound: 0 });
        for (let i = 0; i < l.length; i++) {
          if (l[i] < rule.threshold || i * BLOCK >= length) continue;
          for (const s of [i * BLOCK - rule.padBefore, Math.min(length, (i + 1) * BLOCK) - 1 + rule.padAfter])
            if (s >= 0 && s < length) expect(covers(found, s)).toBe(true);
        }
      }),
    );
  });
  it("leave out only quiet blocks that lie in a long pause, when there are no pads", () => {
    fc.assert(
      fc.property(levels, rules, (l, rule) => {
        const length = lengthOf(l);
        const bare = { ...rule, shortestSound: 0, padBefore: 0, padAfter: 0 };
        const found = soundStretches(l, BLOCK, length, bare);
        const gaps = gapsBetween(found, 0, length);
        for (const [from, to] of gaps) {
          for (let i = from / BLOCK; i * BLOCK < to; i++) expect(l[i]).toBeLessThan(rule.threshold);
          if (from > 0 && to < length) expect(to - from).toBeGreaterThanOrEqual(rule.shortestSilence);
        }
      }),
    );
  });
  it("never grow when more is asked of sound", () => {
    const more = fc.record({ threshold: fc.float({ min: 0, max: 1, noNaN: true }), shortestSound: fc.nat(1500) });
    fc.assert(
      fc.property(levels, rules, more, (l, rule, extra) => {
        const length = lengthOf(l);
        const stricter = { ...rule, threshold: rule.threshold + extra.threshold, shortestSound: rule.shortestSound + extra.shortestSound };
        const loose = soundStretches(l, BLOCK, length, rule);
        for (const [from, to] of soundStretches(l, BLOCK, length, stricter)) expect(loose.some(([a, b]) => a <= from && to <= b)).toBe(true);
      }),
    );
  });
  it("of a word, a tick and a word are the two words", () => {
    const l = new Float32Array(100);
    l.fill(0.3, 10, 30).fill(0.001, 15, 17).fill(0.5, 50, 51).fill(0.3, 70, 90);
    const rule = { threshold: 0.01, shortestSilence: 640, shortestSound: 128, padBefore: 10, padAfter: 100 };
    expect(soundStretches(l, BLOCK, 6400, rule)).toEqual([
      [630, 2020],
      [4470, 5860],
    ]);
  });
});

describe("the suggested threshold", () => {
  it("lies between the room and the voice, wherever they are", () => {
    fc.assert(
      fc.property(fc.integer({ min: -90, max: -35 }), fc.integer({ min: 14, max: 30 }), (room, apart) => {
        const l = Float32Array.from({ length: 400 }, (_, i) => 10 ** ((i % 100 < 50 ? room + (i % 3) : room + apart - (i % 2)) / 20));
        const found = suggestThreshold(l) as number;
        expect(20 * Math.log10(found)).toBeGreaterThan(room + 2);
        expect(20 * Math.log10(found)).toBeLessThan(room + apart);
      }),
    );
  });
  it("lies above the peaks of a noisy room, so that its pauses are found", () => {
    const room = noise(4000, 7);
    const l = Float32Array.from(room, (x, i) => Math.abs(x) * (i % 1000 < 500 ? 0.0045 : 0.09) + 1e-4);
    const threshold = suggestThreshold(l) as number;
    expect(threshold).toBeGreaterThan(0.0033);
    const rule = { threshold, shortestSilence: 200 * BLOCK, shortestSound: 0, padBefore: 0, padAfter: 0 };
    expect(gapsBetween(soundStretches(l, BLOCK, 4000 * BLOCK, rule), 0, 4000 * BLOCK)).toHaveLength(4);
  });
  it("keeps all that can be heard where the pauses are empty", () => {
    const l = Float32Array.from({ length: 400 }, (_, i) => (i % 100 < 20 ? 0 : i % 100 < 60 ? 0.003 : 0.4));
    expect(20 * Math.log10((suggestThreshold(l) as number) / 0.4)).toBeCloseTo(-50, 3);
  });
  it("is none where there is nothing to tell apart", () => {
    expect([
      suggestThreshold(new Float32Array(100)),
      suggestThreshold(new Float32Array(0)),
      suggestThreshold(new Float32Array(100).fill(0.2)),
    ]).toEqual([null, null, null]);
  });
});

describe("lists of stretches", () => {
  const list = fc
    .array(fc.tuple(fc.nat(100), fc.integer({ min: 1, max: 20 })), { maxLength: 8 })
    .map((l) => unionOf([l.map(([a, n]) => [a, a + n] as const)]));
  it("and the gaps between them cover all, once", () => {
    fc.assert(
      fc.property(list, (l) => {
        const gaps = gapsBetween(l, 0, 150);
        for (let s = 0; s < 150; s++) expect(covers(gaps, s)).toBe(!covers(l, s));
      }),
    );
  });
  it("together cover what any of them does", () => {
    fc.assert(
      fc.property(list, list, (a, b) => {
        const both = unionOf([a, b]);
        for (let s = 0; s < 150; s++) expect(covers(both, s)).toBe(covers(a, s) || covers(b, s));
        expect(both.every(([, to], i) => i + 1 === both.length || to < both[i + 1][0])).toBe(true);
      }),
    );
  });
});

describe("a threshold for any levels", () => {
  it("is the suggested one, else just above the room, and none in digital silence", () => {
    const even = new Float32Array(100).fill(0.2);
    expect(suggestThreshold(even)).toBeNull();
    expect(20 * Math.log10((soundThreshold(even) as number) / 0.2)).toBeCloseTo(3, 6);
    expect(soundThreshold(new Float32Array(100))).toBeNull();
    const speech = Float32Array.from({ length: 640 }, (_, i) => (i % 128 < 64 ? 0.4 : 0.001));
    expect(suggestThreshold(speech)).not.toBeNull();
    expect(soundThreshold(speech)).toBe(suggestThreshold(speech));
  });
});
