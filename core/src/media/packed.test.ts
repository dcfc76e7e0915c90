import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { packSamples, unpackSamples, widthOf } from "./packed";
import { decodeFrames, type WavEncoding } from "./wav/reader";

/** Every pattern of bits there is: the samples of a file of one channel, as floats. */
const fileOf = (encoding: WavEncoding, bytes: Uint8Array): Float32Array => {
  const frameBytes = { u8: 1, i16: 2, i24: 3, i32: 4, f32: 4, f64: 8 }[encoding];
  const out = new Float32Array(Math.floor(bytes.length / frameBytes));
  decodeFrames(bytes.subarray(0, out.length * frameBytes), { channels: 1, encoding, frameBytes }, [out]);
  return out;
};

describe("packed samples", () => {
  for (const encoding of ["u8", "i16", "i24"] as const)
    it(`are those of a file of ${encoding} to the last bit`, () => {
      fc.assert(
        fc.property(fc.uint8Array({ minLength: 1, maxLength: 300 }), fc.nat(200), (bytes, times) => {
          const long = new Uint8Array(bytes.length * (times + 1));
          for (let k = 0; k <= times; k++) long.set(bytes, k * bytes.length);
          const samples = fileOf(encoding, long);
          const width = widthOf(encoding) as 2 | 3;
          const packed = packSamples(samples, width);
          expect(packed.length).toBe(samples.length * width);
          const again = unpackSamples(packed, width);
          expect(again.length).toBe(samples.length);
          expect(again.every((v, i) => Object.is(v, samples[i]))).toBe(true);
        }),
      );
    });
  it("take every 16-bit value, over more than one turn of the kernels", () => {
    const all = new Uint8Array(Int16Array.from({ length: 65_536 }, (_, i) => i - 32_768).buffer);
    const samples = fileOf("i16", all);
    expect(unpackSamples(packSamples(samples, 2), 2).every((v, i) => v === samples[i])).toBe(true);
    expect(packSamples(samples, 2).every((v, i) => v === all[i])).toBe(true);
  });
  it("leave floats as they are, wherever their bytes lie", () => {
    const floats = Float32Array.of(0.1, -0.7, 1.5, 3e-20);
    const bytes = new Uint8Array(17);
    bytes.set(new Uint8Array(floats.buffer), 1);
    expect(unpackSamples(bytes.subarray(1), 4)).toEqual(floats);
    expect([widthOf("f32"), widthOf("i32"), widthOf("f64")]).toEqual([4, 4, 4]);
  });
});
