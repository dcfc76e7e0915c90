import { Spectrum } from "./spectrum";

/** Bands in an octave, from where bins lie closer than that. */
const BANDS_AN_OCTAVE = 24;
/** Bands end below this part of the rate that is looked at. */
const HIGHEST = 0.48;
/** Frames that one is compared with the one before it. */
const LAG = 2;
/** What lies this little above a band's own quiet counts little: noise would go up and down by itself. */
const OVER_QUIET = 2;
const LEAST = 1e-5;
/** The level that a recording is taken to have had before it begins, so that a sound which is there at once is a hit, and a bed of noise is none. */
const BEFORE = 1e-3;

/** Logarithms of the steps between 1 and 2 by the first eleven bits of a float's fraction, and how they go on from one to the next by its last twelve. */
const TABLE = 2048;
const TABLE_SHIFT = 12;
const LOGS = Float64Array.from({ length: TABLE }, (_, i) => Math.log(1 + i / TABLE));
const SLOPES = Float64Array.from({ length: TABLE }, (_, i) => (Math.log(1 + (i + 1) / TABLE) - LOGS[i]) / 2 ** TABLE_SHIFT);

/** How much is new in a frame: by how much its bands have risen, as the mean of their logarithms; and how loud what is new is. */
export interface Frame {
  readonly rise: number;
  readonly level: number;
}

/**
 * What is new from frame to frame: each band's rise above the most that it and its neighbours had two frames before, so that tones that ring on,
 * glide or beat bring nothing, and a hit over them does. (Spectral flux with a maximum over neighbours, after Böck and Widmer, “Maximum filter
 * vibrato suppression for onset detection”, DAFx 2013; against each band's own quiet.)
 */
export class Novelty {
  readonly size: number;
  readonly hop: number;
  private readonly spectrum: Spectrum;
  private readonly edges: Int32Array;
  /** One bin's part of each band. */
  private readonly shares: Float64Array;
  private readonly quiet: Float64Array;
  private readonly smooth: Float64Array;
  /** So many samples are looked at as one, at 16 to 32 kHz: what lies above half that rate folds down, and an attack is one there too. */
  private readonly fold: number;
  private readonly folded: Float32Array;
  /** How fast a band's quiet follows upwards, a frame: 6 dB a second. */
  private readonly up: number;
  /** The levels of the latest frames and their logarithms, by frame modulo LAG + 1. */
  private readonly levels: Float64Array[];
  private readonly logs: Float64Array[];
  /** A level above its band's own quiet, whose logarithm is asked for, and the bits of that float. */
  private readonly over = new Float32Array(1);
  private readonly overBits = new Int32Array(this.over.buffer);
  private frame = 0;

  constructor(sampleRate: number) {
    this.size = Math.max(64, 2 ** Math.round(Math.log2((2048 * sampleRate) / 48_000)));
    this.hop = this.size / 4;
    this.fold = Math.max(1, 2 ** Math.floor(Math.log2(sampleRate / 16_000)));
    const size = this.size / this.fold;
    this.folded = new Float32Array((this.size + this.hop) / this.fold);
    this.spectrum = new Spectrum(size);
    const edges = [1];
    for (let b = 1; b < size * HIGHEST; edges.push(b)) b = Math.max(b + 1, Math.round(b * 2 ** (1 / BANDS_AN_OCTAVE)));
    this.edges = Int32Array.from(edges);
    const bands = edges.length - 1;
    this.quiet = new Float64Array(bands);
    this.smooth = new Float64Array(bands);
    this.shares = Float64Array.from({ length: bands }, (_, b) => 1 / (edges[b + 1] - edges[b]));
    this.up = 2 ** (this.hop / sampleRate);
    this.levels = Array.from({ length: LAG + 1 }, () => new Float64Array(bands).fill(BEFORE));
    this.logs = Array.from({ length: LAG + 1 }, () => new Float64Array(bands).fill(Math.log(BEFORE * (1 + OVER_QUIET) + LEAST)));
  }

  /** The next two frames, which begin at `a` and a hop later of the samples. */
  two(samples: Float32Array, a: number): [Frame, Frame] {
    const { fold, folded, hop } = this;
    if (fold === 2) for (let i = 0, k = a; i < folded.length; i++, k += 2) folded[i] = (samples[k] + samples[k + 1]) / 2;
    else
      for (let i = 0, k = a; i < folded.length; i++) {
        let sum = 0;
        for (const end = k + fold; k < end; k++) sum += samples[k];
        folded[i] = sum / fold;
      }
    this.spectrum.look(folded, hop / fold);
    return [this.next(this.spectrum.first), this.next(this.spectrum.second)];
  }

  /**
   * Logarithms are natural ones of floats, to 1e-7: the exponent's, and of what is left one from a table and a straight line. A library's logarithm
   * of each band would take a third of all the time.
   */
  private next(powers: Float32Array): Frame {
    const { edges, shares, quiet, smooth, up, over, overBits, frame } = this;
    const bands = quiet.length;
    const [levels, logs] = [this.levels[frame % (LAG + 1)], this.logs[frame % (LAG + 1)]];
    const [levelsBefore, logsBefore] = [this.levels[(frame + 1) % (LAG + 1)], this.logs[(frame + 1) % (LAG + 1)]];
    let rise = 0;
    let louder = 0;
    let left = logsBefore[0];
    let own = left;
    for (let b = 0; b < bands; b++) {
      let power = 0;
      for (let k = edges[b], end = edges[b + 1]; k < end; k++) power += powers[k - 1];
      const level = Math.sqrt(power * shares[b]);
      smooth[b] += (level - smooth[b]) * 0.3;
      quiet[b] = frame === 0 ? Math.max(level, LEAST) : Math.min(quiet[b] * up, Math.max(smooth[b], LEAST / 10));
      levels[b] = level;
      over[0] = level + quiet[b] * OVER_QUIET + LEAST;
      const bits = overBits[0];
      const place = (bits >> TABLE_SHIFT) & (TABLE - 1);
      const log = ((bits >> 23) - 127) * Math.LN2 + LOGS[place] + (bits & ((1 << TABLE_SHIFT) - 1)) * SLOPES[place];
      logs[b] = log;
      const right = b + 1 < bands ? logsBefore[b + 1] : own;
      const above = log - Math.max(left, own, right);
      if (above > 0) {
        rise += above;
        const more = level - levelsBefore[b];
        if (more > 0) louder += more;
      }
      left = own;
      own = right;
    }
    this.frame++;
    return { rise: rise / bands, level: louder };
  }
}
