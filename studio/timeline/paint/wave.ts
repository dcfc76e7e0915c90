import { PEAK_FIELDS, PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { levelFor, pageReader, peakTile, TILE_ENTRIES } from "@/state/media/media";

/** Columns of a waveform: least, greatest and RMS of each, for one channel. NaN in `min` where nothing is known yet. */
export interface Columns {
  min: Float32Array;
  max: Float32Array;
  rms: Float32Array;
}

export const newColumns = (n: number): Columns => ({ min: new Float32Array(n), max: new Float32Array(n), rms: new Float32Array(n) });

/** The zoom asked for last, and its level. */
let lastPer = Number.NaN;
let level = -1;
let samples = new Float32Array(1 << 17);

/**
 * Fills `count` columns: column i shows the recording's samples from `first + i · perColumn` on, `perColumn` of them. Coarser peaks
 * stand in while finer ones are on their way.
 */
export function fillColumns(
  out: Columns,
  sourceId: string,
  channels: number,
  channel: number,
  length: number,
  first: number,
  perColumn: number,
  count: number,
): void {
  if (perColumn !== lastPer) [lastPer, level] = [perColumn, levelFor(perColumn)];
  if (level < 0 && fillFromSamples(out, sourceId, channel, length, first, perColumn, count)) return;
  for (let l = Math.max(0, level); l < PEAK_LEVELS.length; l++) {
    if (fillFromPeaks(out, sourceId, channels, channel, l, length, first, perColumn, count)) return;
  }
}

function fillFromSamples(out: Columns, sourceId: string, channel: number, length: number, first: number, perColumn: number, count: number): boolean {
  const from = Math.max(0, Math.floor(first));
  const to = Math.min(length, Math.ceil(first + count * perColumn) + 1);
  if (to <= from) return true;
  if (samples.length < to - from) samples = new Float32Array(2 * (to - from));
  if (!pageReader.read(sourceId, channel, from, samples, 0, to - from)) return false;
  for (let i = 0; i < count; i++) {
    const a = Math.max(0, Math.floor(first + i * perColumn) - from);
    const b = Math.min(to - from, Math.max(a + 1, Math.floor(first + (i + 1) * perColumn) - from + 1));
    let min = samples[a];
    let max = min;
    let sum = 0;
    for (let k = a; k < b; k++) {
      const v = samples[k];
      if (v < min) min = v;
      if (v > max) max = v;
      sum += v * v;
    }
    out.min[i] = min;
    out.max[i] = max;
    out.rms[i] = Math.sqrt(sum / Math.max(1, b - a));
  }
  return true;
}

function fillFromPeaks(
  out: Columns,
  sourceId: string,
  channels: number,
  channel: number,
  level: number,
  length: number,
  first: number,
  perColumn: number,
  count: number,
): boolean {
  const size = PEAK_LEVELS[level];
  const span = size * TILE_ENTRIES;
  const firstTile = Math.floor(Math.max(0, first) / span);
  const lastTile = Math.floor((Math.min(length, first + count * perColumn) - 1) / span);
  let tile = peakTile(sourceId, channels, channel, level, firstTile * span);
  let whole = tile !== undefined;
  for (let t = firstTile + 1; t <= lastTile; t++) whole = peakTile(sourceId, channels, channel, level, t * span) !== undefined && whole;
  // Where something is missing a coarser level is taken for all columns: nothing is worked out in vain, but all that is missing is asked for.
  if (!whole && level + 1 < PEAK_LEVELS.length) return false;
  const { min: outMin, max: outMax, rms: outRms } = out;
  // Entries are counted from the recording's start; those of the tile at hand are [low, high).
  let low = tile ? tile.from / size : 0;
  let high = tile ? low + tile.entries : 0;
  for (let i = 0; i < count; i++) {
    const from = first + i * perColumn;
    const to = from + perColumn;
    let entry = from > 0 ? Math.floor(from / size) : 0;
    const end = Math.ceil(Math.min(to, length) / size);
    let min = Number.POSITIVE_INFINITY;
    let max = Number.NEGATIVE_INFINITY;
    let rms = 0;
    while (entry < end) {
      if (!tile || entry < low || entry >= high) {
        tile = peakTile(sourceId, channels, channel, level, entry * size);
        if (!tile) {
          whole = false;
          break;
        }
        low = tile.from / size;
        high = low + tile.entries;
        // The last tile of a recording may be short of what its length promises.
        if (entry >= high) break;
      }
      const { values } = tile;
      const stop = Math.min(end, high);
      for (let e = tile.offset + (entry - low) * PEAK_FIELDS; entry < stop; entry++, e += PEAK_FIELDS) {
        if (values[e] < min) min = values[e];
        if (values[e + 1] > max) max = values[e + 1];
        if (values[e + 2] > rms) rms = values[e + 2];
      }
    }
    outMin[i] = min === Number.POSITIVE_INFINITY ? Number.NaN : min;
    outMax[i] = max;
    outRms[i] = rms;
  }
  return whole;
}
