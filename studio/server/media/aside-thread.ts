import { parentPort } from "node:worker_threads";
import { LoudnessMeter } from "@wet-thread/core/analysis/loudness";
import { OnsetFinder } from "@wet-thread/core/analysis/transients";
import type { Asked, Begin, Kinds, Told } from "./aside";

/** Something that is worked out from samples as they come, which it may look at only while it takes them. */
interface Work {
  push(planes: Float32Array[]): void;
  finish(): Kinds[keyof Kinds];
}

const WORKS: Readonly<Record<keyof Kinds, (begin: Begin) => Work>> = {
  loudness({ channels, rate }) {
    const meter = new LoudnessMeter(channels, rate);
    return { push: (planes) => meter.push(planes, planes[0].length), finish: () => meter.finish() };
  },
  onsets({ channels, rate }) {
    const finders = Array.from({ length: channels }, () => new OnsetFinder(rate));
    return {
      push: (planes) => void finders.forEach((finder, c) => void finder.push(planes[c])),
      finish: () => finders.map((finder) => finder.finish()),
    };
  },
};

// Works on what it is sent, piece by piece, and answers once for each; asked for the end of one, it says what it found.
const works = new Map<number, Work>();
parentPort?.on("message", ({ id, begin, planes }: Asked) => {
  if (begin) return void works.set(id, WORKS[begin.kind](begin));
  const work = works.get(id);
  if (planes) work?.push(planes);
  else works.delete(id);
  const room = planes?.map((p) => p.buffer as ArrayBuffer);
  parentPort?.postMessage({ id, found: planes || !work ? null : work.finish(), ...(room && { room }) } satisfies Told, room);
});
