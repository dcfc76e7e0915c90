import { correlation } from "./correlation";

/** Samples put together into one where places are looked for roughly. */
const ROUGH = 16;
/** So many rough places are looked at to the sample. */
const CANDIDATES = 2;
/** Places nearer to one another than this, in seconds, are the same place: what sounds has a pitch, and is alike a turn later too. */
const SAME_PLACE = 0.02;
/** From this likeness on, and so much likelier than any other place (of its own likeness), a place is sure. */
export const LEAST_LIKENESS = 0.1;
export const LEAST_SURENESS = 0.25;

/** Where one sound is most alike to another. */
export interface LinedUp {
  /** By how many samples the second is to be moved later. */
  readonly by: number;
  /** How alike they are then, −1…1: their normalised correlation where both are; below zero where one is turned over (its polarity). */
  readonly likeness: number;
  /** How much likelier this place is than any other within reach, 0…1: 0 where another is just as alike. */
  readonly sureness: number;
}
export const isSure = ({ likeness, sureness }: LinedUp): boolean => Math.abs(likeness) >= LEAST_LIKENESS && sureness >= LEAST_SURENESS;

/** Means of each so many samples. */
function rough(x: Float32Array): Float32Array {
  const out = new Float32Array(Math.floor(x.length / ROUGH));
  for (let i = 0; i < out.length; i++) {
    let sum = 0;
    for (let k = 0; k < ROUGH; k++) sum += x[i * ROUGH + k];
    out[i] = sum / ROUGH;
  }
  return out;
}

/** Sums of squares up to each sample, of all channels. */
function energies(channels: readonly Float32Array[]): Float64Array {
  const length = channels[0].length;
  const out = new Float64Array(length + 1);
  for (let i = 0; i < length; i++) {
    let sum = 0;
    for (const x of channels) sum += x[i] * x[i];
    out[i + 1] = out[i] + sum;
  }
  return out;
}

/** Normalised likeness of two sounds, moved against each other: by what their products come to over what both hold where they lie over each other. */
class Likeness {
  private readonly ea: Float64Array;
  private readonly eb: Float64Array;
  constructor(
    private readonly a: readonly Float32Array[],
    private readonly b: readonly Float32Array[],
  ) {
    this.ea = energies(a);
    this.eb = energies(b);
  }

  of(by: number, products: number): number {
    const [la, lb] = [this.a[0].length, this.b[0].length];
    const [from, to] = [Math.max(0, by), Math.min(la, lb + by)];
    if (to <= from) return 0;
    const both = Math.sqrt((this.ea[to] - this.ea[from]) * (this.eb[to - by] - this.eb[from - by]));
    // What lies over each other little may be alike by chance: it counts by how much of the shorter it is.
    return both > 0 ? (products / both) * Math.sqrt((to - from) / Math.min(la, lb)) : 0;
  }

  /** Likeness at each shift up to a reach. */
  all(reach: number): Float64Array {
    const sums = this.a.map((x, c) => correlation(x, this.b[c], reach));
    return Float64Array.from({ length: 2 * reach + 1 }, (_, i) =>
      this.of(
        i - reach,
        sums.reduce((sum, s) => sum + s[i], 0),
      ),
    );
  }

  /** Likeness at one shift. */
  at(by: number): number {
    let products = 0;
    for (const [c, x] of this.a.entries()) {
      const y = this.b[c];
      const to = Math.min(x.length, y.length + by);
      for (let i = Math.max(0, by); i < to; i++) products += x[i] * y[i - by];
    }
    return this.of(by, products);
  }
}

/** The most likely places of a row of likenesses, each farther from the others than `apart`, the likeliest first. */
function peaks(likeness: Float64Array, apart: number, most: number): number[] {
  const order = Array.from(likeness.keys()).sort(
    (a, b) => Math.abs(likeness[b]) - Math.abs(likeness[a]) || Math.abs(a - likeness.length / 2) - Math.abs(b - likeness.length / 2),
  );
  const found: number[] = [];
  for (const i of order) {
    if (found.length === most) break;
    if (found.every((f) => Math.abs(f - i) > apart)) found.push(i);
  }
  return found;
}

const NOWHERE: LinedUp = { by: 0, likeness: 0, sureness: 0 };

/**
 * By how many samples `b` has to be moved later to be most alike to `a`, at most `reach` either way. Both begin at the same moment, and have as many
 * channels. Of equal places the nearest is taken; 0, likeness 0 and sureness 0 where either is silent, or they are too short to tell. It is
 * looked for by cross-correlation: roughly first, with a sixteenth of the samples, then to the sample around the likeliest places.
 */
export function lineUp(a: readonly Float32Array[], b: readonly Float32Array[], reach: number, sampleRate: number): LinedUp {
  if (Math.min(a[0]?.length ?? 0, b[0]?.length ?? 0) < 2 * ROUGH) return NOWHERE;
  const steps = Math.floor(reach / ROUGH);
  const coarse = new Likeness(a.map(rough), b.map(rough)).all(steps);
  const apart = Math.ceil((SAME_PLACE * sampleRate) / ROUGH);
  const places = peaks(coarse, apart, CANDIDATES);
  const exact = new Likeness(a, b);
  const fine = places
    .map((place) => {
      const middle = (place - steps) * ROUGH;
      let best = { by: middle, likeness: 0 };
      for (let by = Math.max(-reach, middle - ROUGH); by <= Math.min(reach, middle + ROUGH); by++) {
        const likeness = exact.at(by);
        const more = Math.abs(likeness) - Math.abs(best.likeness);
        if (more > 1e-9 || (more > -1e-9 && Math.abs(by) < Math.abs(best.by))) best = { by, likeness };
      }
      return best;
    })
    .sort((x, y) => Math.abs(y.likeness) - Math.abs(x.likeness));
  const [best, next] = fine;
  if (!best || best.likeness === 0) return NOWHERE;
  return { ...best, sureness: 1 - Math.abs(next?.likeness ?? 0) / Math.abs(best.likeness) };
}
