/** Joins of known material with known jumps, for holding the click measure against. */
export interface Planted {
  readonly before: Float64Array;
  readonly after: Float64Array;
  /** dB below full scale of the jump that was planted; null where the material runs on. */
  readonly jump: number | null;
  readonly material: string;
  /** What no prediction can know of the next sample, as an amplitude: a jump that does not stand out of it can't be heard. */
  readonly surprise: number;
}

const RATE = 48_000;
/** As much on each side as the measure hears. */
const SIDE = 2400;

/** Repeatable numbers in [0, 1). */
function random(seed: number): () => number {
  let s = seed >>> 0 || 1;
  return () => {
    s ^= s << 13;
    s ^= s >>> 17;
    s ^= s << 5;
    return (s >>> 0) / 2 ** 32;
  };
}

/** Tones, decaying partials, noise of several colours, and pulses through a resonance: what bells, looms, rain and voices are made of. */
const MATERIALS: Readonly<Record<string, (r: () => number) => { at: (n: number) => number; surprise: number }>> = {
  tone: (r) => {
    const [f, a, p] = [80 + 900 * r(), 0.1 + 0.4 * r(), 6.28 * r()];
    return { at: (n) => a * Math.sin((6.283185 * f * n) / RATE + p) + 0.3 * a * Math.sin((12.56637 * f * n) / RATE + p), surprise: 0 };
  },
  bell: (r) => {
    const f = 300 + 900 * r();
    const partials = [1, 2.01, 2.98, 4.2, 5.4].map((k) => ({ f: f * k, a: (0.3 * r()) / k, d: 0.2 + r(), p: 6.28 * r() }));
    return {
      at: (n) => partials.reduce((sum, q) => sum + q.a * Math.exp(-n / RATE / q.d) * Math.sin((6.283185 * q.f * n) / RATE + q.p), 0),
      surprise: 0,
    };
  },
  rain: (r) => {
    let low = 0;
    const [k, a] = [0.05 + 0.4 * r(), 0.02 + 0.1 * r()];
    const at = (): number => {
      low += k * (2 * r() - 1 - low);
      return a * low;
    };
    return { at, surprise: (a * k) / Math.sqrt(3) };
  },
  voice: (r) => {
    const period = Math.round(RATE / (90 + 130 * r()));
    const [f, q, a] = [400 + 500 * r(), 0.985 + 0.01 * r(), 0.05 + 0.1 * r()];
    const c = 2 * q * Math.cos((6.283185 * f) / RATE);
    let [y1, y2] = [0, 0];
    const at = (n: number): number => {
      // A glottal pulse is soft: a raised cosine of 2 ms.
      const t = n % period;
      const x = t < 96 ? 0.02 * (1 - Math.cos((6.283185 * t) / 96)) : 0;
      const y = x + c * y1 - q * q * y2;
      y2 = y1;
      y1 = y;
      return a * y;
    };
    return { at, surprise: 0.04 * a };
  },
};

/** `count` joins, half of them with a jump of −54 to −10 dB, on every material in turn. A jump is a step that dies away over 10 ms or so. */
export function plantedSeams(count: number, seed = 5): Planted[] {
  const r = random(seed);
  const names = Object.keys(MATERIALS);
  return Array.from({ length: count }, (_, i) => {
    const material = names[i % names.length];
    const { at, surprise } = MATERIALS[material](r);
    // Let resonances settle first.
    for (let n = 0; n < 2000; n++) at(n);
    const before = Float64Array.from({ length: SIDE }, (_, n) => at(2000 + n));
    const after = Float64Array.from({ length: SIDE }, (_, n) => at(2000 + SIDE + n));
    if (Math.floor(i / names.length) % 2 === 0) return { before, after, jump: null, material, surprise };
    const jump = -10 - 44 * r();
    const step = 10 ** (jump / 20) * (r() < 0.5 ? -1 : 1);
    for (let n = 0; n < SIDE; n++) after[n] += step * Math.exp(-n / (0.01 * RATE));
    return { before, after, jump, material, surprise };
  });
}

/** Whether a planted jump stands out of its material enough to be heard: ten times what no prediction can know. */
export const audible = ({ jump, surprise }: Planted): boolean => jump !== null && 10 ** (jump / 20) >= 10 * surprise;
