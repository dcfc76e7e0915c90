import { Worker } from "node:worker_threads";
import type { Loudness } from "@wet-thread/core/analysis/loudness";

/** What the thread is asked of one measurement: to begin it, to take a piece, or, with neither, to end it. */
export interface Asked {
  readonly id: number;
  readonly begin?: { readonly channels: number; readonly rate: number };
  readonly planes?: Float32Array[];
}
export interface Told {
  readonly id: number;
  /** What was found, once it has ended; null for a piece that has been taken. */
  readonly loudness: Loudness | null;
}

/** Pieces that may wait to be measured: whoever sends waits for the meter then. */
const MOST_WAITING = 8;

/** A thread has to be taught TypeScript before it can read any. */
const ENTRY = `import(${JSON.stringify(import.meta.resolve("tsx/esm/api"))}).then(({ register }) => {
  register();
  return import(${JSON.stringify(new URL("./meter-thread.ts", import.meta.url).href)});
});`;

const running = new Map<number, MeterThread>();
let thread: Worker | null = null;
let last = 0;

/** The thread that all measurements of this process share. One that breaks is started anew for the next. */
function theThread(): Worker {
  if (thread) return thread;
  const own = new Worker(ENTRY, { eval: true });
  thread = own;
  own.on("message", ({ id, loudness }: Told) => running.get(id)?.told(loudness));
  const broken = (error: Error): void => {
    if (thread === own) thread = null;
    for (const meter of running.values()) meter.broke(error);
    running.clear();
  };
  own.on("error", broken);
  own.on("exit", () => broken(new Error("The thread that measures loudness ended.")));
  return own;
}

/** Measures loudness and true peak in a thread of its own, beside whoever renders. */
export class MeterThread {
  private readonly id = ++last;
  private readonly thread = theThread();
  private waiting = 0;
  private wake: (() => void) | null = null;
  private broken: Error | null = null;
  private result: ((loudness: Loudness) => void) | null = null;
  private fail: ((error: Error) => void) | null = null;

  constructor(channels: number, rate: number) {
    running.set(this.id, this);
    this.thread.postMessage({ id: this.id, begin: { channels, rate } } satisfies Asked);
  }

  told(loudness: Loudness | null): void {
    if (loudness) return this.result?.(loudness);
    this.waiting--;
    this.wake?.();
  }

  broke(error: Error): void {
    this.broken = error;
    this.fail?.(error);
    this.wake?.();
  }

  /** Takes copies of the first `count` samples of each channel. */
  async push(planes: readonly Float32Array[], count: number): Promise<void> {
    if (this.broken) throw this.broken;
    const own = planes.map((p) => p.slice(0, count));
    this.waiting++;
    this.thread.postMessage(
      { id: this.id, planes: own } satisfies Asked,
      own.map((p) => p.buffer),
    );
    if (this.waiting > MOST_WAITING)
      await new Promise<void>((resolve) => {
        this.wake = resolve;
      });
  }

  /** What was measured. */
  async finish(): Promise<Loudness> {
    if (this.broken) throw this.broken;
    const found = new Promise<Loudness>((resolve, reject) => {
      this.result = resolve;
      this.fail = reject;
    });
    this.end();
    try {
      return await found;
    } finally {
      running.delete(this.id);
    }
  }

  private over = false;
  /** Ends it, whether what it found is wanted or not. */
  end(): void {
    if (this.over || this.broken) return;
    this.over = true;
    this.thread.postMessage({ id: this.id } satisfies Asked);
    if (!this.result) running.delete(this.id);
  }
}
