import { type Biquad, filter } from "../dsp/treat/biquad";

/*
 * Loudness of a signal by ITU-R BS.1770-5: the K-weighting of its two stages, blocks of 400 ms that overlap by three quarters, gated at
 * −70 LUFS and 10 LU below what is left. Mono is one channel.
 */

/** The first stage, of a head: its analogue prototype, taken to any rate by the bilinear transform (as in EBU's libraries). */
function shelf(rate: number): Biquad {
  const [f0, gain, q] = [1681.974450955533, 3.999843853973347, 0.7071752369554196];
  const k = Math.tan((Math.PI * f0) / rate);
  const vh = 10 ** (gain / 20);
  const vb = vh ** 0.4996667741545416;
  const a0 = 1 + k / q + k * k;
  return {
    b0: (vh + (vb * k) / q + k * k) / a0,
    b1: (2 * (k * k - vh)) / a0,
    b2: (vh - (vb * k) / q + k * k) / a0,
    a1: (2 * (k * k - 1)) / a0,
    a2: (1 - k / q + k * k) / a0,
  };
}

/** The second stage, which takes the low end away. */
function highPass(rate: number): Biquad {
  const [f0, q] = [38.13547087602444, 0.5003270373238773];
  const k = Math.tan((Math.PI * f0) / rate);
  const a0 = 1 + k / q + k * k;
  return { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / q + k * k) / a0 };
}

const BLOCK_SECONDS = 0.4;
const STEP_SECONDS = 0.1;
const ABSOLUTE = -70;
const RELATIVE = -10;
const lufs = (power: number): number => -0.691 + 10 * Math.log10(power);

/** Integrated loudness of some channels in LUFS; what is shorter than a block is measured whole, ungated. Null where nothing is above the gate. */
export function integratedLoudness(channels: readonly Float32Array[], rate: number): number | null {
  const weighted = channels.map((own) => {
    const x = own.slice();
    filter(x, shelf(rate));
    filter(x, highPass(rate));
    return x;
  });
  const n = channels[0]?.length ?? 0;
  const [block, step] = [Math.round(BLOCK_SECONDS * rate), Math.round(STEP_SECONDS * rate)];
  const powerOf = (from: number, to: number): number => {
    let sum = 0;
    for (const x of weighted) for (let i = from; i < to; i++) sum += x[i] * x[i];
    return sum / (to - from);
  };
  const least = (power: number): number | null => (power > 0 && lufs(power) > ABSOLUTE ? lufs(power) : null);
  if (n === 0) return null;
  if (n < block) return least(powerOf(0, n));
  const powers: number[] = [];
  for (let from = 0; from + block <= n; from += step) powers.push(powerOf(from, from + block));
  const mean = (list: readonly number[]): number => list.reduce((a, b) => a + b, 0) / list.length;
  const loud = powers.filter((p) => p > 0 && lufs(p) > ABSOLUTE);
  if (loud.length === 0) return null;
  const gate = lufs(mean(loud)) + RELATIVE;
  return lufs(mean(loud.filter((p) => lufs(p) > gate)));
}
