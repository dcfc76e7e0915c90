import { roundMultiple } from "./rational";

/** Frames a second as an exact ratio, and whether frame numbers are dropped to keep pace with the clock. */
export interface FrameRate {
  readonly id: string;
  readonly num: number;
  readonly den: number;
  readonly drop: boolean;
  /** Frame numbers in one counted second. */
  readonly count: number;
}

const rate = (id: string, num: number, den: number, drop = false): FrameRate => ({ id, num, den, drop, count: Math.round(num / den) });

export const FRAME_RATES: readonly FrameRate[] = [
  rate("23.976", 24000, 1001),
  rate("24", 24, 1),
  rate("25", 25, 1),
  rate("29.97", 30000, 1001),
  rate("29.97 drop", 30000, 1001, true),
  rate("30", 30, 1),
  rate("50", 50, 1),
  rate("59.94", 60000, 1001),
  rate("59.94 drop", 60000, 1001, true),
  rate("60", 60, 1),
];

/** The frame rate with this name. Throws RangeError for an unknown one. */
export function frameRate(id: string): FrameRate {
  const found = FRAME_RATES.find((r) => r.id === id);
  if (!found) throw new RangeError(`No frame rate is called "${id}"; known are ${FRAME_RATES.map((r) => r.id).join(", ")}.`);
  return found;
}

/** The sample nearest to the start of frame `frame`. */
export function frameToSample(frame: number, rate: FrameRate, sampleRate: number): number {
  return roundMultiple(frame, sampleRate * rate.den, rate.num);
}

/** The frame that is on at a sample (the last one that starts at or before it). */
export function sampleToFrame(sample: number, rate: FrameRate, sampleRate: number): number {
  let frame = Math.floor((sample * rate.num) / (sampleRate * rate.den));
  while (frameToSample(frame + 1, rate, sampleRate) <= sample) frame++;
  while (frameToSample(frame, rate, sampleRate) > sample) frame--;
  return frame;
}

const two = (n: number): string => String(n).padStart(2, "0");

/**
 * hh:mm:ss:ff; with drop-frame counting hh:mm:ss;ff. Drop-frame skips the first 2 (at 59.94: 4) frame numbers of each minute but
 * every tenth (SMPTE ST 12-1).
 */
export function formatTimecode(frame: number, rate: FrameRate): string {
  const sign = frame < 0 ? "-" : "";
  let n = Math.abs(frame);
  if (rate.drop) {
    const skip = rate.count / 15;
    const perMinute = rate.count * 60 - skip;
    const perTen = perMinute * 10 + skip;
    const rest = n % perTen;
    n += skip * 9 * Math.floor(n / perTen) + (rest >= skip ? skip * Math.floor((rest - skip) / perMinute) : 0);
  }
  const f = n % rate.count;
  const s = Math.floor(n / rate.count);
  return `${sign}${two(Math.floor(s / 3600))}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}${rate.drop ? ";" : ":"}${two(f)}`;
}

/** The frame of hh:mm:ss:ff. Throws RangeError for parts out of range and for a number that drop-frame counting skips. */
export function timecodeToFrame(hours: number, minutes: number, seconds: number, frames: number, rate: FrameRate): number {
  if (minutes > 59 || seconds > 59 || frames >= rate.count)
    throw new RangeError(`Timecode at ${rate.id} has minutes and seconds below 60 and frames below ${rate.count}.`);
  const total = (hours * 3600 + minutes * 60 + seconds) * rate.count + frames;
  if (!rate.drop) return total;
  const skip = rate.count / 15;
  if (seconds === 0 && frames < skip && minutes % 10 !== 0)
    throw new RangeError(`Drop-frame timecode has no frame ${two(frames)} at the start of minute ${two(minutes)}.`);
  const wholeMinutes = hours * 60 + minutes;
  return total - skip * (wholeMinutes - Math.floor(wholeMinutes / 10));
}
