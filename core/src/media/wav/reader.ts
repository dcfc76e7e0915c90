import { type Kernels, newKernels } from "../../kernels/kernels";
import { type ByteSource, MediaError } from "../source";

export type WavEncoding = "u8" | "i16" | "i24" | "i32" | "f32" | "f64";

/** Where the samples of a WAV file lie and how they are written. */
export interface WavInfo {
  readonly channels: number;
  readonly sampleRate: number;
  readonly encoding: WavEncoding;
  /** Bytes of one sample of all channels. */
  readonly frameBytes: number;
  readonly dataOffset: number;
  readonly frames: number;
}

/** What is needed to find samples in a file again. */
export type FileLayout = Omit<WavInfo, "sampleRate">;

export const MAX_CHANNELS = 32;
export const MIN_RATE = 4000;
export const MAX_RATE = 768_000;

const id = (b: Uint8Array, at: number): string => String.fromCharCode(b[at], b[at + 1], b[at + 2], b[at + 3]);
const u32 = (v: DataView, at: number): number => v.getUint32(at, true);
/** A 64-bit size; beyond 2^53 no file exists. */
const u64 = (v: DataView, at: number): number => v.getUint32(at + 4, true) * 2 ** 32 + v.getUint32(at, true);
const UNKNOWN_SIZE = 0xffffffff;

const ENCODINGS: Record<string, WavEncoding> = { "1 8": "u8", "1 16": "i16", "1 24": "i24", "1 32": "i32", "3 32": "f32", "3 64": "f64" };

/** Whether bytes start like a WAV file of the kinds read here. */
export const looksLikeWav = (head: Uint8Array): boolean =>
  head.length >= 12 && ["RIFF", "RF64", "BW64"].includes(id(head, 0)) && id(head, 8) === "WAVE";

function readFormat(bytes: Uint8Array): Pick<WavInfo, "channels" | "sampleRate" | "encoding" | "frameBytes"> {
  if (bytes.length < 16) throw new MediaError("The file's format chunk is cut short.", "broken");
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let tag = v.getUint16(0, true);
  const channels = v.getUint16(2, true);
  const sampleRate = u32(v, 4);
  const frameBytes = v.getUint16(12, true);
  const bits = v.getUint16(14, true);
  // WAVE_FORMAT_EXTENSIBLE: the real tag is the first two bytes of the sub-format.
  if (tag === 0xfffe) {
    if (bytes.length < 40) throw new MediaError("The file's extensible format chunk is cut short.", "broken");
    tag = v.getUint16(24, true);
    if (GUID_TAIL.some((b, i) => bytes[26 + i] !== b))
      throw new MediaError("The file's samples are of a kind that is not read here (its sub-format).", "broken");
  }
  const encoding = ENCODINGS[`${tag} ${bits}`];
  if (!encoding) throw new MediaError(`The file's samples are written in a way that is not read here (format ${tag}, ${bits} bits).`, "broken");
  if (channels === 0) throw new MediaError("The file says that it has no channels.", "broken");
  if (channels > MAX_CHANNELS) throw new MediaError(`The file has ${channels} channels; up to ${MAX_CHANNELS} are taken in.`, "broken");
  if (sampleRate < MIN_RATE || sampleRate > MAX_RATE)
    throw new MediaError(`The file's sample rate of ${sampleRate} is outside ${MIN_RATE} to ${MAX_RATE}.`, "broken");
  if (frameBytes !== (channels * bits) / 8)
    throw new MediaError(
      `The file says ${frameBytes} bytes a frame where ${channels} channels of ${bits} bits take ${(channels * bits) / 8}.`,
      "broken",
    );
  return { channels, sampleRate, encoding, frameBytes };
}

/** More chunks than this no file has before its samples: a file of thousands is made to keep its reader busy. */
const MOST_CHUNKS = 1000;
/** What follows the tag in the sub-format of every kind that is read here: the rest of KSDATAFORMAT_SUBTYPE's GUID. */
const GUID_TAIL = [0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71];

/**
 * Reads the chunks of a WAV, Broadcast WAV or RF64 file up to its samples. A data size of 0xFFFFFFFF in plain RIFF (written by
 * recorders that stream) means "to the end". Throws MediaError with the reason for anything that is not whole.
 */
export async function openWav(source: ByteSource): Promise<WavInfo> {
  const head = await source.read(0, 12);
  if (!looksLikeWav(head)) throw new MediaError("This is not a WAV file.", "unknown");
  const wide = id(head, 0) !== "RIFF";
  let dataSize64: number | undefined;
  let format: ReturnType<typeof readFormat> | undefined;
  let chunks = 0;
  for (let at = 12; at + 8 <= source.size; ) {
    const chunk = await source.read(at, 8);
    const name = id(chunk, 0);
    if (!/^[ -~]{4}$/.test(name)) throw new MediaError(`The file holds something at byte ${at} that is no chunk of a WAV file.`, "broken");
    if (++chunks > MOST_CHUNKS) throw new MediaError(`The file has more than ${MOST_CHUNKS} chunks before its samples.`, "broken");
    const size = u32(new DataView(chunk.buffer, chunk.byteOffset, 8), 4);
    if (name === "ds64") {
      const b = await source.read(at + 8, 28);
      if (b.length < 28) break;
      dataSize64 = u64(new DataView(b.buffer, b.byteOffset, b.length), 8);
    } else if (name === "fmt ") {
      format = readFormat(await source.read(at + 8, Math.min(size, 64)));
    } else if (name === "data") {
      if (!format) throw new MediaError("The file has samples before it says how they are written.", "broken");
      const dataOffset = at + 8;
      const there = source.size - dataOffset;
      const said = size === UNKNOWN_SIZE ? (wide ? dataSize64 : there) : size;
      if (said === undefined) throw new MediaError("The file lacks the size of its samples (ds64).", "broken");
      if (said > there) throw new MediaError(`The file is cut short: it says ${said} bytes of samples and has ${there}.`, "broken");
      const frames = Math.floor(said / format.frameBytes);
      if (frames === 0) throw new MediaError("The file holds no samples.", "broken");
      return { ...format, dataOffset, frames };
    }
    at += 8 + size + (size & 1);
  }
  throw new MediaError(format ? "The file ends before its samples." : "The file is cut short: its format is missing.", "broken");
}

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
const WIDTHS: Partial<Record<WavInfo["encoding"], number>> = { i16: 2, i24: 3, f32: 4 };

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

/**
 * Turns the bytes of whole frames into planar floats, integers by 1/2^(bits − 1). Returns the first sample that is not finite, if any
 * (its place counted from the first frame given); `out` holds at least as many channels and samples.
 */
export function decodeFrames(
  bytes: Uint8Array,
  info: Pick<WavInfo, "channels" | "encoding" | "frameBytes">,
  out: readonly Float32Array[],
): BadSample | null {
  const { channels, encoding, frameBytes } = info;
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
    else if (encoding === "i32") for (let i = 0; i < frames; i++, at += step) o[i] = v.getInt32(at, true) / 2_147_483_648;
    else
      for (let i = 0; i < frames; i++, at += step) {
        o[i] = v.getFloat64(at, true);
        if (!Number.isFinite(o[i]) && (!bad || i < bad.frame)) bad = { channel: c, frame: i };
      }
  }
  return bad;
}
