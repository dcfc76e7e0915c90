import { playedId } from "../model/recipe/played-recording";
import type { Clip } from "../model/schema";
import type { PcmReader } from "./reader";

const BLOCK = 16_384;

/**
 * The normalised correlation of both sides of a blend over its overlap, all channels that are played together: Σxy / √(Σx²·Σy²); 0 when a side is
 * silent. Undefined while samples are missing.
 */
export function likeness(
  left: Clip,
  leftChannels: readonly number[],
  right: Clip,
  rightChannels: readonly number[],
  reader: PcmReader,
): number | undefined {
  const length = left.start + left.length - right.start;
  const channels = Math.max(leftChannels.length, rightChannels.length);
  const x = new Float32Array(Math.min(BLOCK, length));
  const y = new Float32Array(x.length);
  let [xy, xx, yy] = [0, 0, 0];
  for (let c = 0; c < channels; c++) {
    for (let at = 0; at < length; at += BLOCK) {
      const n = Math.min(BLOCK, length - at);
      const has =
        reader.read(playedId(left), leftChannels[Math.min(c, leftChannels.length - 1)], left.offset + (right.start - left.start) + at, x, 0, n) &&
        reader.read(playedId(right), rightChannels[Math.min(c, rightChannels.length - 1)], right.offset + at, y, 0, n);
      if (!has) return undefined;
      for (let i = 0; i < n; i++) {
        xy += x[i] * y[i];
        xx += x[i] * x[i];
        yy += y[i] * y[i];
      }
    }
  }
  return xx > 0 && yy > 0 ? xy / Math.sqrt(xx * yy) : 0;
}
