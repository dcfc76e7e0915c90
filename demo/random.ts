/** Repeatable random numbers (mulberry32): the same seed, the same mill. */
export function random(seed: number): () => number {
  let s = seed >>> 0;
  return () => {
    s = (s + 0x6d2b79f5) >>> 0;
    let t = s;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** White noise in (−1, 1). */
export function whiteNoise(length: number, seed: number): Float32Array {
  const next = random(seed);
  return Float32Array.from({ length }, () => next() * 2 - 1);
}

/** One-pole low pass, in place: `cut` is the part of each step taken over, 0 to 1. */
export function soften(x: Float32Array, cut: number): Float32Array {
  let y = 0;
  for (let i = 0; i < x.length; i++) {
    y += cut * (x[i] - y);
    x[i] = y;
  }
  return x;
}
