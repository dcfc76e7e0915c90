import { formatLength } from "../time/format";

/** How much more of a recording there is beyond an edge, in words that follow "can't …: ". */
export const beyondWords = (samples: number, sampleRate: number): string =>
  samples > 0 ? `its recording has only ${formatLength(samples, sampleRate)} more there` : "its recording has no more there";

/** That something would start before zero. */
export const earlyWords = (what: string, samples: number, sampleRate: number): string =>
  `${what} would start ${formatLength(samples, sampleRate)} before zero.`;
