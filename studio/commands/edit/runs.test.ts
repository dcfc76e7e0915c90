import { expect, it } from "vitest";
import { Runs } from "./runs";

it("presses are one run as long as they do the same without a rest", () => {
  const runs = new Runs();
  const [first, second, other, back] = [runs.row("a", 0), runs.row("a", 500), runs.row("b", 600), runs.row("a", 700)];
  expect(second).toBe(first);
  expect(new Set([first, other, back]).size).toBe(3);
  // However long it has gone on; a rest ends it.
  expect(runs.row("a", 1399)).toBe(back);
  expect(runs.row("a", 2098)).toBe(back);
  expect(runs.row("a", 2798)).not.toBe(back);
});
