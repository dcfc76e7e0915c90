/** A tempo that hits may be heard in. */
export interface TempoReading {
  /** Beats a minute. */
  readonly bpm: number;
  /** A beat of it, at or after the first hit, in samples with their fraction. */
  readonly beat: number;
  /** The share of its beats, from the first hit to the last, that a hit lies on. */
  readonly covered: number;
}

/** What hits say of their tempo: readings, the likeliest first, and how even their pulse is, from 0 (none) to 1 (a machine's). */
export interface TempoFound {
  readonly readings: readonly TempoReading[];
  readonly sure: number;
}

/** Fewer hits say nothing of a tempo. */
export const FEWEST_HITS = 6;
const [LOWEST_BPM, HIGHEST_BPM] = [40, 240];
/** Pulses that are looked for, in a second: from one beat of the slowest tempo to twenty strokes. */
const [SLOWEST, QUICKEST] = [LOWEST_BPM / 60, 20];
/** Players drift: the pulse is looked for in stretches of so many seconds, which need not agree in phase. */
const STRETCH = 8;
/** Longer passages are looked through in so many stretches of them. */
const MOST_STRETCHES = 24;
/** As many hits of a passage, evenly taken, tell a pulse as well as all of them. */
const MOST_HITS = 1000;
/** A slower pulse that is nearly as even as the most even one is the pulse; a quicker one only divides it. */
const NEARLY = 0.85;
/** Below this share the hits no longer follow one even pulse, and a longer passage says no more of it. */
const LOST = 0.5;
/** A hit lies on a beat when it is within this share of a pulse. */
const ON_BEAT = 0.2;
/** Shares of struck beats that differ by less are as good as one; an accent counts that is by so much harder. */
const [AS_OFTEN, HARDER] = [0.1, 1.02];
/** How pulse and beat may stand to each other. */
const RATIOS = [1, 1 / 2, 1 / 3, 1 / 4, 1 / 6, 1 / 8, 2 / 3, 3 / 2, 2, 3, 4];
/** People tap most readily near this tempo; an octave and this much away they do half as readily. */
const [READIEST, OCTAVES] = [110, 0.9];

/** How evenly times follow a pulse of a rate, from 0 to 1, and its phase: length and angle of the mean of e^(2πi·rate·t). */
function evenness(times: readonly number[], from: number, to: number, rate: number): { length: number; angle: number } {
  let [re, im] = [0, 0];
  const stride = Math.max(1, Math.ceil((to - from) / MOST_HITS));
  let count = 0;
  for (let i = from; i < to; i += stride, count++) {
    const angle = 2 * Math.PI * rate * times[i];
    re += Math.cos(angle);
    im += Math.sin(angle);
  }
  return { length: Math.hypot(re, im) / Math.max(1, count), angle: Math.atan2(im, re) };
}

/** The stretches of times in which a pulse is looked for: index ranges of at least four hits. */
function stretches(times: readonly number[]): [number, number][] {
  const found: [number, number][] = [];
  for (let i = 0; i < times.length; ) {
    let j = i;
    while (j < times.length && times[j] < times[i] + STRETCH) j++;
    if (j - i >= 4) found.push([i, j]);
    i = j;
  }
  const every = Math.ceil(found.length / MOST_STRETCHES);
  return found.filter((_, i) => i % every === 0);
}

/** The rate in [from, to] at which times are most even, found on a ladder of steps and halved into. */
function mostEven(times: readonly number[], count: number, from: number, to: number, steps: number): number {
  let [low, high] = [from, to];
  for (let round = 0; round < 5; round++) {
    const step = (high - low) / steps;
    let best = low;
    let most = -1;
    for (let k = 0; k <= steps; k++) {
      const { length } = evenness(times, 0, count, low + k * step);
      if (length > most) [most, best] = [length, low + k * step];
    }
    [low, high] = [best - step, best + step];
  }
  return (low + high) / 2;
}

/** The pulse that all hits follow, in a second, from a rough one: a longer and longer passage tells it more exactly, as long as it stays even. */
function refined(times: readonly number[], rough: number): number {
  let rate = rough;
  const span = times[times.length - 1];
  for (let length = STRETCH; ; length *= 2) {
    const count = times.findIndex((t) => t > length);
    const used = count < 0 ? times.length : count;
    if (used >= 4) {
      const width = 0.5 / Math.min(length, span);
      const finer = mostEven(times, used, rate - width, rate + width, 24);
      if (evenness(times, 0, used, finer).length < LOST) return rate;
      rate = finer;
    }
    if (length >= span) return rate;
  }
}

