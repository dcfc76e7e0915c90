import { expect, it } from "vitest";
import { sameSamples } from "../testing/arbitraries";
import { loadStretcher, stretch } from "./stretcher";

it("loads the package while others load code of their own, and leaves nothing of its stand-ins behind", async () => {
  const wasm = (
    globalThis as unknown as {
      WebAssembly: { Module: new (b: Uint8Array) => object; instantiate(code: unknown, imports?: unknown): Promise<unknown> };
    }
  ).WebAssembly;
  const before = wasm.instantiate;
  const empty = Uint8Array.of(0, 0x61, 0x73, 0x6d, 1, 0, 0, 0);
  const loading = loadStretcher();
  // The smallest module there is, as compiled code and as bytes.
  await Promise.all([wasm.instantiate(new wasm.Module(empty)), wasm.instantiate(empty, {})]);
  await loading;
  expect(wasm.instantiate).toBe(before);
  expect(["AudioWorkletProcessor", "registerProcessor", "sampleRate"].filter((name) => name in globalThis)).toEqual([]);
  const [silent] = stretch(
    1,
    48_000,
    (_, count) => [new Float32Array(count)],
    (at) => at / 2,
    0,
    1000,
  );
  expect(silent.every((v) => v === 0)).toBe(true);
});

it("does each piece of work as if it were its first, whatever was done before by the same machine", async () => {
  await loadStretcher();
  const sound = (seed: number) => (from: number, count: number) =>
    [0, 1].map((c) => Float32Array.from({ length: count }, (_, i) => Math.sin((from + i) * seed * (c + 1))));
  const work = () => stretch(2, 44_100, sound(0.031), (at) => at / 1.3, 500, 9000);
  const first = work();
  // While one works another is set up beside; both are taken up again.
  const beside = (from: number, count: number) => {
    stretch(2, 44_100, sound(0.5), (at) => at * 1.7, 0, 3000);
    return sound(0.002)(from, count);
  };
  stretch(2, 44_100, beside, (at) => at / 2, 0, 3000, true);
  const again = work();
  for (const c of [0, 1]) expect(sameSamples(first[c], again[c])).toBe(true);
});
