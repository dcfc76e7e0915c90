import { type Kernels, newKernels } from "../../kernels/kernels";
import { asBytes } from "../text";

export type ExportEncoding = "i16" | "i24" | "f32";

export const ENCODING_BYTES: Record<ExportEncoding, number> = { i16: 2, i24: 3, f32: 4 };

/** What is written beside the samples. Places are samples at the file's rate. */
export interface WavExtras {
  /** Broadcast WAV (EBU Tech 3285, version 2). */
  readonly broadcast?: {
    readonly description: string;
    readonly originator: string;
    /** YYYY-MM-DD and HH:MM:SS. */
    readonly date: string;
    readonly time: string;
    /** Where the first sample lies in the piece. */
    readonly timeReference: number;
    readonly loudness: {
      readonly integrated: number | null;
      readonly range: number | null;
      readonly truePeak: number | null;
      readonly momentaryMax: number | null;
      readonly shortTermMax: number | null;
    };
  };
  readonly marks?: readonly { readonly position: number; readonly name: string }[];
  /** Fields of a LIST of INFO, such as INAM. */
  readonly info?: readonly (readonly [string, string])[];
}

/** Bytes put together, little-endian. */
class Out {
  private readonly parts: number[] = [];
  get size(): number {
    return this.parts.length;
  }
  bytes(b: Iterable<number>): this {
    for (const one of b) this.parts.push(one & 255);
    return this;
  }
  text(s: string, width = s.length): this {
    for (let i = 0; i < width; i++) this.parts.push(i < s.length ? s.charCodeAt(i) & 255 : 0);
    return this;
  }
  word = (n: number): this => this.bytes([n, n >> 8]);
  long = (n: number): this => this.bytes([n, n >>> 8, n >>> 16, n >>> 24]);
  wide = (n: number): this => this.long(n % 2 ** 32).long(Math.floor(n / 2 ** 32));
  chunk(name: string, body: Out): this {
    this.text(name).long(body.size).bytes(body.parts);
    return body.size % 2 ? this.bytes([0]) : this;
  }
  done = (): Uint8Array => Uint8Array.from(this.parts);
}

/** Says that a value of `bext` is not known. */
const UNKNOWN = 0x7fff;

function broadcastChunk(b: NonNullable<WavExtras["broadcast"]>): Out {
  const hundredths = (n: number | null): number => (n === null ? UNKNOWN : Math.max(-32_767, Math.min(32_766, Math.round(n * 100))));
  const { integrated, range, truePeak, momentaryMax, shortTermMax } = b.loudness;
  const out = new Out().text(asBytes(b.description), 256).text(asBytes(b.originator), 32).text("", 32).text(b.date, 10).text(b.time, 8);
  out.wide(b.timeReference).word(2).text("", 64);
  for (const value of [integrated, range, truePeak, momentaryMax, shortTermMax]) out.word(hundredths(value));
  return out.text("", 180);
}

function markChunks(marks: NonNullable<WavExtras["marks"]>): Out {
  const [cue, labels] = [new Out().long(marks.length), new Out().text("adtl")];
  for (const [i, { position, name }] of marks.entries()) {
    cue
      .long(i + 1)
      .long(position)
      .text("data")
      .long(0)
      .long(0)
      .long(position);
    if (name) labels.chunk("labl", new Out().long(i + 1).text(`${asBytes(name)}\0`));
  }
  const out = new Out().chunk("cue ", cue);
  return labels.size > 4 ? out.chunk("LIST", labels) : out;
}

/** Bytes of the largest file that is plain RIFF. */
const MOST_RIFF = 0xffffffff;

/**
 * The bytes before the samples: RIFF, or RF64 where the file would pass 4 GiB − 1; float files get the extended `fmt ` and a `fact` chunk.
 * `frames` is the number of samples a channel. What is told beside the samples stands before them.
 */
export function wavHeader(channels: number, sampleRate: number, encoding: ExportEncoding, frames: number, extras: WavExtras = {}): Uint8Array {
  const bytes = ENCODING_BYTES[encoding];
  const dataBytes = frames * channels * bytes;
  const float = encoding === "f32";
  const told = new Out();
  if (extras.broadcast) told.chunk("bext", broadcastChunk(extras.broadcast));
  if (extras.info?.length) {
    const list = new Out().text("INFO");
    for (const [name, value] of extras.info) list.chunk(name, new Out().text(`${asBytes(value)}\0`));
    told.chunk("LIST", list);
  }
  if (extras.marks?.length) told.bytes(markChunks(extras.marks).done());
  const plain = 12 + told.size + (float ? 26 : 24) + (float ? 12 : 0) + 8;
  const wide = plain + dataBytes + (dataBytes & 1) > MOST_RIFF;
  const size = plain + (wide ? 36 : 0);
  const riffBytes = size - 8 + dataBytes + (dataBytes & 1);
  const out = new Out()
    .text(wide ? "RF64" : "RIFF")
    .long(wide ? 0xffffffff : riffBytes)
    .text("WAVE");
  if (wide) out.chunk("ds64", new Out().wide(riffBytes).wide(dataBytes).wide(frames).long(0));
  out.bytes(told.done());
  const format = new Out()
    .word(float ? 3 : 1)
    .word(channels)
    .long(sampleRate)
    .long(sampleRate * channels * bytes);
  format.word(channels * bytes).word(bytes * 8);
  if (float) format.word(0);
  out.chunk("fmt ", format);
  if (float) out.chunk("fact", new Out().long(wide ? 0xffffffff : frames));
  return out
    .text("data")
    .long(wide ? 0xffffffff : dataBytes)
    .done();
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

/**
 * Error feedback that moves the noise of rounding to where ears hear it least: three taps, close to the ear's threshold at 44.1 and 48 kHz
 * (Wannamaker 1992). Each channel keeps its errors.
 */
const SHAPE = [1.623, -0.982, 0.109];

/** Rounds to the steps of an encoding with shaped, dithered noise, as floats on the steps; samples that lie on one are left alone while nothing is owed. */
export class ShapedDither {
  private state: number;
  private readonly owed: number[][] = [];

  constructor(
    seed: number,
    private readonly encoding: Exclude<ExportEncoding, "f32">,
  ) {
    this.state = seed >>> 0 || 0x9e3779b9;
  }

  private draw(): number {
    this.state ^= this.state << 13;
    this.state ^= this.state >>> 17;
    this.state ^= this.state << 5;
    this.state >>>= 0;
    return this.state / 2 ** 32;
  }

  /** Changes the first `count` samples of each channel in place. */
  apply(channels: readonly Float32Array[], count: number): void {
    const full = this.encoding === "i16" ? 32_768 : 8_388_608;
    for (const [c, x] of channels.entries()) {
      this.owed[c] ??= [0, 0, 0];
      const owed = this.owed[c];
      for (let i = 0; i < count; i++) {
        const exact = x[i] * full;
        const noise = this.draw() - this.draw();
        if (Number.isInteger(exact) && owed.every((e) => e === 0)) continue;
        const wished = exact - SHAPE[0] * owed[0] - SHAPE[1] * owed[1] - SHAPE[2] * owed[2];
        const whole = Math.max(-full, Math.min(full - 1, Math.floor(wished + noise + 0.5)));
        // What the end of the range takes is not owed.
        const error = Math.max(-2, Math.min(2, whole - wished));
        owed[2] = owed[1];
        owed[1] = owed[0];
        owed[0] = error;
        x[i] = whole / full;
      }
    }
  }
}
