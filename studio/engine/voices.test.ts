import { expect, test } from "vitest";
import { Voices } from "./voices";

const tone = (n: number, v: number): Float32Array[] => [new Float32Array(n).fill(v), new Float32Array(n).fill(v / 2)];
const heard = (voices: Voices, from: number, n: number): Float32Array => {
  const [left, right] = [new Float32Array(n), new Float32Array(n)];
  voices.add(from, n, left, right, 0);
  return left;
};

test("slices sound from the frame at which they were struck, together, whatever the block borders", () => {
  const voices = new Voices();
  voices.strike(0, tone(100, 1), 50, 0.5);
  voices.strike(1, tone(100, 1), 120, 1);
  const whole = heard(voices, 0, 300);
  expect([whole[49], whole[50], whole[119], whole[120], whole[149], whole[150], whole[219], whole[220]]).toEqual([0, 0.5, 0.5, 1.5, 1.5, 1, 1, 0]);
  for (const border of [1, 77, 120, 149]) {
    expect([...heard(voices, 0, border), ...heard(voices, border, 300 - border)]).toEqual([...whole]);
  }
});

test("a key that is struck anew lets its earlier sound die away without a step", () => {
  const voices = new Voices();
  voices.strike(3, tone(5000, 1), 0, 1);
  voices.strike(3, tone(10, 0), 1000, 1);
  const x = heard(voices, 0, 5000);
  expect(x[999]).toBe(1);
  for (let i = 1000; i < 1400; i++) expect(Math.abs(x[i] - x[i - 1])).toBeLessThan(0.01);
  expect(x[1300]).toBe(0);
  voices.prune(1100);
  expect(voices.any).toBe(true);
  voices.prune(1240);
  expect(voices.any).toBe(false);
  voices.strike(0, tone(100, 1), 0, 1);
  voices.clear();
  expect(voices.any).toBe(false);
});
