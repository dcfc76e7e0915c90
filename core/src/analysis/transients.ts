/** Samples in one step of the analysis. */
export const HOP = 64;
/** An onset rises at least this many times above the level before it … */
const RISE = 5;
/** … and above this part of full scale; two onsets lie at least this far apart. */
const FLOOR = 0.004;
const GAP_SECONDS = 0.05;
const BEFORE_SECONDS = 0.02;

/** Root-mean-square of the first difference for each hop: the sharp part of the sound, in which an attack stands out. */
export class OnsetEnvelope {
  private values = new Float32Array(1024);
  private count = 0;
  private last = 0;
  private sum = 0;
  private held = 0;

  push(samples: Float32Array): void {
    for (let i = 0; i < samples.length; i++) {
      const d = samples[i] - this.last;
      this.last = samples[i];
      this.sum += d * d;
      if (++this.held === HOP) this.flush();
    }
  }

  private flush(): void {
    if (this.count === this.values.length) {
      const bigger = new Float32Array(2 * this.count);
      bigger.set(this.values);
      this.values = bigger;
    }
    this.values[this.count++] = Math.sqrt(this.sum / this.held);
    this.sum = 0;
    this.held = 0;
  }

  finish(): Float32Array {
    if (this.held) this.flush();
    return this.values.subarray(0, this.count);
  }
}

/** The hops in which a hit begins: the envelope rises far above what was there before, with no hit just before. */
export function onsetHops(envelope: Float32Array, sampleRate: number): number[] {
  const before = Math.max(2, Math.round((BEFORE_SECONDS * sampleRate) / HOP));
  const gap = Math.round((GAP_SECONDS * sampleRate) / HOP);
  const found: number[] = [];
  for (let i = 0; i < envelope.length; i++) {
    if (envelope[i] < FLOOR || (found.length && i - (found.at(-1) as number) < gap)) continue;
    let level = 0;
    for (let j = Math.max(0, i - before); j < i; j++) level = Math.max(level, envelope[j]);
    if (envelope[i] > RISE * Math.max(level, FLOOR / RISE)) found.push(i);
  }
  return found;
}

/**
 * The sample at which a hit begins, within the samples around an onset hop: the first that reaches a quarter of the attack's peak,
 * taken back to where the signal last was no louder than before the hit.
 */
export function refineOnset(samples: Float32Array, hopStart: number): number {
  const end = Math.min(samples.length, hopStart + 3 * HOP);
  let peak = 0;
  for (let i = Math.max(0, hopStart - HOP); i < end; i++) peak = Math.max(peak, Math.abs(samples[i]));
  let before = 0;
  for (let i = Math.max(0, hopStart - 6 * HOP); i < hopStart - HOP; i++) before = Math.max(before, Math.abs(samples[i]));
  let at = Math.max(0, hopStart - HOP);
  while (at < end && Math.abs(samples[at]) < Math.max(peak / 4, before)) at++;
  const quiet = Math.max(before, peak / 50);
  while (at > 0 && Math.abs(samples[at - 1]) > quiet) at--;
  return at;
}
