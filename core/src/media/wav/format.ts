import { type AudioFormat, checkShape, MOST_TOLD, type RecordingInfo, type Told, tag, tidy } from "../format";
import type { FileLayout, PcmEncoding } from "../pcm";
import { sampleBytes } from "../pcm";
import { type ByteSource, MediaError } from "../source";
import { readTold } from "./told";

/** A WAV file's samples, and what stands beside them. */
export interface WavInfo extends FileLayout {
  readonly sampleRate: number;
  /** Samples a channel that it says it has, where those are more than are there. */
  readonly said: number | null;
  readonly told: Told;
}

const UNKNOWN_SIZE = 0xffffffff;

const ENCODINGS: Record<string, PcmEncoding> = {
  "1 8": "u8",
  "1 16": "i16",
  "1 24": "i24",
  "1 32": "i32",
  "3 32": "f32",
  "3 64": "f64",
  "6 8": "alaw",
  "7 8": "ulaw",
};

/** Whether bytes start like a WAV file of the kinds read here; RIFX is one whose numbers run the other way round. */
export const looksLikeWav = (head: Uint8Array): boolean =>
  head.length >= 12 && ["RIFF", "RIFX", "RF64", "BW64"].includes(tag(head, 0)) && tag(head, 8) === "WAVE";

function readFormat(bytes: Uint8Array, little: boolean): Pick<WavInfo, "channels" | "sampleRate" | "encoding" | "frameBytes"> {
  if (bytes.length < 16) throw new MediaError("The file's format chunk is cut short.", "broken");
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let kind = v.getUint16(0, little);
  const channels = v.getUint16(2, little);
  const sampleRate = v.getUint32(4, little);
  const frameBytes = v.getUint16(12, little);
  const bits = v.getUint16(14, little);
  // WAVE_FORMAT_EXTENSIBLE: the real tag is the first two bytes of the sub-format.
  if (kind === 0xfffe) {
    if (bytes.length < 40) throw new MediaError("The file's extensible format chunk is cut short.", "broken");
    kind = v.getUint16(24, little);
    if (GUID_TAIL.some((b, i) => bytes[26 + i] !== b))
      throw new MediaError("The file's samples are of a kind that is not read here (its sub-format).", "broken");
  }
  const encoding = ENCODINGS[`${kind} ${bits}`];
  if (!encoding) throw new MediaError(`The file's samples are written in a way that is not read here (format ${kind}, ${bits} bits).`, "broken");
  checkShape(channels, sampleRate);
  if (frameBytes !== (channels * bits) / 8)
    throw new MediaError(
      `The file says ${frameBytes} bytes a frame where ${channels} channels of ${bits} bits take ${(channels * bits) / 8}.`,
      "broken",
    );
  const other = !little && sampleBytes(encoding) > 1;
  return { channels, sampleRate, encoding: other ? (`${encoding}be` as PcmEncoding) : encoding, frameBytes };
}

/** More chunks than this no file has: a file of thousands is made to keep its reader busy. */
const MOST_CHUNKS = 1000;
/** What follows the tag in the sub-format of every kind that is read here: the rest of KSDATAFORMAT_SUBTYPE's GUID. */
const GUID_TAIL = [0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71];
/** Chunks that tell something. */
const TELLING = ["bext", "cue ", "smpl", "iXML", "LIST"];

/**
 * Reads the chunks of a WAV, Broadcast WAV, RF64 or RIFX file. A data size of 0xFFFFFFFF in plain RIFF (written by
 * recorders that stream) means "to the end". Throws MediaError with the reason for anything that can't be read; where the end of the
 * samples is missing, what is there counts, and `said` tells how many there should be.
 */
export async function openWav(source: ByteSource): Promise<WavInfo> {
  const head = await source.read(0, 12);
  if (!looksLikeWav(head)) throw new MediaError("This is not a WAV file.", "unknown");
  const little = tag(head, 0) !== "RIFX";
  const wide = little && tag(head, 0) !== "RIFF";
  let dataSize64: number | undefined;
  let format: ReturnType<typeof readFormat> | undefined;
  let data: { dataOffset: number; frames: number; said: number | null } | undefined;
  const telling = new Map<string, Uint8Array[]>();
  for (let at = 12, chunks = 1; at + 8 <= source.size; chunks++) {
    const chunk = await source.read(at, 8);
    const name = tag(chunk, 0);
    if (!/^[ -~]{4}$/.test(name)) {
      // What follows the samples may be anything; before them, nothing can be found any more.
      if (data) break;
      throw new MediaError(`The file holds something at byte ${at} that is no chunk of a WAV file.`, "broken");
    }
    if (chunks > MOST_CHUNKS && data) break;
    if (chunks > MOST_CHUNKS) throw new MediaError(`The file has more than ${MOST_CHUNKS} chunks before its samples.`, "broken");
    let size = new DataView(chunk.buffer, chunk.byteOffset, 8).getUint32(4, little);
    if (name === "ds64") {
      const b = await source.read(at + 8, 28);
      if (b.length < 28) break;
      const v = new DataView(b.buffer, b.byteOffset, b.length);
      // A 64-bit size; beyond 2^53 no file exists.
      dataSize64 = v.getUint32(12, true) * 2 ** 32 + v.getUint32(8, true);
    } else if (name === "fmt ") {
      format ??= readFormat(await source.read(at + 8, Math.min(size, 64)), little);
    } else if (name === "data" && !data) {
      if (!format) throw new MediaError("The file has samples before it says how they are written.", "broken");
      const dataOffset = at + 8;
      const there = source.size - dataOffset;
      const said = size === UNKNOWN_SIZE ? (wide ? dataSize64 : there) : size;
      if (said === undefined) throw new MediaError("The file lacks the size of its samples (ds64).", "broken");
      const [whole, frames] = [said, Math.min(said, there)].map((n) => Math.floor(n / (format as { frameBytes: number }).frameBytes));
      if (frames === 0)
        throw new MediaError(whole > 0 ? "The file is cut short: of its samples none is there." : "The file holds no samples.", "broken");
      data = { dataOffset, frames, said: whole > frames ? whole : null };
      size = Math.min(said, there);
    } else if (TELLING.includes(name)) {
      const bytes = await source.read(at + 8, Math.min(size, MOST_TOLD));
      telling.set(name, [...(telling.get(name) ?? []), bytes]);
    }
    at += 8 + size + (size & 1);
  }
  if (!format) throw new MediaError("The file is cut short: its format is missing.", "broken");
  if (!data) throw new MediaError("The file ends before its samples.", "broken");
  return { ...format, ...data, told: tidy(readTold(telling, little), data.said ?? data.frames) };
}

export const wavFormat: AudioFormat = {
  name: "WAV, Broadcast WAV, RF64",
  endings: [".wav", ".wave", ".bwf", ".rf64"],
  coding: null,
  looksLike: looksLikeWav,
  async open(source): Promise<RecordingInfo> {
    const { sampleRate, said, told, ...layout } = await openWav(source);
    return { channels: layout.channels, sampleRate, frames: layout.frames, said, layout, told, notes: [] };
  },
};
