import { clickLevel } from "@wet-thread/core/seam/measure";

/** Samples listened to on each side. */
const REACH = 2400;

/** Clicks heard in exported samples at some places, in dB of the louder channel; none is null. */
export function clicksAt(wet: readonly Float32Array[], places: readonly number[]): (number | null)[] {
  return places.map((p) => {
    const levels = wet.map((c) => clickLevel(Float64Array.from(c.subarray(Math.max(0, p - REACH), p)), Float64Array.from(c.subarray(p, p + REACH))));
    return levels.reduce((a, b) => (a === null ? b : b === null ? a : Math.max(a, b)), null);
  });
}
