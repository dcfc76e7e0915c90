/** Samples put together into one where places are looked for roughly. */
const ROUGH = 16;

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

/** Normalised correlation of a with b moved `by` later, over where both have sound; 0 where either is silent there. */
function likeness(a: Float32Array, b: Float32Array, by: number): number {
  const [from, to] = [Math.max(0, by), Math.min(a.length, b.length + by)];
  let [ab, aa, bb] = [0, 0, 0];
  for (let i = from; i < to; i++) {
    const [x, y] = [a[i], b[i - by]];
    ab += x * y;
    aa += x * x;
    bb += y * y;
  }
  // What overlaps little may be alike by chance: it counts by how much of the shorter it is.
  const part = Math.max(0, to - from) / Math.min(a.length, b.length);
  return aa > 0 && bb > 0 ? (ab / Math.sqrt(aa * bb)) * Math.sqrt(part) : 0;
}

/**
 * By how many samples `b` has to be moved later to be most alike to `a`, at most `reach` either way, and how alike they are then (−1…1). Both
 * begin at the same moment. Of equal places the nearest is taken; 0 and likeness 0 where either is silent.
 */
export function lineUp(a: Float32Array, b: Float32Array, reach: number): { by: number; likeness: number } {
  if (a.length < 2 * ROUGH || b.length < 2 * ROUGH) return { by: 0, likeness: 0 };
  const best = (x: Float32Array, y: Float32Array, from: number, to: number, near: number) => {
    let found = { by: near, likeness: Number.NEGATIVE_INFINITY };
    for (let by = from; by <= to; by++) {
      const now = likeness(x, y, by);
      const better = now - found.likeness;
      if (better > 1e-9 || (better > -1e-9 && Math.abs(by) < Math.abs(found.by))) found = { by, likeness: now };
    }
    return found;
  };
  const steps = Math.floor(reach / ROUGH);
  const coarse = best(rough(a), rough(b), -steps, steps, 0);
  const middle = coarse.by * ROUGH;
  const fine = best(a, b, Math.max(-reach, middle - ROUGH), Math.min(reach, middle + ROUGH), middle);
  return fine.likeness > 0 ? fine : { by: 0, likeness: 0 };
}
