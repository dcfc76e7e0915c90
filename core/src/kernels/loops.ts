/**
 * The inner loops, on a memory of their own: what they work on is copied there. Places are indices into `floats` (taps of filters: of the
 * first of a pair of floats that holds a double). Products and sums are in single precision, so the result is the same on every machine.
 */
export interface Kernels {
  readonly floats: Float32Array;
  /** The same memory as doubles, and as bytes. */
  readonly doubles: Float64Array;
  readonly bytes: Uint8Array;
  /** left += x · gainLeft, right += x · gainRight, over n samples. */
  mixBoth(x: number, left: number, right: number, n: number, gainLeft: number, gainRight: number): void;
  /** Four signals `stride` apart in one pass, with their gains (left and right of each in turn) at `gains`; n is a multiple of four. */
  mixFour(x: number, stride: number, left: number, right: number, n: number, gains: number): void;
  /** out += x · gain, over n samples. */
  mixOne(x: number, out: number, n: number, gain: number): void;
  /** The greatest magnitude among n samples. */
  loudest(x: number, n: number): number;
  /** Least, greatest and RMS of each of some blocks of 64 samples, as triples at `out`. */
  peaks64(x: number, blocks: number, out: number): void;
  /** The next level of a pyramid: each four triples of least, greatest and RMS become one. */
  coarser(x: number, groups: number, out: number): void;
  /** At `out` the sum of the products of n errors at `x` and at `y`, and behind it that of both their squares; n is a multiple of four. */
  reflect(x: number, y: number, n: number, out: number): void;
  /** One step of a lattice: n forward errors at `x` and backward ones at `y`, each takes in so much of the other. */
  lattice(x: number, y: number, n: number, reflection: number): void;
  /** n samples, each times a weight of its own, to `out`; n is a multiple of four. */
  weigh(x: number, weights: number, n: number, out: number): void;
  /** The means of n pairs of neighbours, to `out`, which may be `x`; n is a multiple of four. */
  halve(x: number, n: number, out: number): void;
  /** n samples at `x`, each times factor · step^k, where k counts from `skip` on; a sample's factor hangs on its k alone. */
  swell(x: number, n: number, skip: number, factor: number, step: number): void;
  /**
   * A complex Fourier transform of `size` (a power of two, at least 16) samples at `re` and `im`, in order both before and after, by turns from
   * there to `spare` (real parts, then imaginary ones) and back. Returns where the real parts lie in the end; the imaginary ones are `size` later,
   * which is where `im` must be. `turns` holds cosines, then as many negative sines: for the stage of l turns, at l … 2 · l − 1.
   */
  fourier(re: number, im: number, size: number, turns: number, spare: number): number;
  /**
   * The powers of bins 1 … size / 2 of two real signals that were transformed as one complex one, its real parts at `re` and its imaginary ones
   * `size` later. `size` is a multiple of eight.
   */
  apart(re: number, size: number, first: number, second: number): void;
  /**
   * How much is new in the bands of a frame: the sum of what the logarithms of their levels have risen by, above the most that they and their
   * neighbours had in the frame at `before`. Band b holds bins from edges[b] up to edges[b + 1] of `powers`; with `wide`, the number of bands
   * rounded up to fours: at `state` lie rows of `wide` floats, each band's share of a bin, its quiet and its smoothed level, and behind them
   * how loud what is new is. A frame's row, 2 · wide + 8 long, holds its levels, and from wide + 4 on the logarithms, with a place for a
   * neighbour on both sides. A band's quiet rises by the factor `up` at most; `first` is 1 for the first frame of all, else 0.
   */
  risen(powers: number, edges: number, bands: number, state: number, before: number, now: number, up: number, first: number): number;
  /**
   * n frames of interleaved samples of 2 or 3 bytes (whole numbers) or 4 (floats) from byte `from` on, to floats, channel c at out + c ·
   * plane. Returns the place (frame · channels + channel) of the first float that is not finite, or −1.
   */
  decode(from: number, channels: number, width: number, n: number, out: number, plane: number): number;
  /**
   * n frames of floats, channel c at x + c · plane, to interleaved samples of 2, 3 or 4 bytes from byte `to` on: rounded to the nearest step
   * (halves up), kept in range, and with a seed other than 0 dithered by triangular noise where they are not on a step. Returns the seed to
   * go on with.
   */
  encode(x: number, plane: number, channels: number, n: number, width: number, seed: number, to: number): number;
  /**
   * Outputs first … first + count − 1 of a polyphase filter: output k lies at input k · down / up; `up` filters of `size` doubles (a multiple
   * of four) at `taps`, the input from sample `base` on at `x`, `half` taps before the position.
   */
  resample(
    taps: number,
    size: number,
    up: number,
    down: number,
    half: number,
    x: number,
    base: number,
    first: number,
    count: number,
    out: number,
  ): void;
  /**
   * Reads `x` at places begin, begin + pace, …: each output is the sum of `size` (a multiple of four) samples from the whole part of its place
   * on, weighted by a row of doubles straight between the two rows around its fraction; `rows` holds `places` + 1 of them.
   */
  glide(rows: number, size: number, places: number, x: number, begin: number, pace: number, count: number, out: number): void;
  /**
   * The greatest magnitude that each of some groups of 64 samples has, at them and at the quarters between them and the next: `size` taps at
   * `taps`, each as four floats (one for each quarter, and one left out); a sample lies size / 2 − 1 after where its taps begin.
   */
  between64(taps: number, size: number, x: number, groups: number, out: number): void;
}
