import { createReadStream } from "node:fs";
import { writeFile } from "node:fs/promises";
import path from "node:path";
import { Dither, type ExportEncoding, encodeFrames, ShapedDither, type WavExtras, wavHeader } from "@wet-thread/core/media/wav/writer";
import type { OutFormatId, Samples } from "@wet-thread/core/media/writers";
import { OUT_FORMATS } from "@wet-thread/core/media/writers";
import { dropFolder, newFolder } from "../process/temporary";
import { feed, ffmpeg } from "./ffmpeg";

const ENCODINGS: Record<Samples, ExportEncoding> = { pcm16: "i16", pcm24: "i24", float32: "f32" };

/** Words about a file that it carries. */
export interface Tags {
  readonly title?: string;
  readonly artist?: string;
  readonly comment?: string;
  readonly year?: string;
}

/** A file that is to be written. */
export interface Writing {
  readonly format: OutFormatId;
  readonly samples: Samples;
  readonly channels: 1 | 2;
  readonly sampleRate: number;
  /** Samples a channel. */
  readonly frames: number;
  /** Kilobits a second, or for MP3 a quality from 0 (best) to 9 at whatever rate that takes. */
  readonly bits?: number;
  readonly quality?: number;
  readonly dither: boolean | "shaped";
  readonly seed: number;
  readonly tags: Tags;
  /** At the file's rate. */
  readonly marks: readonly { readonly position: number; readonly name: string }[];
  readonly broadcast?: WavExtras["broadcast"];
}

/** Samples to be written: the first `count` of each channel, which the writer may change. */
export interface SampleBlock {
  readonly planes: readonly Float32Array[];
  readonly count: number;
}

/** Samples as bytes of an encoding, dithered as asked. */
function encoder({ samples, dither, seed }: Writing): (piece: SampleBlock) => Uint8Array {
  const encoding = ENCODINGS[samples];
  if (encoding === "f32" || !dither) return ({ planes, count }) => encodeFrames(planes, count, encoding, null);
  if (dither === "shaped") {
    const shaped = new ShapedDither(seed, encoding);
    return ({ planes, count }) => {
      shaped.apply(planes, count);
      return encodeFrames(planes, count, encoding, null);
    };
  }
  const plain = new Dither(seed);
  return ({ planes, count }) => encodeFrames(planes, count, encoding, plain);
}

async function* wav(to: Writing, pieces: AsyncIterable<SampleBlock>): AsyncGenerator<Uint8Array> {
  const { title, artist, comment, year } = to.tags;
  const fields = [
    ["INAM", title],
    ["IART", artist],
    ["ICMT", comment],
    ["ICRD", year],
  ] as const;
  const info = fields.flatMap(([name, value]): [string, string][] => (value ? [[name, value]] : []));
  yield wavHeader(to.channels, to.sampleRate, ENCODINGS[to.samples], to.frames, { broadcast: to.broadcast, marks: to.marks, info });
  const encode = encoder(to);
  let bytes = 0;
  for await (const piece of pieces) {
    const part = encode(piece);
    bytes += part.length;
    yield part;
  }
  // Every chunk of WAV is padded to an even size.
  if (bytes % 2) yield new Uint8Array(1);
}

const escaped = (text: string): string => text.replace(/[=;#\\\n]/g, (c) => `\\${c}`);

/** Hours, minutes, seconds and milliseconds, as chapters among Vorbis comments are written. */
function clock(seconds: number): string {
  const ms = Math.round(seconds * 1000);
  const two = (n: number): string => String(Math.floor(n)).padStart(2, "0");
  return `${two(ms / 3_600_000)}:${two((ms / 60_000) % 60)}:${two((ms / 1000) % 60)}.${String(ms % 1000).padStart(3, "0")}`;
}

/** Tags and chapters in the form in which ffmpeg reads them; in FLAC and Opus chapters are tags themselves. */
function metadata({ format, tags, marks, frames, sampleRate }: Writing): string {
  const lines = [";FFMETADATA1"];
  const words = { title: tags.title, artist: tags.artist, comment: tags.comment, date: tags.year };
  for (const [name, value] of Object.entries(words)) if (value) lines.push(`${name}=${escaped(value)}`);
  for (const [i, { position, name }] of marks.entries()) {
    const chapter = `CHAPTER${String(i + 1).padStart(3, "0")}`;
    if (format === "mp3")
      lines.push("[CHAPTER]", `TIMEBASE=1/${sampleRate}`, `START=${position}`, `END=${marks[i + 1]?.position ?? frames}`, `title=${escaped(name)}`);
    else lines.push(`${chapter}=${clock(position / sampleRate)}`, `${chapter}NAME=${escaped(name)}`);
  }
  return `${lines.join("\n")}\n`;
}

/** What ffmpeg is told about a coded file. */
function coding({ format, samples, bits, quality }: Writing): string[] {
  if (format === "flac")
    return [
      "-c:a",
      "flac",
      "-compression_level",
      "5",
      ...(samples === "pcm24" ? ["-sample_fmt", "s32", "-bits_per_raw_sample", "24"] : ["-sample_fmt", "s16"]),
      "-f",
      "flac",
    ];
  if (format === "mp3")
    return [
      "-c:a",
      "libmp3lame",
      ...(quality === undefined ? ["-b:a", `${bits ?? OUT_FORMATS.mp3.bits.default}k`] : ["-q:a", String(quality)]),
      "-write_xing",
      "1",
      "-id3v2_version",
      "3",
      "-f",
      "mp3",
    ];
  return ["-c:a", "libopus", "-b:a", `${bits ?? OUT_FORMATS.opus.bits.default}k`, "-f", "opus"];
}

async function* coded(to: Writing, pieces: AsyncIterable<SampleBlock>): AsyncGenerator<Uint8Array> {
  const folder = await newFolder();
  const [about, out] = [path.join(folder, "about.txt"), path.join(folder, "out")];
  // FLAC keeps the very samples; what is coded with loss takes them as they are.
  const plain = to.format === "flac" ? { pcm16: "s16le", pcm24: "s24le", float32: "f32le" }[to.samples] : "f32le";
  const encode = encoder(to.format === "flac" ? to : { ...to, samples: "float32" });
  try {
    await writeFile(about, metadata(to));
    // With more than one input it looks for the next packet and sleeps ten milliseconds where there is none yet: it gets room to read ahead.
    const ahead = ["-thread_queue_size", "512"];
    const input = ["-f", plain, "-ar", String(to.sampleRate), "-ac", String(to.channels), ...ahead, "-i", "pipe:0", "-i", about];
    // Its header is written anew when all is known.
    const run = ffmpeg(["-y", ...input, "-map", "0:a", "-map_metadata", "1", "-map_chapters", "1", ...coding(to), out]);
    try {
      for await (const piece of pieces) if (!(await feed(run.into, encode(piece)))) break;
      run.into.end();
      await run.ended;
    } finally {
      run.kill();
    }
    yield* createReadStream(out, { highWaterMark: 1 << 20 }) as AsyncIterable<Uint8Array>;
  } finally {
    await dropFolder(folder);
  }
}

/** The bytes of a file of some samples. Throws MediaError in words. */
export function encoded(to: Writing, pieces: AsyncIterable<SampleBlock>): AsyncGenerator<Uint8Array> {
  return OUT_FORMATS[to.format].samples?.includes("float32" as never) ? wav(to, pieces) : coded(to, pieces);
}
