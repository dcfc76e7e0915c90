import { treat } from "@wet-thread/core/dsp/treat/treat";
import type { Processor } from "@wet-thread/core/model/recipe/treatment";
import { Processor as ProcessorSchema } from "@wet-thread/core/model/recipe/treatment";
import { expect, test } from "vitest";
import { heardBy, TreatedHere, type TreatedRecording } from "./treated-here";

const RATE = 48_000;
const LENGTH = 3 * RATE;
const x = Float32Array.from({ length: LENGTH }, (_, i) => Math.sin(i / 9) * 0.4 + ((i * 7919) % 1000) / 5000 - 0.1);
const recording = (chain: Processor[], window = { from: 0, to: LENGTH }): TreatedRecording => ({
  id: "s~m1",
  sourceId: "s",
  making: { treat: { chain, window, tail: 0 } },
  length: LENGTH,
  channels: 1,
  sampleRate: RATE,
});
const here = (there = (_from: number, _to: number) => true) =>
  new TreatedHere((_id, _c, from, out, at, count) => {
    out.set(x.subarray(from, from + count), at);
    return there(from, from + count);
  });

test("what is treated here is what the whole recording treated in one go is, within what a short run-in leaves", () => {
  const chain = [
    ProcessorSchema.parse({ kind: "lowCut", hz: 120 }),
    ProcessorSchema.parse({ kind: "bell", hz: 3000, db: 6 }),
    ProcessorSchema.parse({ kind: "gain", db: -6 }),
  ];
  const whole = x.slice();
  treat([whole], chain, RATE, 0);
  const out = new Float32Array(60_000);
  expect(here().copy(recording(chain), 0, 50_000, out, 0, 60_000)).toBe(true);
  for (let i = 0; i < 60_000; i += 37) expect(Math.abs(out[i] - whole[50_000 + i])).toBeLessThan(1e-4);
});

test("what it needs is told beforehand, and where that is missing nothing is made up", () => {
  const one = recording([ProcessorSchema.parse({ kind: "gain", db: -20 })]);
  const need = heardBy(one, 40_000, 41_000);
  const out = new Float32Array(1000);
  expect(here((from, to) => from >= need.from && to <= need.to).copy(one, 0, 40_000, out, 0, 1000)).toBe(true);
  expect(out[500]).toBeCloseTo(x[40_500] / 10, 5);
  expect(here(() => false).copy(one, 0, 40_000, out, 0, 1000)).toBe(false);
});

test("a chain that rings on hears nothing but its window", () => {
  const chain = [ProcessorSchema.parse({ kind: "echo", time: 100, feedback: 0.3, mix: 1 })];
  const one = recording(chain, { from: RATE, to: RATE + 4800 });
  const out = new Float32Array(RATE);
  expect(here().copy(one, 0, RATE / 2, out, 0, RATE)).toBe(true);
  // Before the window silence, its echo after it.
  expect(out.subarray(0, RATE / 2).every((v) => v === 0)).toBe(true);
  expect(out.subarray(RATE / 2 + 4800, RATE / 2 + 9600).some((v) => Math.abs(v) > 0.05)).toBe(true);
});
