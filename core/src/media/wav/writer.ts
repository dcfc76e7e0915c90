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

/**
 * Triangular noise of ±1 step (TPDF), the same for the same seed whatever the block size: xorshift32, two draws a sample.
 */
export class Dither {
  private state: number;

  constructor(seed: number) {
    this.state = seed >>> 0 || 0x9e3779b9;
  }

  private draw(): number {
    let s = this.state;
    s ^= s << 13;
    s ^= s >>> 17;
    s ^= s << 5;
    this.state = s >>> 0;
    return this.state / 2 ** 32;
  }

  /** A value in (−1, 1), in steps of the integer. */
  next(): number {
    return this.draw() - this.draw();
  }
}

/**
 * Interleaves and encodes `count` frames. Integers round to the nearest step and stop at the ends of their range; with `dither`,
 * each sample that does not already lie on a step gets its noise first, so that untouched integer audio comes out as it was.
 */
export function encodeFrames(channels: readonly Float32Array[], count: number, encoding: ExportEncoding, dither: Dither | null): Uint8Array {
  const width = ENCODING_BYTES[encoding];
  const out = new Uint8Array(count * channels.length * width);
  const v = new DataView(out.buffer);
  const full = encoding === "i16" ? 32_768 : 8_388_608;
  let at = 0;
  for (let i = 0; i < count; i++) {
    for (const channel of channels) {
      if (encoding === "f32") {
        v.setFloat32(at, channel[i], true);
      } else {
        const exact = channel[i] * full;
        const noise = dither?.next() ?? 0;
        const value = Math.max(-full, Math.min(full - 1, Math.round(Number.isInteger(exact) ? exact : exact + noise)));
        if (encoding === "i16") v.setInt16(at, value, true);
        else {
          out[at] = value & 0xff;
          out[at + 1] = (value >> 8) & 0xff;
          out[at + 2] = (value >> 16) & 0xff;
        }
      }
      at += width;
    }
  }
  return out;
}
