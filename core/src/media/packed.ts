import { type Kernels, newKernels } from "../kernels/kernels";
import type { WavEncoding } from "./wav/reader";

/** Bytes in which a sample is stored: 2 or 3 for a whole number, 4 for a float. */
export type Width = 2 | 3 | 4;

const WIDTHS: Readonly<Record<WavEncoding, Width>> = { u8: 2, i16: 2, i24: 3, i32: 4, f32: 4, f64: 4 };
/** The fewest bytes that hold a file's samples to the last bit of what they are as 32-bit floats. */
export const widthOf = (encoding: WavEncoding): Width => WIDTHS[encoding];

/** Samples that go through the kernels at a time. */
const ROOM = 16_384;
let kernels: Kernels | null = null;

/**
 * Floats as little-endian whole numbers of 2 or 3 bytes. Exact for samples that are whole numbers of steps of 1/2^(8 · width − 1) in
 * [−1, 1), as those of a file with so many bits are; others would be rounded.
 */
export function packSamples(samples: Float32Array, width: 2 | 3): Uint8Array<ArrayBuffer> {
  kernels ??= newKernels(2 * ROOM);
  const out = new Uint8Array(samples.length * width);
  for (let at = 0; at < samples.length; at += ROOM) {
    const n = Math.min(ROOM, samples.length - at);
    kernels.floats.set(samples.subarray(at, at + n));
    kernels.encode(0, ROOM, 1, n, width, 0, ROOM * 4);
    out.set(kernels.bytes.subarray(ROOM * 4, ROOM * 4 + n * width), at * width);
  }
  return out;
}

/** The floats that were stored in so many bytes each. Floats that lie on a multiple of 4 are seen in place, not copied. */
export function unpackSamples(bytes: Uint8Array<ArrayBuffer>, width: Width): Float32Array<ArrayBuffer> {
  const count = Math.floor(bytes.length / width);
  if (width === 4) {
    const whole = bytes.byteOffset % 4 === 0 ? bytes : bytes.slice();
    return new Float32Array(whole.buffer, whole.byteOffset, count);
  }
  kernels ??= newKernels(2 * ROOM);
  const out = new Float32Array(count);
  for (let at = 0; at < count; at += ROOM) {
    const n = Math.min(ROOM, count - at);
    kernels.bytes.set(bytes.subarray(at * width, (at + n) * width));
    kernels.decode(0, 1, width, n, ROOM, ROOM);
    out.set(kernels.floats.subarray(ROOM, ROOM + n), at);
  }
  return out;
}
