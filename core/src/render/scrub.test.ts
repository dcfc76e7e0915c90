import { expect, test } from "vitest";
import { SCRUB_BLOCK, Scrub } from "./scrub";

const RATE = 48_000;
/** A timeline that is one long tone; what is asked of it before zero would be wrong. */
const tone = (hertz: number) => (from: number, count: number, left: Float32Array, right: Float32Array) => {
  expect(from).toBeGreaterThanOrEqual(0);
  for (let i = 0; i < count; i++) left[i] = right[i] = Math.sin((2 * Math.PI * hertz * (from + i)) / RATE);
};
const crossings = (x: Float32Array): number => x.reduce((n, v, i) => n + (i > 0 && v < 0 !== x[i - 1] < 0 ? 1 : 0), 0);

/** What is heard while the hand moves at a speed for some blocks. */
function heard(speed: number, blocks: number, start = 480_000): { sound: Float32Array; scrub: Scrub } {
  const scrub = new Scrub(start, RATE);
  const sound = new Float32Array(blocks * SCRUB_BLOCK);
  for (let b = 0; b < blocks; b++)
    scrub.next(
      Math.max(0, start + speed * (b + 1) * SCRUB_BLOCK),
      tone(400),
      sound.subarray(b * SCRUB_BLOCK, (b + 1) * SCRUB_BLOCK),
      new Float32Array(SCRUB_BLOCK),
    );
  return { sound, scrub };
}

test.each([0.5, 1, 2, -1, -3])("the pitch follows the speed of the hand: %d times", (speed) => {
  const { sound, scrub } = heard(speed, 400);
  // Once it has caught up it moves as the hand does, a little behind.
  const tail = sound.subarray(200 * SCRUB_BLOCK);
  const hertz = crossings(tail) / 2 / (tail.length / RATE);
  expect(hertz).toBeCloseTo(400 * Math.abs(speed), -1);
  expect(Math.abs(scrub.position - (480_000 + speed * 400 * SCRUB_BLOCK))).toBeLessThan(0.2 * RATE * Math.abs(speed));
});

test("a hand that rests is silent, where it rests", () => {
  const scrub = new Scrub(100_000, RATE);
  const out = [new Float32Array(SCRUB_BLOCK), new Float32Array(SCRUB_BLOCK)];
  for (let b = 0; b < 400; b++) scrub.next(104_000, tone(400), out[0], out[1]);
  expect(Math.max(...out[0].map(Math.abs))).toBeLessThan(0.01);
  expect(scrub.position).toBeCloseTo(104_000, -1);
});

test("it never reads before zero, and makes no jump that the tone does not have", () => {
  const { sound } = heard(-4, 120, 40_000);
  const fast = heard(6, 200).sound;
  const most = (x: Float32Array): number => x.reduce((m, v, i) => (i > 0 ? Math.max(m, Math.abs(v - x[i - 1])) : m), 0);
  // A tone of 400 Hz at eight times its speed moves no more than this from one sample to the next.
  expect(most(fast)).toBeLessThan(((2 * Math.PI * 400) / RATE) * 8 * 1.05);
  expect(most(sound)).toBeLessThan(((2 * Math.PI * 400) / RATE) * 8 * 1.05);
});
