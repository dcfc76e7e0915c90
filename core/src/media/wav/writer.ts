import { type Kernels, newKernels } from "../../kernels/kernels";

export type ExportEncoding = "i16" | "i24" | "f32";

export const ENCODING_BYTES: Record<ExportEncoding, number> = { i16: 2, i24: 3, f32: 4 };

/**
 * The bytes before the samples: RIFF, or RF64 where sizes pass 4 GB; float files get the extended `fmt ` and a `fact` chunk.
 * `frames` is the number of samples a channel.
 */
export function wavHeader(channels: number, sampleRate: number, encoding: ExportEncoding, frames: number): Uint8Array {
  const bytes = ENCODING_BYTES[encoding];
  const dataBytes = frames * channels * bytes;
  const float = encoding === "f32";
  const wide = dataBytes > 0xffffff00;
  const size = 12 + (wide ? 36 : 0) + (float ? 26 : 24) + (float ? 12 : 0) + 8;
  const out = new Uint8Array(size);
  const v = new DataView(out.buffer);
  let at = 0;
  const text = (s: string): void => {
    for (const ch of s) out[at++] = ch.charCodeAt(0);
  };
  const word = (n: number): void => {
    v.setUint16(at, n, true);
    at += 2;
  };
  const long = (n: number): void => {
    v.setUint32(at, n >>> 0, true);
    at += 4;
  };
  const wideLong = (n: number): void => {
    long(n % 2 ** 32);
    long(Math.floor(n / 2 ** 32));
  };
  const riffBytes = size - 8 + dataBytes + (dataBytes & 1);
  text(wide ? "RF64" : "RIFF");
  long(wide ? 0xffffffff : riffBytes);
  text("WAVE");
  if (wide) {
    text("ds64");
    long(28);
    wideLong(riffBytes);
    wideLong(dataBytes);
    wideLong(frames);
    long(0);
  }
  text("fmt ");
  long(float ? 18 : 16);
  word(float ? 3 : 1);
  word(channels);
  long(sampleRate);
  long(sampleRate * channels * bytes);
  word(channels * bytes);
  word(bytes * 8);
  if (float) {
    word(0);
    text("fact");
    long(4);
    long(wide ? 0xffffffff : frames);
  }
  text("data");
  long(wide ? 0xffffffff : dataBytes);
  return out;
}

/** Triangular noise of ±1 step (TPDF), the same for the same seed whatever the block size: xorshift32, two draws a sample. */
export class Dither {
  /** Where the noise is; never 0, which means none. */
  state: number;

  constructor(seed: number) {
    this.state = seed >>> 0 || 0x9e3779b9;
  }
}

/** Frames that go through the kernels at a time, and most channels of those that they take. */
const FRAMES = 4096;
let kernels: Kernels | null = null;
let room = 0;

/**
 * Interleaves and encodes `count` frames. Integers round to the nearest step and stop at the ends of their range; with `dither`,
 * each sample that does not already lie on a step gets its noise first, so that untouched integer audio comes out as it was.
 */
export function encodeFrames(channels: readonly Float32Array[], count: number, encoding: ExportEncoding, dither: Dither | null): Uint8Array {
  const width = ENCODING_BYTES[encoding];
  const out = new Uint8Array(count * channels.length * width);
  if (!kernels || room < channels.length) {
    room = channels.length;
    kernels = newKernels(2 * room * FRAMES);
  }
  const [floats, to] = [channels.length * FRAMES, channels.length * FRAMES * 4];
  for (let at = 0; at < count; at += FRAMES) {
    const n = Math.min(FRAMES, count - at);
    for (const [c, channel] of channels.entries()) kernels.floats.set(channel.subarray(at, at + n), c * FRAMES);
    const seed = encoding === "f32" ? 0 : (dither?.state ?? 0);
    const next = kernels.encode(0, FRAMES, channels.length, n, width, seed, to);
    if (dither && seed) dither.state = next;
    out.set(kernels.bytes.subarray(floats * 4, floats * 4 + n * channels.length * width), at * channels.length * width);
  }
  return out;
}
