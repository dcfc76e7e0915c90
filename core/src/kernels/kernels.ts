import type { Kernels } from "./loops";
import { Twins } from "./twins";
import { KERNELS } from "./wasm";

export type { Kernels } from "./loops";

/** What of WebAssembly is used here; the core's types know no browser and no Node. */
interface Wasm {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object) => { readonly exports: Record<string, unknown> };
}

/** The module's functions: as the kernels, with addresses in bytes, and 64-bit counts where they may pass 32. */
interface Exports extends Omit<Kernels, "floats" | "doubles" | "bytes" | "resample"> {
  readonly memory: { readonly buffer: ArrayBuffer; grow(pages: number): number };
  resample(
    taps: number,
    size: number,
    up: bigint,
    down: bigint,
    half: bigint,
    x: number,
    base: bigint,
    first: bigint,
    count: number,
    out: number,
  ): void;
}

const PAGE = 65_536;
/** The first page is left to the module itself. */
const OWN = PAGE;

class Simd implements Kernels {
  readonly floats: Float32Array;
  readonly doubles: Float64Array;
  readonly bytes: Uint8Array;

  constructor(
    private readonly code: Exports,
    floats: number,
  ) {
    code.memory.grow(Math.ceil((OWN + floats * 4 - code.memory.buffer.byteLength) / PAGE));
    this.floats = new Float32Array(code.memory.buffer, OWN, floats);
    this.doubles = new Float64Array(code.memory.buffer, OWN, Math.floor(floats / 2));
    this.bytes = new Uint8Array(code.memory.buffer, OWN, floats * 4);
  }

  mixBoth(x: number, left: number, right: number, n: number, gainLeft: number, gainRight: number): void {
    this.code.mixBoth(OWN + x * 4, OWN + left * 4, OWN + right * 4, n, gainLeft, gainRight);
  }
  mixFour(x: number, stride: number, left: number, right: number, n: number, gains: number): void {
    this.code.mixFour(OWN + x * 4, stride * 4, OWN + left * 4, OWN + right * 4, n, OWN + gains * 4);
  }
  mixOne(x: number, out: number, n: number, gain: number): void {
    this.code.mixOne(OWN + x * 4, OWN + out * 4, n, gain);
  }
  loudest(x: number, n: number): number {
    return this.code.loudest(OWN + x * 4, n);
  }
  peaks64(x: number, blocks: number, out: number): void {
    this.code.peaks64(OWN + x * 4, blocks, OWN + out * 4);
  }
  coarser(x: number, groups: number, out: number): void {
    this.code.coarser(OWN + x * 4, groups, OWN + out * 4);
  }
  reflect(x: number, y: number, n: number, out: number): void {
    this.code.reflect(OWN + x * 4, OWN + y * 4, n, OWN + out * 4);
  }
  lattice(x: number, y: number, n: number, reflection: number): void {
    this.code.lattice(OWN + x * 4, OWN + y * 4, n, reflection);
  }
  weigh(x: number, weights: number, n: number, out: number): void {
    this.code.weigh(OWN + x * 4, OWN + weights * 4, n, OWN + out * 4);
  }
  halve(x: number, n: number, out: number): void {
    this.code.halve(OWN + x * 4, n, OWN + out * 4);
  }
  swell(x: number, n: number, skip: number, factor: number, step: number): void {
    this.code.swell(OWN + x * 4, n, skip, factor, step);
  }
  fourier(re: number, im: number, size: number, turns: number, spare: number): number {
    return (this.code.fourier(OWN + re * 4, OWN + im * 4, size, OWN + turns * 4, OWN + spare * 4) - OWN) / 4;
  }
  apart(re: number, size: number, first: number, second: number): void {
    this.code.apart(OWN + re * 4, size, OWN + first * 4, OWN + second * 4);
  }
  risen(powers: number, edges: number, bands: number, state: number, before: number, now: number, up: number, first: number): number {
    return this.code.risen(OWN + powers * 4, OWN + edges * 4, bands, OWN + state * 4, OWN + before * 4, OWN + now * 4, up, first);
  }
  decode(from: number, channels: number, width: number, n: number, out: number, plane: number): number {
    return this.code.decode(OWN + from, channels, width, n, OWN + out * 4, plane * 4);
  }
  encode(x: number, plane: number, channels: number, n: number, width: number, seed: number, to: number): number {
    return this.code.encode(OWN + x * 4, plane * 4, channels, n, width, seed, OWN + to) >>> 0;
  }
  resample(
    taps: number,
    size: number,
    up: number,
    down: number,
    half: number,
    x: number,
    base: number,
    first: number,
    count: number,
    out: number,
  ): void {
    const i64 = BigInt;
    this.code.resample(OWN + taps * 4, size, i64(up), i64(down), i64(half), OWN + x * 4, i64(base), i64(first), count, OWN + out * 4);
  }
  glide(rows: number, size: number, places: number, x: number, begin: number, pace: number, count: number, out: number): void {
    this.code.glide(OWN + rows * 4, size, places, OWN + x * 4, begin, pace, count, OWN + out * 4);
  }
  between64(taps: number, size: number, x: number, groups: number, out: number): void {
    this.code.between64(OWN + taps * 4, size, OWN + x * 4, groups, OWN + out * 4);
  }
}

/** Bytes of a text in base 64. */
function bytesOf(text: string): Uint8Array {
  const { atob } = globalThis as unknown as { atob(text: string): string };
  return Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
}

let compiled: object | null | undefined;

/** Kernels with a memory of so many floats: as WebAssembly SIMD where there is such a thing, else as their twins. */
export function newKernels(floats: number): Kernels {
  const wasm = (globalThis as unknown as { WebAssembly?: Wasm }).WebAssembly;
  if (compiled === undefined) {
    try {
      compiled = wasm ? new wasm.Module(bytesOf(KERNELS)) : null;
    } catch {
      // An engine without SIMD refuses the module.
      compiled = null;
    }
  }
  return wasm && compiled ? new Simd(new wasm.Instance(compiled).exports as unknown as Exports, floats) : new Twins(floats);
}
