import { noise } from "./arbitraries";

/*
 * Material on which the finding of hits is measured: drums, plucks, speech and bells, each over noise 40 dB below the softest hit's peak, with
 * hits at least 50 ms apart. Where the hits lie is known from how they are made.
 */
export const MATERIALS = ["drums", "plucks", "speech", "bells"] as const;
export type Material = (typeof MATERIALS)[number];

/** A hit that was laid down: the sample where it begins (of a soft one: where it has 10 % of its rise), and whether it rises in under 10 ms. */
export interface Laid {
  readonly at: number;
  readonly sharp: boolean;
}

export interface Generated {
  readonly samples: Float32Array;
  readonly hits: readonly Laid[];
}

/** Numbers in [0, 1) that come the same each time. */
function rolls(seed: number): () => number {
  let s = (seed * 2654435761) >>> 0 || 1;
  return () => {
    s ^= s << 13;
    s >>>= 0;
    s ^= s >>> 17;
    s ^= s << 5;
    s >>>= 0;
    return s / 2 ** 32;
  };
}

/** One hit's sound, its peak at about 1; and how many samples after its first its true beginning lies. */
interface Sound {
  readonly samples: Float32Array;
  readonly begins: number;
  readonly sharp: boolean;
}
type Maker = (roll: () => number, rate: number) => Sound;

/** A sound that rises in so many samples, and has died away where it ends: breaking off would be a hit of its own. */
function shaped(samples: Float32Array, rise: number): Float32Array {
  const ends = samples.length / 2;
  for (let i = 0; i < rise; i++) samples[i] *= i / rise;
  for (let i = 0; i < ends; i++) samples[samples.length - 1 - i] *= (i / ends) ** 2;
  return samples;
}

/** Adds a sine that dies away, by so much a sample (in natural logarithms), turning a phasor on. */
function addRinging(samples: Float32Array, level: number, turn: number, phase: number, dies: number): void {
  const [c, s] = [Math.cos(turn) * Math.exp(-dies), Math.sin(turn) * Math.exp(-dies)];
  let [x, y] = [level * Math.cos(phase), level * Math.sin(phase)];
  for (let i = 0; i < samples.length; i++) {
    samples[i] += y;
    const next = x * c - y * s;
    y = x * s + y * c;
    x = next;
  }
}

/** A drum: a tone that sinks, a burst of noise, or both. */
const drum: Maker = (roll, rate) => {
  const kind = Math.floor(roll() * 3);
  const low = 50 + 60 * roll();
  const ring = 0.05 + 0.12 * roll();
  const grit = noise(Math.round(rate * 0.5), 1 + Math.floor(roll() * 1e6));
  const dies = kind === 2 ? 0.015 + 0.03 * roll() : 0.06 + 0.1 * roll();
  let phase = 0;
  const samples = Float32Array.from(grit, (g, i) => {
    const t = i / rate;
    phase += (2 * Math.PI * (low + 180 * Math.exp(-t / 0.012))) / rate;
    const skin = kind === 2 ? 0 : Math.cos(phase) * Math.exp(-t / ring) * Math.min(1, (i + 1) / (0.0008 * rate));
    const rattle = g * 1.4 * Math.exp(-t / dies) * (kind === 0 ? 0.25 * Math.exp(-t / 0.004) : 0.8);
    return (skin + rattle) * 0.7;
  });
  return { samples, begins: 0, sharp: true };
};

/** A pluck: a string of harmonics that die away, the high ones first, with the scrape of what plucks it; it rises in at most 2.5 ms and rings into the next ones. */
const pluck: Maker = (roll, rate) => {
  const pitch = 110 * 2 ** (roll() * 3);
  const rise = (0.0005 + 0.002 * roll()) * rate;
  const scrape = 0.05 + 0.15 * roll();
  const ring = 0.15 + 0.45 * roll();
  const bright = 0.5 + 0.4 * roll();
  const samples = new Float32Array(Math.round(rate * 1.6));
  for (let k = 1; k * pitch < rate * 0.4 && k <= 24; k++) {
    const phase = roll() * 2 * Math.PI;
    const level = (bright ** (k - 1) * 0.5) / (1 + 0.15 * k);
    const w = (2 * Math.PI * pitch * k * Math.sqrt(1 + 0.0002 * k * k)) / rate;
    addRinging(samples, level, w, phase, (1 + 0.25 * k) / ring / rate);
  }
  const grit = noise(Math.round(0.02 * rate), 1 + Math.floor(roll() * 1e6));
  for (let i = 0; i < grit.length; i++) samples[i] += scrape * grit[i] * Math.exp(-i / rate / 0.002);
  return { samples: shaped(samples, rise), begins: 0, sharp: true };
};

