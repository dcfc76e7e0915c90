import { Worker } from "node:worker_threads";
import type { Loudness } from "@wet-thread/core/analysis/loudness";
import type { Onset } from "@wet-thread/core/analysis/transients";
import { processScript } from "../process/processes";

/** What can be worked out aside, and what is found. */
export interface Kinds {
  readonly loudness: Loudness;
  /** For each channel where something begins. */
  readonly onsets: readonly (readonly Onset[])[];
}

export interface Begin {
  readonly kind: keyof Kinds;
  readonly channels: number;
  readonly rate: number;
}

/** What a thread is asked of one piece of work: to begin it, to take samples, or, with neither, to end it. */
export interface Asked {
  readonly id: number;
  readonly begin?: Begin;
  readonly planes?: Float32Array[];
}
export interface Told {
  readonly id: number;
  /** What was found, once it has ended; null for samples that have been taken. */
  readonly found: Kinds[keyof Kinds] | null;
  /** The room that those samples lay in, given back: else each side would wait for its own cleaning up, with tens of megabytes lying about. */
  readonly room?: ArrayBuffer[];
}

/** Pieces that may wait to be worked on: whoever sends waits for the thread then. */
const MOST_WAITING = 3;

/** It holds little: without a limit a thread keeps tens of megabytes that nobody needs any more. */
const LIMITS = { maxYoungGenerationSizeMb: 4, maxOldGenerationSizeMb: 64 };

/** A thread that the works of this process share. One that breaks is started anew for the next. */
class Thread {
  private readonly running = new Map<number, Aside<keyof Kinds>>();
  private worker: Worker | null = null;

  begin(work: Aside<keyof Kinds>): void {
    this.running.set(work.id, work);
  }

  leave(id: number): void {
    this.running.delete(id);
  }

  send(asked: Asked, moved: readonly ArrayBuffer[] = []): void {
    this.worker ??= this.start();
    this.worker.postMessage(asked, [...moved]);
  }

  private start(): Worker {
    const own = new Worker(processScript("aside"), { resourceLimits: LIMITS });
    own.on("message", ({ id, found, room }: Told) => this.running.get(id)?.told(found, room));
    const broken = (error: Error): void => {
      if (this.worker === own) this.worker = null;
      for (const work of this.running.values()) work.broke(error);
      this.running.clear();
    };
    own.on("error", broken);
    own.on("exit", () => broken(new Error("A thread that works on sound ended.")));
    return own;
  }
}

/** Each kind of work has threads of its own, so that an import and an export go on side by side; none is started before it is needed. */
const threads: Readonly<Record<keyof Kinds, readonly Thread[]>> = { loudness: [new Thread()], onsets: [new Thread(), new Thread()] };
let last = 0;

/** Works something out from samples in a thread of its own, beside whoever makes or reads them. `side`: which, where there are two. */
export class Aside<K extends keyof Kinds> {
  readonly id = ++last;
  private readonly thread: Thread;
  private waiting = 0;
  private wake: (() => void) | null = null;
  private broken: Error | null = null;
  private result: ((found: Kinds[K]) => void) | null = null;
  private fail: ((error: Error) => void) | null = null;

  constructor(kind: K, channels: number, rate: number, side = 0) {
    this.thread = threads[kind][side];
    this.thread.begin(this as unknown as Aside<keyof Kinds>);
    this.thread.send({ id: this.id, begin: { kind, channels, rate } });
  }

  private readonly spare: ArrayBuffer[] = [];

  told(found: Kinds[keyof Kinds] | null, room: readonly ArrayBuffer[] = []): void {
    if (found) return this.result?.(found as Kinds[K]);
    this.spare.push(...room);
    this.waiting--;
    this.wake?.();
  }

  broke(error: Error): void {
    this.broken = error;
    this.fail?.(error);
    this.wake?.();
  }

  /** Takes copies of the first `count` samples of each channel. */
  async push(planes: readonly Float32Array[], count = planes[0].length): Promise<void> {
    if (this.broken) throw this.broken;
    const own = planes.map((p) => {
      const room = this.spare.pop();
      const copy = new Float32Array(room && room.byteLength >= 4 * count ? room : new ArrayBuffer(4 * count), 0, count);
      copy.set(p.subarray(0, count));
      return copy;
    });
    this.waiting++;
    this.thread.send(
      { id: this.id, planes: own },
      own.map((p) => p.buffer as ArrayBuffer),
    );
    if (this.waiting > MOST_WAITING)
      await new Promise<void>((resolve) => {
        this.wake = resolve;
      });
  }

  /** What was found. */
  async finish(): Promise<Kinds[K]> {
    if (this.broken) throw this.broken;
    const found = new Promise<Kinds[K]>((resolve, reject) => {
      this.result = resolve;
      this.fail = reject;
    });
    this.end();
    try {
      return await found;
    } finally {
      this.thread.leave(this.id);
    }
  }

  private over = false;
  /** Ends it, whether what it found is wanted or not. */
  end(): void {
    if (this.over || this.broken) return;
    this.over = true;
    this.thread.send({ id: this.id });
    if (!this.result) this.thread.leave(this.id);
  }
}
