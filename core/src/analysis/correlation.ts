/** A complex fast Fourier transform of a power of two, in place (Cooley and Tukey 1965, radix 2); forwards, and not scaled. */
function transform(re: Float64Array, im: Float64Array): void {
  const n = re.length;
  for (let i = 1, j = 0; i < n; i++) {
    let bit = n >> 1;
    for (; j & bit; bit >>= 1) j ^= bit;
    j ^= bit;
    if (i < j) {
      [re[i], re[j]] = [re[j], re[i]];
      [im[i], im[j]] = [im[j], im[i]];
    }
  }
  const [cos, sin] = [new Float64Array(n / 2), new Float64Array(n / 2)];
  for (let k = 0; k < n / 2; k++) {
    cos[k] = Math.cos((2 * Math.PI * k) / n);
    sin[k] = -Math.sin((2 * Math.PI * k) / n);
  }
  for (let half = 1; half < n; half *= 2) {
    const turn = n / (2 * half);
    for (let from = 0; from < n; from += 2 * half)
      for (let k = 0; k < half; k++) {
        const [a, b] = [from + k, from + k + half];
        const [c, s] = [cos[k * turn], sin[k * turn]];
        const x = re[b] * c - im[b] * s;
        const y = re[b] * s + im[b] * c;
        re[b] = re[a] - x;
        im[b] = im[a] - y;
        re[a] += x;
        im[a] += y;
      }
  }
}

/**
 * Cross-correlation of two signals: for each `by` from −reach to reach (both included), Σ a[i] · b[i − by], as when `b` is moved `by` samples later.
 * Exact but for rounding (about 1e-12 of the product of their energies).
 */
export function correlation(a: Float32Array, b: Float32Array, reach: number): Float64Array {
  const out = new Float64Array(2 * reach + 1);
  if (a.length === 0 || b.length === 0) return out;
  let size = 2;
  while (size < Math.max(a.length, b.length) + reach + 1) size *= 2;
  // One transform takes both: `a` is its real, `b` its imaginary part, and they come apart by symmetry.
  const [re, im] = [new Float64Array(size), new Float64Array(size)];
  re.set(a);
  im.set(b);
  transform(re, im);
  const [pr, pi] = [new Float64Array(size), new Float64Array(size)];
  for (let k = 0; k < size; k++) {
    const m = (size - k) % size;
    const [ar, ai] = [(re[k] + re[m]) / 2, (im[k] - im[m]) / 2];
    const [br, bi] = [(im[k] + im[m]) / 2, (re[m] - re[k]) / 2];
    // A times B turned over, turned over itself: the way back is a transform forwards.
    pr[k] = ar * br + ai * bi;
    pi[k] = -(ai * br - ar * bi);
  }
  transform(pr, pi);
  for (let by = -reach; by <= reach; by++) out[by + reach] = pr[(by + size) % size] / size;
  return out;
}
