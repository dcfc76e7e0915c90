/** Samples under one entry of each level of the pyramid. */
export const PEAK_LEVELS = [64, 256, 1024, 4096, 16_384, 65_536] as const;
/** Samples in a chunk; every level divides it. */
export const CHUNK = 65_536;
/** Numbers an entry: min, max, RMS. */
export const PEAK_FIELDS = 3;

const entries = PEAK_LEVELS.map((l) => CHUNK / l);
/** Where each level starts in a chunk's pyramid, in numbers. */
export const PEAK_OFFSETS = entries.map((_, i) => entries.slice(0, i).reduce((a, b) => a + b, 0) * PEAK_FIELDS);
export const CHUNK_PEAKS = entries.reduce((a, b) => a + b, 0) * PEAK_FIELDS;

/** The pyramid of one chunk of at most 65,536 samples: all levels one after the other, finest first; entries beyond the end are zero. */
export function chunkPeaks(samples: Float32Array): Float32Array {
  const out = new Float32Array(CHUNK_PEAKS);
  const fine = PEAK_LEVELS[0];
  for (let i = 0, e = 0; i < samples.length; i += fine, e += PEAK_FIELDS) {
    const end = Math.min(i + fine, samples.length);
    let min = samples[i];
    let max = min;
    let sum = 0;
    for (let j = i; j < end; j++) {
      const v = samples[j];
      if (v < min) min = v;
      if (v > max) max = v;
      sum += v * v;
    }
    out[e] = min;
    out[e + 1] = max;
    out[e + 2] = Math.sqrt(sum / (end - i));
  }
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
  let level = -1;
  PEAK_LEVELS.forEach((size, i) => {
    if (size <= samplesPerPixel) level = i;
  });
  return level;
}
