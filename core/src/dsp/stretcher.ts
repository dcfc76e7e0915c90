/// <reference path="./signalsmith-stretch.d.ts" />

/*
 * The phase vocoder of `signalsmith-stretch`, asked offline. The package is written for an audio worklet and brings its code inside a text;
 * it is loaded once with stand-ins for what a worklet has, its WebAssembly is caught on the way, and each piece of work gets an instance of
 * its own, with numbers in place of random ones: the same work then gives the same samples, whoever asks and whenever.
 */

/** What the package's build calls its functions, in the very version that package.json names. */
const NAMES = {
  memory: "e",
  construct: "f",
  main: "y",
  setBuffers: "h",
  inputLatency: "k",
  outputLatency: "l",
  configure: "p",
  seek: "v",
  process: "w",
} as const;

interface Memory {
  readonly buffer: ArrayBuffer;
  grow(pages: number): number;
}
interface Instance {
  readonly exports: Record<string, unknown>;
}

/** What of WebAssembly is used here; the core's types know no browser and no Node. */
interface Wasm {
  compile(bytes: unknown): Promise<object>;
  instantiate(code: unknown, imports: unknown): Promise<unknown>;
  readonly Instance: new (code: object, imports: unknown) => Instance;
}
const wasm = (): Wasm => (globalThis as unknown as { WebAssembly: Wasm }).WebAssembly;

interface WorkletGlobals {
  AudioWorkletProcessor?: unknown;
  registerProcessor?: unknown;
  sampleRate?: number;
}

/** Whether code is given what the package's asks for. */
const areItsImports = (imports: unknown): boolean => {
  const given = (imports as { a?: Record<string, unknown> } | undefined)?.a;
  return given !== undefined && Object.keys(given).sort().join("") === "abcd";
};

async function caught(): Promise<object> {
  const scope = globalThis as WorkletGlobals;
  const assembly = wasm();
  const { instantiate } = assembly;
  let module: object | undefined;
  try {
    await new Promise<void>((ready, failed) => {
      let Processor: (new (options: object) => unknown) | undefined;
      scope.AudioWorkletProcessor = class {
        readonly port = { onmessage: null, postMessage: () => ready() };
      };
      scope.registerProcessor = (_: string, made: typeof Processor) => {
        Processor = made;
      };
      scope.sampleRate = 48_000;
      assembly.instantiate = async (bytes, imports) => {
        // Others in the process may load code of their own meanwhile.
        if (!ArrayBuffer.isView(bytes) || !areItsImports(imports)) return instantiate.call(assembly, bytes, imports);
        const compiled = await assembly.compile(bytes);
        module = compiled;
        return { module: compiled, instance: await instantiate.call(assembly, compiled, imports) };
      };
      import("signalsmith-stretch").then(() => Processor && new Processor({})).catch(failed);
    });
  } finally {
    assembly.instantiate = instantiate;
    delete scope.AudioWorkletProcessor;
    delete scope.registerProcessor;
    delete scope.sampleRate;
  }
  if (!module) throw new Error("The stretching package did not bring its code.");
  return module;
}

let code: object | undefined;
let loading: Promise<void> | undefined;

/** Loads the package; to be awaited once before anything is stretched. */
export function loadStretcher(): Promise<void> {
  loading ??= caught().then((module) => {
    code = module;
  });
  return loading;
}

/** Bytes that only look random: a linear congruential generator with a fixed seed (Numerical Recipes' constants). */
function fillEvenly(bytes: Uint8Array): void {
  let state = 0x5eed;
  for (let i = 0; i < bytes.length; i++) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    bytes[i] = state >>> 24;
  }
}

/** Gives samples [from, from + count) of each channel, zeros where there are none. */
export type Fetch = (from: number, count: number) => readonly Float32Array[];

/** Samples of either side handed over in one go. */
const BLOCK = 1024;
/**
 * Over so many of its blocks it runs in before the first sample that counts, so that its phases have settled; where a sound begins, at a hit, there is
 * nothing to settle: they are the recording's own.
 */
const RUN_IN = 1;

/** What the vocoder takes in at a time, and how far apart, in samples. */
interface Window {
  readonly block: number;
  readonly interval: number;
}
const longWindow = (rate: number): Window => ({ block: Math.round(0.12 * rate), interval: Math.round(0.03 * rate) });
const shortWindow = (rate: number): Window => {
  const block = 2 ** Math.round(Math.log2(0.085 * rate));
  return { block, interval: block / 4 };
};

