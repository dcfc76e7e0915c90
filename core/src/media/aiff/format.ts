import { type AudioFormat, checkShape, latin, MOST_TOLD, type Told, tag, tidy } from "../format";
import { type PcmEncoding, sampleBytes } from "../pcm";
import { type ByteSource, MediaError } from "../source";
import { fromBytes } from "../text";

/** Compression types of AIFF-C that are plain samples; the others say how many bits they have. */
const KINDS: Record<string, PcmEncoding> = {
  fl32: "f32be",
  FL32: "f32be",
  fl64: "f64be",
  FL64: "f64be",
  in24: "i24be",
  in32: "i32be",
  alaw: "alaw",
  ALAW: "alaw",
  ulaw: "ulaw",
  ULAW: "ulaw",
  "raw ": "u8",
};

/** An 80-bit extended number (IEEE 754): how AIFF writes its sample rate. */
function extended(v: DataView, at: number): number {
  const exponent = v.getUint16(at) & 0x7fff;
  return (v.getUint32(at + 2) * 2 ** 32 + v.getUint32(at + 6)) * 2 ** (exponent - 16_383 - 63);
}

function encodingOf(kind: string, bits: number): PcmEncoding {
  if (KINDS[kind]) return KINDS[kind];
  const width = Math.ceil(bits / 8) * 8;
  if (["NONE", "twos", "sowt"].includes(kind) && width >= 8 && width <= 32)
    return width === 8 ? "i8" : (`i${width}${kind === "sowt" ? "" : "be"}` as PcmEncoding);
  throw new MediaError(`The file's samples are written in a way that is not read here (AIFF-C ${kind}, ${bits} bits).`, "broken");
}

function common(b: Uint8Array, compressed: boolean) {
  if (b.length < (compressed ? 22 : 18)) throw new MediaError("The file's COMM chunk is cut short.", "broken");
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const channels = v.getUint16(0);
  const sampleRate = Math.round(extended(v, 8));
  checkShape(channels, sampleRate);
  const encoding = encodingOf(compressed ? tag(b, 18) : "NONE", v.getUint16(6));
  return { channels, sampleRate, encoding, said: v.getUint32(2), frameBytes: channels * sampleBytes(encoding) };
}

interface Marker {
  readonly id: number;
  readonly position: number;
  readonly name: string;
}

function markers(b: Uint8Array): Marker[] {
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const out: Marker[] = [];
  for (let at = 2; at + 7 <= b.length && out.length < 10_000; ) {
    const length = b[at + 6];
    out.push({ id: v.getUint16(at), position: v.getUint32(at + 2), name: fromBytes(latin(b.subarray(at + 7, at + 7 + length))) });
    // A name and its length together take an even number of bytes.
    at += 6 + length + 1 + ((length + 1) & 1);
  }
  return out;
}

/** Loops name the markers that they run between. */
function instrumentLoops(b: Uint8Array, marks: readonly Marker[]): Told["loops"] {
  if (b.length < 20) return [];
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const place = (id: number): number => marks.find((m) => m.id === id)?.position ?? -1;
  return [8, 14].flatMap((at) => (v.getUint16(at) === 0 ? [] : [{ start: place(v.getUint16(at + 2)), end: place(v.getUint16(at + 4)) }]));
}

const MOST_CHUNKS = 1000;

/** AIFF and AIFF-C (with plain samples, A-law and µ-law). */
export const aiffFormat: AudioFormat = {
  name: "AIFF, AIFF-C",
  endings: [".aif", ".aiff", ".aifc"],
  coding: null,
  looksLike: (head) => head.length >= 12 && tag(head, 0) === "FORM" && ["AIFF", "AIFC"].includes(tag(head, 8)),
  async open(source: ByteSource) {
    const compressed = tag(await source.read(0, 12), 8) === "AIFC";
    let format: ReturnType<typeof common> | undefined;
    let sound: { at: number; there: number } | undefined;
    let [marks, inst, title]: [Marker[], Uint8Array | null, string | null] = [[], null, null];
    for (let at = 12, chunks = 0; at + 8 <= source.size && chunks < MOST_CHUNKS; chunks++) {
      const chunk = await source.read(at, 8);
      const name = tag(chunk, 0);
      if (!/^[ -~]{4}$/.test(name)) break;
      const size = new DataView(chunk.buffer, chunk.byteOffset, 8).getUint32(4);
      const body = () => source.read(at + 8, Math.min(size, MOST_TOLD));
      if (name === "COMM") format ??= common(await body(), compressed);
      else if (name === "SSND" && !sound) {
        const b = await source.read(at + 8, 8);
        if (b.length < 8) break;
        const first = at + 16 + new DataView(b.buffer, b.byteOffset, 8).getUint32(0);
        sound = { at: first, there: Math.max(0, Math.min(source.size, at + 8 + size) - first) };
      } else if (name === "MARK") marks = markers(await body());
      else if (name === "INST") inst = await body();
      else if (name === "NAME") title = fromBytes(latin(await body()));
      at += 8 + size + (size & 1);
    }
    if (!format) throw new MediaError("The file is cut short: its COMM chunk, which says how it is written, is missing.", "broken");
    if (!sound) throw new MediaError("The file ends before its samples.", "broken");
    const { said, sampleRate, ...rest } = format;
    const frames = Math.min(said, Math.floor(sound.there / rest.frameBytes));
    if (frames === 0)
      throw new MediaError(said > 0 ? "The file is cut short: of its samples none is there." : "The file holds no samples.", "broken");
    return {
      channels: rest.channels,
      sampleRate,
      frames,
      said: said > frames ? said : null,
      layout: { ...rest, dataOffset: sound.at, frames },
      told: tidy({ marks, loops: inst ? instrumentLoops(inst, marks) : [], title }, said),
      notes: [],
    };
  },
};
