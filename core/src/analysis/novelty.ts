import { Spectrum } from "./spectrum";

/** Bands in an octave, from where bins lie closer than that. */
const BANDS_AN_OCTAVE = 24;
/** Bands end below this part of the rate that is looked at. */
const HIGHEST = 0.48;
/** Frames that one is compared with the one before it. */
const LAG = 2;
/** The level that a recording is taken to have had before it begins, so that a sound which is there at once is a hit, and a bed of noise is none. */
const BEFORE = 1e-3;
/** What lies less than three times as high as a band's own quiet counts little (the kernel `risen`): noise would go up and down by itself. */
const QUIETS = 3;
const LEAST = 1e-5;

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
  private readonly bands: number;
  /** Where the kernels have the bands' edges, what is known of each band, and the latest frames, by frame modulo LAG + 1. */
  private readonly edges: number;
  private readonly state: number;
  private readonly frames: readonly number[];
  /** So many samples are looked at as one, at 16 to 32 kHz: what lies above half that rate folds down, and an attack is one there too. */
  private readonly fold: number;
  /** How fast a band's quiet follows upwards, a frame: 6 dB a second. */
  private readonly up: number;
  private frame = 0;

  constructor(sampleRate: number) {
    this.size = Math.max(64, 2 ** Math.round(Math.log2((2048 * sampleRate) / 48_000)));
    this.hop = this.size / 4;
    this.fold = Math.max(1, 2 ** Math.floor(Math.log2(sampleRate / 16_000)));
    const size = this.size / this.fold;
    const edges = [1];
    for (let b = 1; b < size * HIGHEST; edges.push(b)) b = Math.max(b + 1, Math.round(b * 2 ** (1 / BANDS_AN_OCTAVE)));
    this.bands = edges.length - 1;
    this.up = 2 ** (this.hop / sampleRate);
    const wide = (this.bands + 3) & ~3;
    const row = 2 * wide + 8;
    this.spectrum = new Spectrum(size, this.fold, wide + 4 + 3 * wide + 4 + (LAG + 1) * row);
    const { floats } = this.spectrum.kernels;
    this.edges = this.spectrum.places.room;
    // The powers begin with those of bin 1.
    edges.forEach((edge, b) => {
      floats[this.edges + b] = edge - 1;
    });
    this.state = this.edges + wide + 4;
    for (let b = 0; b < this.bands; b++) floats[this.state + b] = 1 / (edges[b + 1] - edges[b]);
    const first = this.state + 3 * wide + 4;
    this.frames = Array.from({ length: LAG + 1 }, (_, k) => first + k * row);
    for (const at of this.frames) {
      floats.fill(BEFORE, at, at + wide);
      floats.fill(Math.log(BEFORE * QUIETS + LEAST), at + wide, at + row);
    }
  }

  /** The next two frames, which begin at `a` and a hop later of the samples. */
  two(samples: Float32Array, a: number): [Frame, Frame] {
    const { fold, hop, size } = this;
    this.spectrum.look(samples.subarray(a, a + size + hop), hop / fold, fold);
    return [this.next(this.spectrum.places.first), this.next(this.spectrum.places.second)];
  }

  private next(powers: number): Frame {
    const { bands, edges, state, frames, frame, up } = this;
    const { kernels } = this.spectrum;
    const rise = kernels.risen(powers, edges, bands, state, frames[(frame + 1) % (LAG + 1)], frames[frame % (LAG + 1)], up, Number(frame === 0));
    this.frame++;
    return { rise: rise / bands, level: kernels.floats[state + 3 * ((bands + 3) & ~3)] };
  }
}
