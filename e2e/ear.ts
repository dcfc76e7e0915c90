import { type Page, test } from "@playwright/test";

/**
 * Collects what the ear gets, frame by frame as the worklet takes them, in a worker of its own that waits on the read index: the page may be
 * busy, and the ring is soon written over. It runs a little ahead of the ear, short of where something may still be laid in.
 */
const COLLECTOR = `onmessage = ({ data: { memory, frames, ahead } }) => {
  const counters = new BigInt64Array(memory, 0, 2);
  const flags = new Int32Array(memory, 16, 2);
  const load = (k) => Number(Atomics.load(counters, k));
  const left = new Float32Array(memory, 32, 16384);
  const heard = new Float32Array(frames);
  const counter = new Int32Array(new SharedArrayBuffer(4));
  let at = load(0), n = 0, late = false;
  postMessage({ counter });
  while (n < frames) {
    const read = load(0);
    if (Atomics.load(flags, 0) === 1) {
      const to = Math.min(read + ahead, load(1));
      const first = at;
      for (; at < to && n < frames; at++) heard[n++] = left[at & 16383];
      // On a machine that is busy elsewhere this worker may wake too late: what it copied had been written over.
      late ||= load(1) > first + 16384;
      Atomics.store(counter, 0, n);
    } else at = read;
    Atomics.wait(counters, 0, BigInt(read), 2);
  }
  postMessage({ heard, late });
};`;

const AHEAD = 1024;

interface Listening {
  counter?: Int32Array;
  heard?: Float32Array;
  late?: boolean;
}

/** Attempts at listening: one counts only if the collector kept up all the way. */
const ATTEMPTS = 6;

/** Waits until so many frames have been heard. */
type Frames = (n: number) => Promise<void>;

interface Ways {
  /** How playing is begun and ended; by the space bar unless told otherwise. */
  readonly begin?: () => Promise<void>;
  readonly end?: () => Promise<void>;
  /** What is done while it plays. */
  readonly during?: (frames: Frames) => Promise<void>;
  /** Frames ahead of the ear at which it is collected: fewer where what is nearer to the ear may still change, as keys that are struck. */
  readonly ahead?: number;
  /** What puts everything back before another attempt; the playhead to the start unless told otherwise. */
  readonly again?: () => Promise<void>;
}

/** Plays and returns the left channel of `seconds` of what was heard. */
export async function listen(page: Page, seconds: number, ways: Ways = {}): Promise<number[]> {
  if (!test.info().tags.includes("@alone")) throw new Error("Who listens is to have the machine to himself: tag this scene @alone.");
  for (let i = 0; i < ATTEMPTS; i++) {
    const heard = await listenOnce(page, seconds, ways);
    if (heard) return heard;
    await (ways.again ?? (() => page.keyboard.press("Home")))();
  }
  throw new Error("The machine is too busy to listen.");
}

/** How playing stands: frames read and written, whether it plays, how often it ran dry, and how much was collected. */
const ringOf = (page: Page): Promise<object> =>
  page.evaluate(() => {
    const { memory } = (window as unknown as { wetThreadRing: { memory: SharedArrayBuffer } }).wetThreadRing;
    const counters = new BigInt64Array(memory, 0, 2);
    const flags = new Int32Array(memory, 16, 2);
    const { counter } = (window as unknown as { listening: Listening }).listening;
    return { read: Number(counters[0]), written: Number(counters[1]), playing: flags[0], starved: flags[1], collected: counter?.[0] };
  });

async function listenOnce(page: Page, seconds: number, { begin, end, during, ahead = AHEAD }: Ways): Promise<number[] | null> {
  const space = (): Promise<void> => page.keyboard.press("Space");
  await page.evaluate(
    ({ code, frames, ahead }) => {
      const ring = (window as unknown as { wetThreadRing: { memory: SharedArrayBuffer } }).wetThreadRing;
      const worker = new Worker(URL.createObjectURL(new Blob([code])));
      const state: Listening = {};
      (window as unknown as { listening: Listening }).listening = state;
      worker.onmessage = ({ data }) => Object.assign(state, data);
      worker.postMessage({ memory: ring.memory, frames, ahead });
    },
    { code: COLLECTOR, frames: seconds * 48_000, ahead },
  );
  await page.waitForFunction(() => (window as unknown as { listening: Listening }).listening.counter);
  await (begin ?? space)();
  await during?.(async (n) => {
    await page.waitForFunction((wanted) => Atomics.load((window as unknown as { listening: Required<Listening> }).listening.counter, 0) > wanted, n);
  });
  await page
    .waitForFunction(() => (window as unknown as { listening: Listening }).listening.heard, undefined, { timeout: 30_000 })
    .catch(async (why) => {
      throw new Error(`Nothing, or too little, was heard: ${JSON.stringify(await ringOf(page))}. ${why.message}`);
    });
  const { out, late } = await page.evaluate(() => {
    const { heard, late } = (window as unknown as { listening: Required<Listening> }).listening;
    return { out: [...heard], late };
  });
  await (end ?? space)();
  return late ? null : out;
}
