import { parentPort } from "node:worker_threads";
import { LoudnessMeter } from "@wet-thread/core/analysis/loudness";
import type { Asked, Told } from "./meter";

// Measures what it is sent, piece by piece, and answers once for each; asked for the end of one, it says what it found.
const meters = new Map<number, LoudnessMeter>();
parentPort?.on("message", ({ id, begin, planes }: Asked) => {
  if (begin) return void meters.set(id, new LoudnessMeter(begin.channels, begin.rate));
  const meter = meters.get(id);
  if (planes) meter?.push(planes, planes[0].length);
  else meters.delete(id);
  parentPort?.postMessage({ id, loudness: planes || !meter ? null : meter.finish() } satisfies Told);
});
