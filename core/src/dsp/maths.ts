/*
 * Sines and exponentials of our own: engines may give other last bits, and what is made of a recording is the same everywhere.
 */

/** 2^k for whole k within the range of doubles. */
const power2 = (k: number): number => {
  let [value, base, n] = [1, k < 0 ? 0.5 : 2, Math.abs(k)];
  for (; n > 0; n >>= 1) {
    if (n & 1) value *= base;
    base *= base;
  }
  return value;
};

const LN2 = Math.LN2;

/** e^x, to some 1e-15 of its value: halved to the nearest power of two and summed up as a power series. */
export function exp(x: number): number {
  if (x > 700) return Number.POSITIVE_INFINITY;
  if (x < -700) return 0;
  const k = Math.round(x / LN2);
  const r = x - k * LN2;
  let [term, sum] = [1, 1];
  for (let n = 1; n < 18; n++) {
    term *= r / n;
    sum += term;
  }
  return sum * power2(k);
}

export const tanh = (x: number): number => {
  if (x > 20) return 1;
  if (x < -20) return -1;
  const e = exp(2 * x);
  return (e - 1) / (e + 1);
};

const HALF_PI = Math.PI / 2;

/** sin x by its power series, after turning x into the nearest quarter: to some 1e-15 for angles of up to some thousand turns. */
export function sin(x: number): number {
  const quarter = Math.round(x / HALF_PI);
  const r = x - quarter * HALF_PI;
  const square = r * r;
  let [s, c, ts, tc] = [r, 1, r, 1];
  for (let n = 1; n < 9; n++) {
    tc *= -square / ((2 * n - 1) * (2 * n));
    ts *= -square / (2 * n * (2 * n + 1));
    c += tc;
    s += ts;
  }
  const turn = ((quarter % 4) + 4) % 4;
  return turn === 0 ? s : turn === 1 ? c : turn === 2 ? -s : -c;
}

export const cos = (x: number): number => sin(x + HALF_PI);

/** dB as a factor. */
export const factorOf = (db: number): number => exp((db * Math.LN10) / 20);
