import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise } from "../../testing/arbitraries";
import { decodeFrames } from "../pcm";
import { memorySource } from "../source";
import { openWav } from "./format";
import { Dither, type ExportEncoding, encodeFrames, wavHeader } from "./writer";

const join = (...parts: Uint8Array[]): Uint8Array => {
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
};
const wav = (channels: Float32Array[], encoding: ExportEncoding, dither: Dither | null = null) =>
  join(wavHeader(channels.length, 48_000, encoding, channels[0].length), encodeFrames(channels, channels[0].length, encoding, dither));
async function read(bytes: Uint8Array) {
  const info = await openWav(memorySource(bytes));
  const out = Array.from({ length: info.channels }, () => new Float32Array(info.frames));
  const bad = decodeFrames(bytes.subarray(info.dataOffset, info.dataOffset + info.frames * info.frameBytes), info, out);
  return { info, out, bad };
}

/** A header written by hand, byte by byte, apart from the writer. */
function byHand(tag: number, channels: number, bits: number, data: Uint8Array, extensible = false): Uint8Array {
  const fmt = new DataView(new ArrayBuffer(extensible ? 40 : 16));
  [extensible ? 0xfffe : tag, channels].forEach((n, i) => fmt.setUint16(2 * i, n, true));
  fmt.setUint32(4, 44_100, true);
  fmt.setUint32(8, (44_100 * channels * bits) / 8, true);
  fmt.setUint16(12, (channels * bits) / 8, true);
  fmt.setUint16(14, bits, true);
  if (extensible) {
    fmt.setUint16(24, tag, true);
    // The rest of the kind's long name, the same for every kind of samples.
    [0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71].forEach((byte, i) => fmt.setUint8(26 + i, byte));
  }
  const word = (n: number) => new Uint8Array(new Uint32Array([n]).buffer);
  const text = (s: string) => Uint8Array.from(s, (c) => c.charCodeAt(0));
  return join(
    text("RIFF"),
    word(0),
    text("WAVE"),
    text("LIST"),
    word(3),
    new Uint8Array(4),
    text("fmt "),
    word(fmt.byteLength),
    new Uint8Array(fmt.buffer),
    text("data"),
    word(data.length),
    data,
  );
}

describe("WAV", () => {
  it.each(["i16", "i24", "f32"] as const)("reads back what it wrote as %s, to the step", async (encoding) => {
    const channels = [noise(777, 5), noise(777, 6)];
    const step = { i16: 1 / 65_000, i24: 1 / 16_000_000, f32: 0 }[encoding];
    const { info, out, bad } = await read(wav(channels, encoding));
    expect([info.channels, info.sampleRate, info.frames, bad]).toEqual([2, 48_000, 777, null]);
    out.forEach((c, k) => c.forEach((v, i) => expect(Math.abs(v - channels[k][i])).toBeLessThanOrEqual(step)));
  });
  it("writes untouched integer audio as it was, dither or not", () => {
    const steps = Float32Array.from({ length: 500 }, (_, i) => (i - 250) / 32_768);
    expect(encodeFrames([steps], 500, "i16", new Dither(1))).toEqual(encodeFrames([steps], 500, "i16", null));
  });
  it("dithers alike for a seed whatever the block, with an even spread", () => {
    const quiet = new Float32Array(40_000).fill(0.3 / 32_768);
    const whole = encodeFrames([quiet], 40_000, "i16", new Dither(7));
    const d = new Dither(7);
    expect(join(encodeFrames([quiet], 1234, "i16", d), encodeFrames([quiet], 38_766, "i16", d))).toEqual(whole);
    const mean = new Int16Array(whole.buffer).reduce((a, b) => a + b, 0) / 40_000;
    expect(Math.abs(mean - 0.3)).toBeLessThan(0.02);
  });
  it("reads 8, 16, 24 and 32 bits, floats and extensible headers, skipping chunks it does not know", async () => {
    expect((await read(byHand(1, 1, 8, Uint8Array.of(0, 128, 255)))).out[0]).toEqual(Float32Array.of(-1, 0, 127 / 128));
    expect((await read(byHand(1, 1, 16, Uint8Array.of(0, 128, 255, 127), true))).out[0]).toEqual(Float32Array.of(-1, 32_767 / 32_768));
    expect((await read(byHand(1, 1, 24, Uint8Array.of(0, 0, 128, 255, 255, 255)))).out[0]).toEqual(Float32Array.of(-1, -1 / 8_388_608));
    expect((await read(byHand(1, 1, 32, new Uint8Array(new Int32Array([-(2 ** 31), 2 ** 30]).buffer)))).out[0]).toEqual(Float32Array.of(-1, 0.5));
    expect((await read(byHand(3, 1, 64, new Uint8Array(new Float64Array([0.25, -3]).buffer)))).out[0]).toEqual(Float32Array.of(0.25, -3));
  });
  it("writes RF64 past 4 GB and reads its sizes", async () => {
    const frames = 800_000_000;
    const header = wavHeader(2, 48_000, "f32", frames);
    const info = await openWav({ size: header.length + frames * 8, read: async (o, n) => header.slice(o, o + n) });
    expect([info.frames, info.encoding]).toEqual([frames, "f32"]);
  });
  it("finds samples that are not numbers", async () => {
    const channels = [noise(50, 1), noise(50, 2)];
    channels[1][7] = Number.NaN;
    channels[0][9] = Number.POSITIVE_INFINITY;
    expect((await read(wav(channels, "f32"))).bad).toEqual({ channel: 1, frame: 7 });
  });
  const whole = wav([noise(100, 1)], "i16");
  it.each<[string, Uint8Array, RegExp]>([
    ["no bytes", new Uint8Array(0), /not a WAV/],
    ["text", Uint8Array.from("a letter to the mill, long enough to look at", (c) => c.charCodeAt(0)), /not a WAV/],
    ["a header and no sample of many", whole.subarray(0, 44), /cut short: of its samples none/],
    ["a header alone", whole.subarray(0, 20), /cut short/],
    ["no samples", wav([new Float32Array(0)], "i16"), /no samples/],
    ["1,000 channels", byHand(1, 1000, 16, new Uint8Array(2000)), /1000 channels; up to 32/],
    ["an unknown coding", byHand(85, 1, 16, new Uint8Array(8)), /format 85/],
    ["no format", join(whole.subarray(0, 12), whole.subarray(36)), /before it says how/],
  ])("refuses %s with the reason", async (_, bytes, message) => {
    await expect(openWav(memorySource(bytes))).rejects.toThrow(message);
  });
  it("never hangs or crashes on broken bytes", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 255 })), { maxLength: 12 }),
        fc.integer({ min: 0, max: 244 }),
        async (changes, length) => {
          const bytes = whole.slice(0, length);
          for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
          await read(bytes).catch((error) => expect(error.name).toBe("MediaError"));
        },
      ),
    );
  });
});