/**
 * The tempi that hits may be heard in. Looked for first is the pulse, the slowest rate that their times follow about as evenly as any (the
 * length of the mean of e^(2πi·rate·t), in stretches of 8 s); beats are its multiples and parts. A reading is the likelier, the more of its beats
 * have a hit on them and the nearer it is to 110 BPM; where beats could lie in several ways, accents tell. `hits` are in order, in samples, `strengths`
 * from 0 to 1. Fewer than six, or no two times, give no reading.
 */
export function tempoOfHits(hits: readonly number[], sampleRate: number, strengths?: readonly number[]): TempoFound {
  const none: TempoFound = { readings: [], sure: 0 };
  if (hits.length < FEWEST_HITS || hits[hits.length - 1] <= hits[0]) return none;
  const times = hits.map((h) => (h - hits[0]) / sampleRate);
  const span = times[times.length - 1];
  const parts = stretches(times);
  if (parts.length === 0) return none;
  const step = 1 / (8 * Math.min(STRETCH, span));
  const ladder: { rate: number; even: number }[] = [];
  for (let rate = SLOWEST; rate <= QUICKEST; rate += step)
    ladder.push({ rate, even: parts.reduce((sum, [a, b]) => sum + evenness(times, a, b, rate).length, 0) / parts.length });
  const most = ladder.reduce((m, l) => Math.max(m, l.even), 0);
  const first = ladder.findIndex((l) => l.even >= NEARLY * most);
  // The top of the first hill that is high enough.
  let top = first;
  while (top + 1 < ladder.length && ladder[top + 1].even >= ladder[top].even) top++;
  const pulse = refined(times, ladder[top].rate);
  const { length, angle } = evenness(times, 0, times.length, pulse);
  const phase0 = (((angle / (2 * Math.PI)) % 1) + 1) % 1;
  // The first hit lies on the first pulse, be it a little, or a rounding error, before it.
  const offset = phase0 > 1 - ON_BEAT ? phase0 - 1 : phase0;
  /** How strongly each pulse is struck that a hit lies on. */
  const struck = new Map<number, number>();
  times.forEach((t, i) => {
    const n = t * pulse - offset;
    const on = Math.round(n);
    if (Math.abs(n - on) <= ON_BEAT) struck.set(on, Math.max(struck.get(on) ?? 0, strengths?.[i] ?? 1));
  });
  const readings: (TempoReading & { likely: number })[] = [];
  for (const ratio of RATIOS) {
    const bpm = 60 * pulse * ratio;
    if (bpm < LOWEST_BPM || bpm > HIGHEST_BPM || bpm > 60 * QUICKEST) continue;
    const each = 1 / ratio;
    const phases = each >= 1 ? Math.round(each) : 1;
    let best = { covered: -1, from: 0, accent: 0 };
    for (let phase = 0; phase < phases; phase++) {
      let [on, beats, accent] = [0, 0, 0];
      for (let n = phase; n <= span * pulse - offset + ON_BEAT; n += each, beats++) {
        const strength = Math.abs(n - Math.round(n)) < 1e-6 ? struck.get(Math.round(n)) : undefined;
        if (strength === undefined) continue;
        on++;
        accent += strength;
      }
      if (beats === 0) continue;
      // Of beats that are struck about as often those that are struck harder are the beats.
      const found = { covered: on / beats, from: phase, accent: accent / beats };
      const nearly = Math.abs(found.covered - best.covered) <= AS_OFTEN;
      if (nearly ? found.accent > best.accent * HARDER : found.covered > best.covered) best = found;
    }
    const octaves = Math.log2(bpm / READIEST) / OCTAVES;
    readings.push({
      bpm,
      beat: hits[0] + ((best.from + offset) / pulse) * sampleRate,
      covered: Math.max(0, best.covered),
      likely: Math.max(0, best.covered) * 2 ** -(octaves * octaves),
    });
  }
  readings.sort((a, b) => b.likely - a.likely);
  return { readings: readings.map(({ likely: _, ...reading }) => reading), sure: length };
}

/**
 * The tempo of taps: the straight line that lies nearest to them (least squares), in beats a minute. Times in seconds, in order. Null for fewer
 * than three.
 */
export function tempoOfTaps(times: readonly number[]): number | null {
  const n = times.length;
  if (n < 3) return null;
  const middle = (n - 1) / 2;
  const mean = times.reduce((a, b) => a + b, 0) / n;
  let [over, under] = [0, 0];
  times.forEach((t, i) => {
    over += (i - middle) * (t - mean);
    under += (i - middle) ** 2;
  });
  return over > 0 ? (60 * under) / over : null;
}
