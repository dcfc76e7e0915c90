/*
 * Sines and exponentials of our own: engines may give other last bits, and what is made of a recording is the same everywhere.
 */
const LEAST = -1022;
/** 2^k for whole k within the range of doubles, by doubling and halving, which is exact. */
const POWERS = new Float64Array(2046);
POWERS[-LEAST] = 1;
for (let k = 1; k <= 1023; k++) POWERS[k - LEAST] = 2 * POWERS[k - 1 - LEAST];
for (let k = -1; k >= LEAST; k--) POWERS[k - LEAST] = POWERS[k + 1 - LEAST] / 2;

const LN2 = Math.LN2;
const PER_LN2 = 1 / LN2;
/** 1/n! for n from 15 down to 0. */
const SERIES = Float64Array.from({ length: 16 }, (_, i) => {
  let product = 1;
  for (let n = 2; n <= 15 - i; n++) product *= n;
  return 1 / product;
});

/** e^x, to some 1e-15 of its value: taken to the nearest power of two and summed up as a power series. */
export function exp(x: number): number {
  if (x > 700) return Number.POSITIVE_INFINITY;
  if (x < -700) return 0;
  const k = Math.round(x * PER_LN2);
  const r = x - k * LN2;
  let sum = 0;
  for (let i = 0; i < 16; i++) sum = sum * r + SERIES[i];
  return sum * POWERS[k - LEAST];
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

/** So little (−600 dB) that no float of a sound changes by it. */
const NOTHING = 1e-30;

/**
 * A filter's state, or nothing once it has died away: what goes on falling in silence comes to the numbers next to zero, with which machines
 * work many times as long.
 */
export const lasting = (state: number): number => (state < NOTHING && state > -NOTHING ? 0 : state);

/** dB as a factor. */
export const factorOf = (db: number): number => exp((db * Math.LN10) / 20);
