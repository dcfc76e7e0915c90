import { type Kernels, newKernels } from "../kernels/kernels";

/** Samples under one entry of each level of the pyramid. */
export const PEAK_LEVELS = [64, 256, 1024, 4096, 16_384, 65_536] as const;
/** Samples in a chunk; every level divides it. */
export const CHUNK = 65_536;
/** Numbers an entry: min, max, RMS. */
export const PEAK_FIELDS = 3;

const entries = PEAK_LEVELS.map((l) => CHUNK / l);
/** Where each level starts in a chunk's pyramid, in numbers. */
export const PEAK_OFFSETS = entries.map((_, i) => entries.slice(0, i).reduce((a, b) => a + b, 0) * PEAK_FIELDS);
const CHUNK_PEAKS = entries.reduce((a, b) => a + b, 0) * PEAK_FIELDS;

/** A chunk goes through the kernels in pieces that fit the nearest cache. */
const PIECE = 4096;
let kernels: Kernels | null = null;

/** The pyramid of a whole chunk, by the kernels alone. */
function wholePeaks(samples: Float32Array): Float32Array {
  kernels ??= newKernels(PIECE + CHUNK_PEAKS);
  const size = PEAK_LEVELS[0];
  for (let at = 0; at < CHUNK; at += PIECE) {
    kernels.floats.set(samples.subarray(at, at + PIECE));
    kernels.peaks64(0, PIECE / size, PIECE + (at / size) * PEAK_FIELDS);
  }
  for (let level = 1; level < PEAK_LEVELS.length; level++)
    kernels.coarser(PIECE + PEAK_OFFSETS[level - 1], entries[level], PIECE + PEAK_OFFSETS[level]);
  return kernels.floats.slice(PIECE, PIECE + CHUNK_PEAKS);
}

/** Writes the finest level of a shorter chunk's pyramid to `out`. */
function finest(samples: Float32Array, out: Float32Array): void {
  const size = PEAK_LEVELS[0];
  kernels ??= newKernels(PIECE + CHUNK_PEAKS);
  const blocks = Math.floor(samples.length / size);
  for (let at = 0; at < blocks; at += PIECE / size) {
    const n = Math.min(PIECE / size, blocks - at);
    kernels.floats.set(samples.subarray(at * size, (at + n) * size));
    kernels.peaks64(0, n, PIECE);
    out.set(kernels.floats.subarray(PIECE, PIECE + n * PEAK_FIELDS), at * PEAK_FIELDS);
  }
  const rest = samples.subarray(blocks * size);
  if (rest.length === 0) return;
  let min = rest[0];
  let max = rest[0];
  let sum = 0;
  for (const v of rest) {
    if (v < min) min = v;
    if (v > max) max = v;
    sum += v * v;
  }
  out.set([min, max, Math.sqrt(sum / rest.length)], blocks * PEAK_FIELDS);
}

/** The pyramid of one chunk of at most 65,536 samples: all levels one after the other, finest first; entries beyond the end are zero. */
export function chunkPeaks(samples: Float32Array): Float32Array {
  if (samples.length === CHUNK) return wholePeaks(samples);
  const out = new Float32Array(CHUNK_PEAKS);
  finest(samples, out);
  for (let level = 1; level < PEAK_LEVELS.length; level++) {
    const size = PEAK_LEVELS[level];
    const below = PEAK_LEVELS[level - 1];
    const ratio = size / below;
    const used = Math.ceil(samples.length / size);
    for (let k = 0; k < used; k++) {
      let min = Number.POSITIVE_INFINITY;
      let max = Number.NEGATIVE_INFINITY;
      let sum = 0;
      let count = 0;
      for (let j = 0; j < ratio; j++) {
        const first = (k * ratio + j) * below;
        if (first >= samples.length) break;
        const e = PEAK_OFFSETS[level - 1] + (k * ratio + j) * PEAK_FIELDS;
        const n = Math.min(below, samples.length - first);
        if (out[e] < min) min = out[e];
        if (out[e + 1] > max) max = out[e + 1];
        sum += out[e + 2] * out[e + 2] * n;
        count += n;
      }
      const e = PEAK_OFFSETS[level] + k * PEAK_FIELDS;
      out[e] = min;
      out[e + 1] = max;
      out[e + 2] = Math.sqrt(sum / count);
    }
  }
  return out;
}

/** The coarsest level that still has an entry for each pixel, as an index into PEAK_LEVELS; −1 when samples themselves are needed. */
export function levelFor(samplesPerPixel: number): number {
  let level = PEAK_LEVELS.length - 1;
  while (level >= 0 && PEAK_LEVELS[level] > samplesPerPixel) level--;
  return level;
}
