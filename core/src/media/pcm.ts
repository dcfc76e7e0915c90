import { type Kernels, newKernels } from "../kernels/kernels";

/** How samples are written in a file; big-endian ones end in "be". */
export const ENCODINGS = ["u8", "i8", "i16", "i24", "i32", "f32", "f64", "i16be", "i24be", "i32be", "f32be", "f64be", "alaw", "ulaw"] as const;
export type PcmEncoding = (typeof ENCODINGS)[number];

/** Where samples lie in a file that holds them uncoded: what is needed to find them again. */
export interface FileLayout {
  readonly channels: number;
  readonly encoding: PcmEncoding;
  /** Bytes of one sample of all channels. */
  readonly frameBytes: number;
  readonly dataOffset: number;
  /** Samples a channel. */
  readonly frames: number;
}

/** Bytes of one sample. */
export const sampleBytes = (encoding: PcmEncoding): number => (/law$/.test(encoding) ? 1 : Number.parseInt(encoding.slice(1), 10) / 8);

/** A sample that is not a number, or infinite: where it is. */
export interface BadSample {
  readonly channel: number;
  readonly frame: number;
}

/** Frames that go through the kernels at a time. */
const FRAMES = 4096;
let kernels: Kernels | null = null;
let room = 0;

/** The bytes of the kernels' encodings: the others are rare enough for plain loops. */
const WIDTHS: Partial<Record<PcmEncoding, number>> = { i16: 2, i24: 3, f32: 4 };

function decodeByKernels(bytes: Uint8Array, channels: number, width: number, frames: number, out: readonly Float32Array[]): BadSample | null {
  if (!kernels || room < channels) {
    room = channels;
    kernels = newKernels(2 * room * FRAMES);
  }
  const frameBytes = channels * width;
  let bad: BadSample | null = null;
  for (let at = 0; at < frames; at += FRAMES) {
    const n = Math.min(FRAMES, frames - at);
    kernels.bytes.set(bytes.subarray(at * frameBytes, (at + n) * frameBytes));
    const place = kernels.decode(0, channels, width, n, channels * FRAMES, FRAMES);
    if (place >= 0 && !bad) bad = { channel: place % channels, frame: at + Math.floor(place / channels) };
    for (let c = 0; c < channels; c++) {
      const first = (channels + c) * FRAMES;
      out[c].set(kernels.floats.subarray(first, first + n), at);
    }
  }
  return bad;
}

/** The same samples, the other way round. */
function swapped(bytes: Uint8Array, width: number): Uint8Array {
  const out = new Uint8Array(bytes.length);
  for (let at = 0; at + width <= bytes.length; at += width) for (let k = 0; k < width; k++) out[at + k] = bytes[at + width - 1 - k];
  return out;
}

/** ITU-T G.711: what each of the 256 codes stands for, of 32,768. */
function aLaw(code: number): number {
  const c = code ^ 0x55;
  const [step, low] = [(c >> 4) & 7, (c & 15) << 4];
  const size = step === 0 ? low + 8 : (low + 0x108) << (step - 1);
  return c & 0x80 ? size : -size;
}
function uLaw(code: number): number {
  const c = ~code & 0xff;
  const size = ((((c & 15) << 3) + 0x84) << ((c >> 4) & 7)) - 0x84;
  return c & 0x80 ? -size : size;
}
const LAWS = {
  alaw: Float32Array.from({ length: 256 }, (_, c) => aLaw(c) / 32_768),
  ulaw: Float32Array.from({ length: 256 }, (_, c) => uLaw(c) / 32_768),
};

/**
 * Turns the bytes of whole frames into planar floats, integers by 1/2^(bits − 1). Returns the first sample that is not finite, if any
 * (its place counted from the first frame given); `out` holds at least as many channels and samples.
 */
export function decodeFrames(
  bytes: Uint8Array,
  info: Pick<FileLayout, "channels" | "encoding" | "frameBytes">,
  out: readonly Float32Array[],
): BadSample | null {
  const { channels, encoding, frameBytes } = info;
  if (encoding.endsWith("be")) {
    const little = encoding.slice(0, -2) as PcmEncoding;
    return decodeFrames(swapped(bytes, sampleBytes(encoding)), { channels, encoding: little, frameBytes }, out);
  }
  const frames = Math.floor(bytes.length / frameBytes);
  const width = WIDTHS[encoding];
  if (width) return decodeByKernels(bytes, channels, width, frames, out);
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let bad: BadSample | null = null;
  for (let c = 0; c < channels; c++) {
    const o = out[c];
    const step = frameBytes;
    let at = c * (frameBytes / channels);
    if (encoding === "u8") for (let i = 0; i < frames; i++, at += step) o[i] = (bytes[at] - 128) / 128;
    else if (encoding === "i8") for (let i = 0; i < frames; i++, at += step) o[i] = v.getInt8(at) / 128;
    else if (encoding === "alaw" || encoding === "ulaw") for (let i = 0; i < frames; i++, at += step) o[i] = LAWS[encoding][bytes[at]];
    else if (encoding === "i32") for (let i = 0; i < frames; i++, at += step) o[i] = v.getInt32(at, true) / 2_147_483_648;
    else
      for (let i = 0; i < frames; i++, at += step) {
        o[i] = v.getFloat64(at, true);
        if (!Number.isFinite(o[i]) && (!bad || i < bad.frame)) bad = { channel: c, frame: i };
      }
  }
  return bad;
}
