import type { PcmEncoding } from "@wet-thread/core/media/pcm";
import { describe, expect, it } from "vitest";
import { addSource, BASE, newProject, noise } from "../client";

const CHUNK = 65_536;

/** How an encoding writes a sample, told apart from the reader: bytes, format tag, and what is read back. */
interface Kind {
  readonly bytes: number;
  readonly tag: number;
  put(v: DataView, at: number, x: number): number;
}
function whole(bytes: number, write: (v: DataView, at: number, n: number) => void): Kind {
  const full = 2 ** (8 * bytes - 1);
  const put = (v: DataView, at: number, x: number): number => {
    // −0 is 0, as bytes know no other.
    const n = Math.round(x * (full - 1)) + 0;
    write(v, at, n);
    return n / full;
  };
  return { bytes, tag: 1, put };
}
function float(bytes: number, write: (v: DataView, at: number, x: number) => void): Kind {
  const put = (v: DataView, at: number, x: number): number => {
    write(v, at, x);
    return x;
  };
  return { bytes, tag: 3, put };
}
const KINDS: Partial<Record<PcmEncoding, Kind>> = {
  u8: whole(1, (v, at, n) => v.setUint8(at, n + 128)),
  i16: whole(2, (v, at, n) => v.setInt16(at, n, true)),
  i24: whole(3, (v, at, n) => {
    v.setUint16(at, n & 0xffff, true);
    v.setInt8(at + 2, n >> 16);
  }),
  i32: whole(4, (v, at, n) => v.setInt32(at, n, true)),
  f32: float(4, (v, at, x) => v.setFloat32(at, x, true)),
  f64: float(8, (v, at, x) => v.setFloat64(at, x, true)),
};

/** A file with something long before its samples and something after them, and what its samples are. */
function fileOf(encoding: PcmEncoding, channels: number, frames: number, before: number): { file: Uint8Array<ArrayBuffer>; samples: Float32Array[] } {
  const { bytes, tag, put } = KINDS[encoding] as Kind;
  const size = frames * channels * bytes;
  const file = new Uint8Array(12 + 24 + 8 + before + (before & 1) + 8 + size + (size & 1) + 8);
  const v = new DataView(file.buffer);
  const text = (at: number, s: string): void => {
    for (let i = 0; i < s.length; i++) file[at + i] = s.charCodeAt(i);
  };
  text(0, "RIFF");
  v.setUint32(4, file.length - 8, true);
  text(8, "WAVEfmt ");
  v.setUint32(16, 16, true);
  v.setUint16(20, tag, true);
  v.setUint16(22, channels, true);
  v.setUint32(24, 48_000, true);
  v.setUint32(28, 48_000 * channels * bytes, true);
  v.setUint16(32, channels * bytes, true);
  v.setUint16(34, bytes * 8, true);
  text(36, "note");
  v.setUint32(40, before, true);
  let at = 44 + before + (before & 1);
  text(at, "data");
  v.setUint32(at + 4, size, true);
  at += 8;
  const from = Array.from({ length: channels }, (_, c) => noise(frames, 7 + c));
  const samples = from.map((x) => new Float32Array(x.length));
  for (let i = 0; i < frames; i++) for (let c = 0; c < channels; c++, at += bytes) samples[c][i] = put(v, at, from[c][i]);
  text(at + (size & 1), "tail");
  return { file, samples };
}

async function chunkOf(sourceId: string, chunk: number): Promise<Float32Array | number> {
  const answer = await fetch(`${BASE}/api/sources/${sourceId}/pcm?chunk=${chunk}`);
  return answer.ok ? new Float32Array(await answer.arrayBuffer()) : answer.status;
}

describe("samples of a recording", () => {
  it.each([
    ["u8", 1, 150_001, 0],
    ["i16", 2, 400_000, 999_999],
    ["i24", 5, 150_000, 1_048_491],
    ["i32", 1, 65_536, 12],
    ["f32", 3, 131_073, 2_000_003],
    ["f64", 2, 140_000, 0],
  ] as const)("of %s files with %i channels are the file's own, wherever they lie in it", async (encoding, channels, frames, before) => {
    const { projectId } = await newProject();
    const { file, samples } = fileOf(encoding, channels, frames, before);
    const source = await addSource(projectId, file);
    expect(source).toMatchObject({ status: "ready", length: frames, channels });
    const chunks = Math.ceil(frames / CHUNK);
    for (let k = 0; k < chunks; k++) {
      const got = await chunkOf(source.id, k);
      const length = Math.min(CHUNK, frames - k * CHUNK);
      const expected = new Float32Array(length * channels);
      for (const [c, x] of samples.entries()) expected.set(x.subarray(k * CHUNK, k * CHUNK + length), c * length);
      expect(Buffer.compare(Buffer.from((got as Float32Array).buffer), Buffer.from(expected.buffer))).toBe(0);
    }
    expect(await chunkOf(source.id, chunks)).toBe(404);
  });

  it("are none while it is not ready, or never was one", async () => {
    const { projectId } = await newProject();
    const { file } = fileOf("f32", 1, 1000, 0);
    new DataView(file.buffer).setFloat32(44 + 8 + 400, Number.NaN, true);
    const source = await addSource(projectId, file);
    expect(source.status).toBe("failed");
    expect(await chunkOf(source.id, 0)).toBe(404);
    expect(await chunkOf("nothing", 0)).toBe(404);
  });
});
