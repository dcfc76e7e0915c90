import { type GridLines, gridLines, type Timebase } from "../time/grid";

/** What the stand-in for a sound device plays: a click, and some of what is heard in the mill. */
export const STAND_INS = ["click", "shuttle", "bell", "guide"] as const;
export type StandInKind = (typeof STAND_INS)[number];

/** So many ways each of its sounds comes in: no two blows are alike. */
const WAYS = 8;
const PHRASE_SECONDS = 3;
const SPOKEN_SECONDS = 2.2;
const SYLLABLE_MS = 210;

interface Voice {
  /** Seconds that one of its sounds lasts, and by how much at most it comes early or late. */
  readonly lasts: number;
  readonly loose: number;
  lines(timebase: Timebase): GridLines;
  /** The sound at `t` seconds, in one of its ways. */
  at(t: number, way: number, noise: () => number): number;
  /** How loud it is on a line, 0 for not at all. */
  gain(rank: number, seconds: number): number;
}

const beats = (timebase: Timebase): GridLines => gridLines({ kind: "beat", count: 1 }, timebase);
const turn = (hertz: number, t: number): number => 2 * Math.PI * hertz * t;

const VOICES: Readonly<Record<StandInKind, Voice>> = {
  // Its first sample is its loudest: what a recording of it is measured by.
  click: {
    lasts: 0.02,
    loose: 0,
    lines: beats,
    at: (t, way) => Math.cos(turn(1500 * (1 + way / 8), t)) * Math.exp(-t / 0.0015),
    gain: (rank) => (rank >= 2 ? 0.8 : 0.6),
  },
  shuttle: {
    lasts: 0.12,
    loose: 0.011,
    lines: (timebase) => gridLines({ kind: "note", division: 8, feel: "straight" }, timebase),
    at: (t, way, noise) =>
      0.55 * noise() * Math.exp(-t / 0.004) +
      0.6 * Math.sin(turn(190 + 4 * way, t)) * Math.exp(-t / 0.025) +
      0.3 * Math.sin(turn(640 - 9 * way, t)) * Math.exp(-t / 0.012),
    gain: (rank) => (rank >= 1 ? 0.6 : 0.3),
  },
  bell: {
    lasts: 2.5,
    loose: 0.006,
    lines: (timebase) => gridLines({ kind: "bar", count: 1 }, timebase),
    at: (t, way) => {
      const hertz = 392 * 2 ** (way / 12);
      let sum = 0;
      for (const [ratio, level, dies] of [
        [0.5, 0.25, 1.4],
        [1, 0.4, 0.9],
        [1.19, 0.25, 0.7],
        [2, 0.3, 0.5],
        [2.66, 0.15, 0.25],
      ])
        sum += level * Math.sin(turn(hertz * ratio, t)) * Math.exp(-t / dies);
      return sum;
    },
    gain: () => 0.5,
  },
  guide: {
    lasts: 0.2,
    loose: 0.02,
    lines: (timebase) => gridLines({ kind: "time", milliseconds: SYLLABLE_MS }, timebase),
    at: (t, way) => {
      const pitch = 118 + 5 * way;
      const [low, high] = [480 + 60 * way, 1300 + 110 * ((way * 3) % WAYS)];
      let sum = 0;
      for (let h = 1; h * pitch < 3200; h++) {
        const near = (f: number, wide: number): number => Math.exp(-(((h * pitch - f) / wide) ** 2));
        sum += (near(low, 180) + 0.5 * near(high, 260) + 0.04) * Math.sin(turn(h * pitch, t));
      }
      return sum * 0.4 * Math.sin(Math.PI * Math.min(1, t / 0.2)) ** 0.7;
    },
    gain: (_, seconds) => (seconds % PHRASE_SECONDS < SPOKEN_SECONDS ? 0.6 : 0),
  },
};

/** A number that looks drawn by lot, the same for the same line and round (Wang's integer hash). */
function lot(line: number, round: number): number {
  let h = (line ^ Math.imul(round + 1, 0x9e3779b1)) >>> 0;
  h = (h ^ 61 ^ (h >>> 16)) >>> 0;
  h = Math.imul(h, 9) >>> 0;
  h = (h ^ (h >>> 4)) >>> 0;
  h = Math.imul(h, 0x27d4eb2d) >>> 0;
  return (h ^ (h >>> 15)) >>> 0;
}

/**
 * Somebody who plays along with the piece, in place of a sound device: one channel, made from the position alone, a little differently each
 * round of a loop. Block borders make no difference.
 */
export class StandIn {
  private readonly voice: Voice;
  private readonly lines: GridLines;
  private readonly ways: readonly Float32Array[];
  private readonly rate: number;

  constructor(kind: StandInKind, timebase: Timebase) {
    this.voice = VOICES[kind];
    this.lines = this.voice.lines(timebase);
    this.rate = timebase.sampleRate;
    let seed = 1;
    const noise = (): number => {
      seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0;
      return seed / 2 ** 31 - 1;
    };
    this.ways = Array.from({ length: WAYS }, (_, way) =>
      Float32Array.from({ length: Math.round(this.voice.lasts * this.rate) }, (_, i) => this.voice.at(i / this.rate, way, noise)),
    );
  }

  /** Where its sound of a line begins, in samples; null where it has none there. */
  private begins(line: number, round: number): number {
    const loose = Math.round(this.voice.loose * this.rate);
    return Math.max(0, line + (loose ? (lot(line, round) % (2 * loose + 1)) - loose : 0));
  }

  /** Writes what it plays in [from, from + n) of the timeline, in a round of a loop counted from 0, to `out` at `at`. */
  render(from: number, n: number, out: Float32Array, at: number, round: number): void {
    out.fill(0, at, at + n);
    const [lasts, loose] = [this.ways[0].length, Math.ceil(this.voice.loose * this.rate)];
    let line = this.lines.before(Math.max(0, from - lasts - loose));
    for (; line.sample < from + n + loose; line = this.lines.after(line.sample)) {
      const gain = this.voice.gain(line.rank, line.sample / this.rate);
      if (gain === 0) continue;
      // A click tells the rounds apart by its pitch.
      const sound = this.ways[this.voice.loose === 0 ? round % WAYS : lot(line.sample, round + 7) % WAYS];
      const start = this.begins(line.sample, round);
      const last = Math.min(sound.length, from + n - start);
      for (let i = Math.max(0, from - start); i < last; i++) out[at + start + i - from] += sound[i] * gain;
    }
  }
}
