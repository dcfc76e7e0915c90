// Headers of MPEG audio frames (ISO/IEC 11172-3, 13818-3), layers II and III.

const RATES = [44_100, 48_000, 32_000];
/** Kilobits a second by index, of layer II and III of MPEG-1, and of both of MPEG-2. */
const BITS = {
  "1 2": [0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384],
  "1 3": [0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
  "2 2": [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
  "2 3": [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
};

export interface FrameHeader {
  readonly sampleRate: number;
  readonly channels: number;
  readonly layer: number;
  /** 1, 2, or 2.5 as 4: what divides the rate. */
  readonly version: number;
  /** Samples of a channel. */
  readonly frames: number;
  readonly bytes: number;
  /** Bytes before what is coded: the header, its checksum, and what layer III says of how it is coded. */
  readonly side: number;
}

/** A header at a place, or null where there is none. */
export function headerAt(b: Uint8Array, at: number): FrameHeader | null {
  if (b[at] !== 0xff || (b[at + 1] & 0xe0) !== 0xe0 || at + 4 > b.length) return null;
  const [v, l] = [(b[at + 1] >> 3) & 3, (b[at + 1] >> 1) & 3];
  if (v === 1 || l === 0 || l === 3) return null;
  const version = v === 3 ? 1 : v === 2 ? 2 : 4;
  const layer = 4 - l;
  const [bitIndex, rateIndex] = [b[at + 2] >> 4, (b[at + 2] >> 2) & 3];
  if (bitIndex === 0 || bitIndex === 15 || rateIndex === 3) return null;
  const sampleRate = RATES[rateIndex] / version;
  const kilobits = BITS[`${version === 1 ? 1 : 2} ${layer}` as keyof typeof BITS][bitIndex];
  const frames = layer === 3 && version > 1 ? 576 : 1152;
  const channels = b[at + 3] >> 6 === 3 ? 1 : 2;
  const side = 4 + (b[at + 1] & 1 ? 0 : 2) + (layer === 3 ? (version === 1 ? (channels === 1 ? 17 : 32) : channels === 1 ? 9 : 17) : 0);
  return {
    sampleRate,
    channels,
    layer,
    version,
    frames,
    bytes: Math.floor(((frames / 8) * kilobits * 1000) / sampleRate) + ((b[at + 2] >> 1) & 1),
    side,
  };
}

/** Whether two frames can be of one stream. */
export const sameStream = (a: FrameHeader, b: FrameHeader): boolean =>
  a.sampleRate === b.sampleRate && a.layer === b.layer && a.version === b.version;

/** Reads numbers of some bits each, the highest first. */
function bitReader(b: Uint8Array, from: number) {
  let at = from * 8;
  return (count: number): number => {
    let n = 0;
    for (let k = 0; k < count; k++, at++) n = n * 2 + (((b[at >> 3] ?? 0) >> (7 - (at & 7))) & 1);
    return n;
  };
}

/**
 * How layer III lays what is coded over the borders of frames (11172-3, 2.4.2.7): how many bytes before a frame what it plays begins, and
 * how many are left over when it has been played, for the next.
 */
export function reservoir(b: Uint8Array, at: number, header: FrameHeader): { begins: number; left: number } {
  const { version, channels, bytes } = header;
  const read = bitReader(b, at + 4 + (b[at + 1] & 1 ? 0 : 2));
  const begins = read(version === 1 ? 9 : 8);
  read(version === 1 ? (channels === 1 ? 5 + 4 : 3 + 8) : channels === 1 ? 1 : 2);
  let bits = 0;
  // Each granule of a channel takes 59 bits of MPEG-1, 63 of MPEG-2, the first twelve of which say how many are coded.
  for (let g = 0; g < (version === 1 ? 2 : 1) * channels; g++) {
    bits += read(12);
    read(version === 1 ? 47 : 51);
  }
  return { begins, left: begins + bytes - header.side - Math.ceil(bits / 8) };
}