/** A syllable: a voiced sound with formants that swells in 15 to 60 ms, or one with a stop consonant's burst before it. */
const syllable: Maker = (roll, rate) => {
  const burst = roll() < 0.35;
  const rise = (burst ? 0.006 : 0.015 + 0.045 * roll()) * rate;
  const lasts = 0.09 + 0.12 * roll();
  const pitch = 90 + 130 * roll();
  const formants = [300 + 500 * roll(), 900 + 1300 * roll(), 2300 + 500 * roll()];
  const samples = new Float32Array(Math.round(rate * (lasts + 0.12)));
  const glide = 1 + 0.15 * (roll() - 0.5);
  for (let k = 1; k * pitch < 4000; k++) {
    let level = 0;
    for (const [f, at] of formants.entries()) level += 1 / (1 + ((k * pitch - at) / (90 + 40 * f)) ** 2) / (1 + f);
    for (let i = 0; i < samples.length; i++) {
      const t = i / rate;
      samples[i] += level * 0.3 * Math.sin(2 * Math.PI * k * pitch * (t + ((glide - 1) * t * t) / 0.5) + k);
    }
  }
  const breath = noise(samples.length, 1 + Math.floor(roll() * 1e6));
  for (let i = 0; i < samples.length; i++) {
    const swell = i < rise ? Math.sin(((i / rise) * Math.PI) / 2) ** 2 : 1;
    const t = i / rate;
    samples[i] = (samples[i] + breath[i] * 0.02) * swell * Math.exp(-Math.max(0, t - lasts) / 0.03);
    if (burst) samples[i] += breath[i] * 0.5 * Math.exp(-t / 0.004);
  }
  // sin² reaches a tenth at 0.2048 of its way.
  return { samples, begins: burst ? 0 : Math.round(rise * 0.2048), sharp: burst };
};

/** A bell: inharmonic partials, each dying at its own pace, struck in half a ms. */
const bell: Maker = (roll, rate) => {
  const pitch = 300 * 2 ** (roll() * 2);
  const samples = new Float32Array(Math.round(rate * 1.8));
  for (const [k, ratio] of [1, 2.02, 2.41, 3.01, 4.18, 5.43].entries()) {
    const [phase, dies, level] = [roll() * 6.28, (0.4 + 0.8 * roll()) / (1 + k * 0.7), 0.4 / (1 + k)];
    const w = (2 * Math.PI * pitch * ratio) / rate;
    addRinging(samples, level, w, phase, 1 / dies / rate);
  }
  const rise = 0.0005 * rate;
  return { samples: shaped(samples, rise), begins: 0, sharp: true };
};

const MAKERS: Record<Material, Maker> = { drums: drum, plucks: pluck, speech: syllable, bells: bell };
/** Seconds between two hits, least and most. */
const APART: Record<Material, readonly [number, number]> = { drums: [0.05, 0.45], plucks: [0.1, 0.6], speech: [0.22, 0.6], bells: [0.15, 0.9] };

/** So many hits of one material, peaks between `softest` and 1, over noise whose RMS lies 40 dB below the softest peak. */
export function generatedHits(material: Material, count: number, seed: number, rate = 48_000, softest = 0.3): Generated {
  const roll = rolls(seed);
  const [least, most] = APART[material];
  const sounds: { at: number; level: number; sound: Sound }[] = [];
  let at = Math.round(rate * 0.3);
  for (let n = 0; n < count; n++) {
    const sound = MAKERS[material](roll, rate);
    let peak = 0;
    for (const v of sound.samples) peak = Math.max(peak, Math.abs(v));
    sounds.push({ at, level: softest ** roll() / peak, sound });
    at += Math.round(rate * (least + (most - least) * roll() ** 1.5));
  }
  const bed = noise(at + rate * 2, seed + 7);
  let square = 0;
  for (const v of bed) square += v * v;
  const scale = (softest * 0.01) / Math.sqrt(square / bed.length);
  const samples = bed.map((v) => v * scale);
  for (const { at, level, sound } of sounds) for (let i = 0; i < sound.samples.length; i++) samples[at + i] += sound.samples[i] * level * 0.5;
  // Halved, hits that ring into each other stay within full scale; so is the noise.
  for (let i = 0; i < samples.length; i++) samples[i] -= bed[i] * scale * 0.5;
  return { samples, hits: sounds.map(({ at, sound }) => ({ at: at + sound.begins, sharp: sound.sharp })) };
}

/** How well found places match what was laid down: each found one counts for one hit within 50 ms of it. Errors are in samples. */
export function accuracy(laid: readonly Laid[], found: readonly number[], rate = 48_000) {
  const within = 0.05 * rate;
  const pairs = laid.flatMap((h, i) => found.flatMap((f, j) => (Math.abs(f - h.at) < within ? [{ i, j, off: f - h.at }] : [])));
  pairs.sort((a, b) => Math.abs(a.off) - Math.abs(b.off));
  const [hits, places] = [new Set<number>(), new Set<number>()];
  const errors: { readonly off: number; readonly sharp: boolean; readonly at: number }[] = [];
  for (const { i, j, off } of pairs) {
    if (hits.has(i) || places.has(j)) continue;
    hits.add(i);
    places.add(j);
    errors.push({ off, sharp: laid[i].sharp, at: laid[i].at });
  }
  return { recall: hits.size / laid.length, precision: found.length ? places.size / found.length : 1, errors };
}
