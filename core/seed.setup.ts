import fc from "fast-check";

/*
 * Properties are tried with the same cases in every run, so that a run tells about the code and not about luck. To look for new cases:
 * WET_THREAD_SEED=random npm test -- unit, or a number to go back to.
 */
const { WET_THREAD_SEED: wanted } = process.env;
fc.configureGlobal({ seed: wanted === "random" ? Date.now() & 0x7fffffff : Number(wanted ?? 20_261_127) });
