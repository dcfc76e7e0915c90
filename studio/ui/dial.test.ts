import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { turnOf, valueOfTurn } from "./dial";

const ranges = fc
  .tuple(fc.double({ min: 0.01, max: 100, noNaN: true }), fc.double({ min: 2, max: 5000, noNaN: true }), fc.boolean())
  .map(([least, times, even]) => ({ least, most: least * times, even }));

describe("the turn of a dial", () => {
  it("leads to a value of its range and back, to a hundredth of the turn", () => {
    fc.assert(
      fc.property(ranges, fc.double({ min: 0, max: 1, noNaN: true }), (range, turn) => {
        const value = valueOfTurn(range, turn);
        expect(value).toBeGreaterThanOrEqual(range.least);
        expect(value).toBeLessThanOrEqual(range.most);
        expect(Math.abs(turnOf(range, value) - turn)).toBeLessThan(0.01);
      }),
    );
  });
  it("ends at both ends exactly, and rises", () => {
    const range = { least: -60, most: 0 };
    expect([valueOfTurn(range, 0), valueOfTurn(range, 1), valueOfTurn(range, 0.5)]).toEqual([-60, 0, -30]);
    expect(valueOfTurn({ least: 10, most: 40_000, even: true }, 0.5)).toBe(632);
  });
});
