import type { Processor, ProcessorKind } from "../../model/recipe/treatment";

/** Samples of all channels that a processor works on in place; `start` is the place of the first one, which movements go by. */
export interface Treated {
  readonly channels: readonly Float32Array[];
  readonly rate: number;
  readonly start: number;
}

/** What some kinds of processors do. */
export type Runners<K extends ProcessorKind> = {
  readonly [P in K]: (p: Extract<Processor, { kind: P }>, treated: Treated) => void;
};
