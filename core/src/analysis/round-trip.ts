/** How long the test sound lasts, in seconds, and between which pitches it glides, in Hz. */
const LASTS = 0.03;
const [LOW, HIGH] = [600, 9000];

/** The sound that a round trip is measured with: a glide, whose likeness to itself has one narrow peak. Its first sample is silent. */
export function testSound(sampleRate: number): Float32Array {
  const n = Math.round(LASTS * sampleRate);
  const high = Math.min(HIGH, sampleRate * 0.4);
  return Float32Array.from({ length: n }, (_, i) => {
    const t = i / sampleRate;
    const phase = 2 * Math.PI * (LOW * t + ((high - LOW) * t * t) / (2 * LASTS));
    return 0.5 * Math.sin(phase) * Math.sin((Math.PI * i) / n) ** 2;
  });
}

/** What was found of the test sound in a recording. */
export interface RoundTrip {
  /** Samples after the recording's first at which it begins. */
  readonly at: number;
  /** Likeness there, 0 to 1. */
  readonly likeness: number;
}

/** Less likeness than this is something else than the test sound. */
const LEAST_LIKENESS = 0.3;
/** Softer than this, in RMS, is no sound that came back. */
const LEAST_LEVEL = 1e-5;

/**
 * Where the test sound begins in a recording: at the greatest normalised likeness (positive or turned over). Null where it can't be heard in it.
 */
export function findTestSound(recorded: Float32Array, sampleRate: number): RoundTrip | null {
  const sound = testSound(sampleRate);
  const n = sound.length;
  const own = Math.sqrt(sound.reduce((sum, v) => sum + v * v, 0));
  let energy = 0;
  for (let i = 0; i < Math.min(n, recorded.length); i++) energy += recorded[i] ** 2;
  let best: RoundTrip | null = null;
  for (let at = 0; at + n <= recorded.length; at++) {
    if (at > 0) energy += recorded[at + n - 1] ** 2 - recorded[at - 1] ** 2;
    const level = Math.sqrt(Math.max(0, energy));
    if (level / Math.sqrt(n) < LEAST_LEVEL) continue;
    let sum = 0;
    for (let i = 0; i < n; i++) sum += sound[i] * recorded[at + i];
    const likeness = Math.abs(sum) / (own * level);
    if (likeness > (best?.likeness ?? LEAST_LIKENESS)) best = { at, likeness };
  }
  return best;
}
