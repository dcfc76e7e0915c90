import { expect, it } from "vitest";
import { loadStretcher, Stretcher } from "./stretcher";

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
  const [silent] = new Stretcher(1, 48_000).run(
    (_, count) => [new Float32Array(count)],
    (at) => at / 2,
    0,
    1000,
  );
  expect(silent.every((v) => v === 0)).toBe(true);
});
