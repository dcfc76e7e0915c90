import type { Processor, ProcessorKind } from "../../model/recipe/treatment";
import { factorOf } from "../maths";
import { FILTERS } from "./biquad";
import { DRIVE } from "./drive";
import { DYNAMICS } from "./dynamics";
import type { Runners } from "./runner";
import { SPACE } from "./space";

function scale(channels: readonly Float32Array[], factor: number): void {
  for (const x of channels) for (let i = 0; i < x.length; i++) x[i] *= factor;
}

const GAINS: Runners<"gain" | "invert" | "normalise"> = {
  gain: (p, { channels }) => scale(channels, factorOf(p.db)),
  invert: (_, { channels }) => scale(channels, -1),
  normalise: (p, { channels }) => scale(channels, factorOf(p.gain)),
};

/** Every processor there is: one without a runner does not compile. */
const RUNNERS: Runners<ProcessorKind> = { ...GAINS, ...FILTERS, ...DYNAMICS, ...DRIVE, ...SPACE };

/**
 * Runs a chain over samples in place, from silence; `start` is the place of the first one, which movements go by. What comes out is right from
 * the chain's run-in on (`runInOf`), and up to a tenth of a second before the end, where look-ahead has nothing more to look at.
 */
export function treat(channels: readonly Float32Array[], chain: readonly Processor[], rate: number, start: number): void {
  for (const p of chain) if (p.on) (RUNNERS[p.kind] as (p: Processor, treated: object) => void)(p, { channels, rate, start });
}
