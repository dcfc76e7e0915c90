import { addRange, type Window } from "../window";

// FLAC's frames (RFC 9639, 9): found by their headers, and told whole from damaged by their two checksums.

const CRC8 = Uint8Array.from({ length: 256 }, (_, i) => {
  let c = i;
  for (let k = 0; k < 8; k++) c = c & 0x80 ? (c << 1) ^ 0x07 : c << 1;
  return c;
});
export const CRC16 = Uint16Array.from({ length: 256 }, (_, i) => {
  let c = i << 8;
  for (let k = 0; k < 8; k++) c = c & 0x8000 ? (c << 1) ^ 0x8005 : c << 1;
  return c;
});

interface FrameHeader {
  /** The number of its first sample. */
  readonly first: number;
  readonly frames: number;
}

/** What the beginning of the file says of all frames. */
export interface StreamInfo {
  readonly blockSize: number;
  readonly channels: number;
  readonly sampleRate: number;
  readonly bits: number;
  /** Largest frame in bytes; 0 where it is not told. */
  readonly mostBytes: number;
  /** Samples a channel; 0 where it is not told. */
  readonly total: number;
}

/** Bytes of the longest header. */
const MOST_HEADER = 16;

/** A header at a place, if its checksum is right and it goes with the stream. */
function headerAt(b: Uint8Array, at: number, info: StreamInfo): FrameHeader | null {
  if (b[at] !== 0xff || (b[at + 1] & 0xfe) !== 0xf8 || at + 6 > b.length) return null;
  const [sizes, kinds] = [b[at + 2], b[at + 3]];
  const [sizeCode, rateCode, assignment] = [sizes >> 4, sizes & 15, kinds >> 4];
  if (sizeCode === 0 || rateCode === 15 || assignment > 10 || kinds & 1) return null;
  if ((assignment < 8 ? assignment + 1 : 2) !== info.channels) return null;
  // Its number is written as UTF-8 writes long numbers.
  let p = at + 4;
  const lead = b[p++];
  let extra = 0;
  while (extra < 7 && lead & (0x80 >> extra)) extra++;
  if (extra === 1) return null;
  let number = extra === 0 ? lead : lead & (0x7f >> extra);
  for (let k = 1; k < extra; k++) {
    if ((b[p] & 0xc0) !== 0x80) return null;
    number = number * 64 + (b[p++] & 0x3f);
  }
  let frames = sizeCode === 1 ? 192 : sizeCode < 6 ? 576 << (sizeCode - 2) : 256 << (sizeCode - 8);
  if (sizeCode === 6) frames = b[p++] + 1;
  else if (sizeCode === 7) {
    frames = b[p] * 256 + b[p + 1] + 1;
    p += 2;
  }
  if (rateCode === 12) p += 1;
  else if (rateCode > 12) p += 2;
  if (p >= b.length) return null;
  let crc = 0;
  for (let k = at; k < p; k++) crc = CRC8[crc ^ b[k]];
  if (crc !== b[p]) return null;
  return { first: (b[at + 1] & 1) === 1 ? number : number * info.blockSize, frames };
}

/** Whole frames, and what is missing between them. */
export interface Walk {
  readonly whole: { from: number; to: number }[];
  readonly gaps: { at: number; frames: number }[];
  /** Samples of whole frames, and where the last of them ends, counted with what is missing. */
  readonly decoded: number;
  readonly end: number;
}

/**
 * Walks over the frames from a place on. A frame that is damaged is one whose checksum fails: the next whole one tells by its number how
 * much is missing.
 */
export async function walkFrames(window: Window, from: number, to: number, info: StreamInfo): Promise<Walk> {
  const bound = Math.max(info.mostBytes, info.blockSize * info.channels * Math.ceil((info.bits + 1) / 8) + 1024);
  const whole: Walk["whole"] = [];
  const gaps: Walk["gaps"] = [];
  let [decoded, end] = [0, 0];
  for (let at = from; at < to; ) {
    const have = Math.min(to - at, await window.have(at, bound + MOST_HEADER));
    const b = window.bytes.subarray(at - window.base, at - window.base + have);
    const header = headerAt(b, 0, info);
    const length = header ? frameLength(b, at + have >= to, Math.min(have, bound), info) : 0;
    if (header && length > 0 && header.first >= end) {
      if (header.first > end) gaps.push({ at: decoded, frames: header.first - end });
      addRange(whole, at, at + length);
      decoded += header.frames;
      end = header.first + header.frames;
      at += length;
      continue;
    }
    // No whole frame begins here: the next place where one may.
    let next = 1;
    while (next < have && !(b[next] === 0xff && headerAt(b, next, info))) {
      const found = b.indexOf(0xff, next + 1);
      next = found < 0 ? have : found;
    }
    // A header may lie over the end of what is at hand.
    at += next >= have && at + have < to ? Math.max(1, have - MOST_HEADER) : next;
  }
  return { whole, gaps, decoded, end };
}

/** Bytes of the frame that begins a stretch: it ends where its checksum comes out and the next one begins, or the file ends. 0 where it is not whole. */
function frameLength(b: Uint8Array, last: boolean, most: number, info: StreamInfo): number {
  let crc = 0;
  for (let k = 0; k < most; k++) {
    if (crc === 0 && k > 5 && b[k] === 0xff && headerAt(b, k, info)) return k;
    crc = ((crc << 8) ^ CRC16[(crc >> 8) ^ b[k]]) & 0xffff;
  }
  return last && most === b.length && crc === 0 ? most : 0;
}