/** An instance of the package's code, set up for some channels at some rate, and its memory as it was then. */
class Machine {
  readonly memory: Memory;
  readonly call: Record<Exclude<keyof typeof NAMES, "memory">, (...args: number[]) => number>;
  /** Room for each channel on either side, in samples: as much as it looks back when it seeks. */
  readonly room: number;
  readonly buffers: number;
  readonly latency: { readonly input: number; readonly output: number };
  private readonly fresh: Uint8Array;

  constructor(channels: number, window: Window) {
    if (!code) throw new Error("The stretching package is loaded before it is used.");
    let memory: Memory | undefined;
    const bytes = (): Uint8Array => new Uint8Array((memory as Memory).buffer);
    const instance = new (wasm().Instance)(code, {
      a: {
        a: (at: number, size: number) => {
          fillEvenly(bytes().subarray(at, at + size));
          return 0;
        },
        b: (size: number) => {
          const had = (memory as Memory).buffer.byteLength;
          (memory as Memory).grow(Math.ceil((Math.max(size >>> 0, had * 1.2) - had) / 65_536));
          return 1;
        },
        c: (to: number, from: number, size: number) => bytes().copyWithin(to, from, from + size),
        d: () => {
          throw new Error("The stretching package gave up.");
        },
      },
    });
    const found = instance.exports;
    memory = found[NAMES.memory] as Memory;
    this.memory = memory;
    this.call = Object.fromEntries(Object.entries(NAMES).map(([name, letter]) => [name, found[letter]])) as typeof this.call;
    this.call.construct();
    this.call.main(0, 0);
    this.call.configure(channels, window.block, window.interval, 0);
    this.latency = { input: this.call.inputLatency(), output: this.call.outputLatency() };
    this.room = Math.max(this.latency.input + this.latency.output, 8 * BLOCK);
    this.buffers = this.call.setBuffers(channels, this.room);
    this.fresh = new Uint8Array(this.memory.buffer).slice();
  }

  /** As it was when it was set up: all that it remembers lies in its memory. */
  renew(): void {
    const now = new Uint8Array(this.memory.buffer);
    now.set(this.fresh);
    now.fill(0, this.fresh.length);
  }
}

/** Setting one up takes as long as stretching fifty milliseconds: one that has done its work is kept for the next, a few in all. */
const idle = new Map<string, Machine>();
const MOST_IDLE = 4;

/**
 * Plays a recording at another pace and keeps its pitch: samples [from, to) of what is made. `moment(at)` is the moment of the recording that is to lie
 * at sample `at`, and rises with it. `atOnce`: what is made begins with a sound, so that there is nothing to run in. `loadStretcher` comes first.
 */
export function stretch(
  channels: number,
  sampleRate: number,
  fetch: Fetch,
  moment: (at: number) => number,
  from: number,
  to: number,
  atOnce = false,
): Float32Array[] {
  const window = atOnce ? shortWindow(sampleRate) : longWindow(sampleRate);
  const key = `${channels} ${window.block} ${window.interval}`;
  const kept = idle.get(key);
  idle.delete(key);
  kept?.renew();
  const machine = kept ?? new Machine(channels, window);
  const { call, latency, room, memory, buffers } = machine;
  const put = (samples: readonly Float32Array[]): void => {
    const floats = new Float32Array(memory.buffer);
    for (let c = 0; c < channels; c++) floats.set(samples[c], buffers / 4 + c * room);
  };
  const out = Array.from({ length: channels }, () => new Float32Array(to - from));
  /** Where the input must have come to before sample `at` is asked for. */
  const inputAt = (at: number): number => Math.round(moment(at + latency.output)) + latency.input;
  let at = from - latency.output - (atOnce ? 0 : RUN_IN * (latency.input + latency.output));
  let taken = inputAt(at);
  put(fetch(taken - room, room));
  call.seek(room, moment(at + 1) - moment(at));
  while (at < to) {
    // Whole blocks to the end: what a block gives hangs on how long it is.
    let count = BLOCK;
    while (inputAt(at + count) - taken > room) count = count >> 1;
    const need = inputAt(at + count) - taken;
    put(fetch(taken, need));
    call.process(need, count);
    const first = Math.max(0, from - at);
    if (first < count) {
      const floats = new Float32Array(memory.buffer);
      for (let c = 0; c < channels; c++) {
        const start = buffers / 4 + (channels + c) * room;
        out[c].set(floats.subarray(start + first, start + Math.min(count, to - at)), at + first - from);
      }
    }
    taken += need;
    at += count;
  }
  if (idle.size >= MOST_IDLE) idle.clear();
  idle.set(key, machine);
  return out;
}
