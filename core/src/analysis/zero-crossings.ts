/** A zero crossing counts within this distance of where a cut would fall (semantics, Grid and snapping). */
export const ZERO_REACH_SECONDS = 0.005;

/**
 * The upward zero crossing nearest to `at` in the loudest of some channels: the index of the first sample at or above zero after one below
 * it. Undefined when there is none within `reach` samples; of two as near the earlier one counts. All channels have the same length.
 */
export function nearestZeroCrossing(channels: readonly Float32Array[], at: number, reach: number): number | undefined {
  const from = Math.max(1, at - reach);
  const to = Math.min(channels[0]?.length ?? 0, at + reach + 1);
  let loudest = channels[0];
  let most = -1;
  for (const channel of channels) {
    let energy = 0;
    for (let i = Math.max(0, from - 1); i < to; i++) energy += channel[i] * channel[i];
    if (energy > most) [most, loudest] = [energy, channel];
  }
  let best: number | undefined;
  for (let i = from; i < to; i++) {
    if (loudest[i - 1] < 0 && loudest[i] >= 0 && (best === undefined || Math.abs(i - at) < Math.abs(best - at))) best = i;
  }
  return best;
}
