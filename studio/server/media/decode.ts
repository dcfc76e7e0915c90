import { createWriteStream } from "node:fs";
import path from "node:path";
import { pipeline } from "node:stream/promises";
import type { AudioFormat, RecordingInfo, Survey } from "@wet-thread/core/media/format";
import { decodeFrames } from "@wet-thread/core/media/pcm";
import { type ByteSource, MediaError } from "@wet-thread/core/media/source";
import { dropFolder, newFolder } from "../process/temporary";
import { feed, ffmpeg, type Run } from "./ffmpeg";

/** Bytes read in one go. */
const READ = 1 << 20;
/** A decoder may end so many samples early without a word: the rest of its last block is silent. */
const SLACK = 4096;

/** A stretch of a file's samples: the first `count` of each channel. They are used again for the next. */
export interface SampleBlock {
  readonly planes: readonly Float32Array[];
  readonly count: number;
}

/** How a file was read: what it turned out to hold. Filled in when the last stretch has been given. */
export interface Outcome {
  frames: number;
  said: number | null;
  cut: boolean;
  readonly notes: string[];
}

async function* plain(bytes: ByteSource, info: RecordingInfo): AsyncGenerator<SampleBlock> {
  const { layout } = info;
  if (!layout) return;
  const framesARead = Math.floor(READ / layout.frameBytes);
  const planes = Array.from({ length: layout.channels }, () => new Float32Array(framesARead));
  const read = (frame: number) =>
    bytes.read(layout.dataOffset + frame * layout.frameBytes, Math.min(framesARead, Math.max(0, layout.frames - frame)) * layout.frameBytes);
  let coming = read(0);
  for (let frame = 0; frame < layout.frames; frame += framesARead) {
    const now = await coming;
    // The next bytes come while these are worked on.
    coming = read(frame + framesARead);
    coming.catch(() => {});
    const bad = decodeFrames(now, layout, planes);
    if (bad)
      throw new MediaError(
        `The file has samples that are not numbers, the first at sample ${frame + bad.frame} of channel ${bad.channel + 1}.`,
        "broken",
      );
    yield { planes, count: Math.min(framesARead, layout.frames - frame) };
  }
}

/** The bytes of a file that a decoder is given. */
async function* chosen(bytes: ByteSource, whole: Survey["whole"]): AsyncGenerator<Uint8Array> {
  for (const { from, to } of whole ?? [{ from: 0, to: bytes.size }])
    for (let at = from; at < to; at += READ) yield await bytes.read(at, Math.min(READ, to - at));
}

/** Interleaved 32-bit floats as they come out of a decoder. */
async function* planar(run: Run, channels: number): AsyncGenerator<SampleBlock> {
  const planes = Array.from({ length: channels }, () => new Float32Array(READ / 4));
  let rest: Buffer = Buffer.alloc(0);
  for await (const piece of run.out as AsyncIterable<Buffer>) {
    const all = rest.length > 0 ? Buffer.concat([rest, piece]) : piece;
    const count = Math.floor(all.length / (4 * channels));
    // Floats lie on multiples of four bytes; what comes from a pipe need not.
    const own = all.byteOffset % 4 === 0 ? all : Buffer.from(all);
    const floats = new Float32Array(own.buffer, own.byteOffset, count * channels);
    for (let from = 0; from < count; from += planes[0].length) {
      const n = Math.min(planes[0].length, count - from);
      for (let c = 0; c < channels; c++) for (let i = 0, at = from * channels + c; i < n; i++, at += channels) planes[c][i] = floats[at];
      yield { planes, count: n };
    }
    rest = Buffer.from(all.subarray(count * channels * 4));
  }
}

/**
 * What a decoder gives, laid as it belongs: silence where frames are missing, nothing of what comes before the sound or after it. Says in
 * `outcome` how much there was.
 */
async function* laid(given: AsyncGenerator<SampleBlock>, channels: number, survey: Survey, outcome: Outcome): AsyncGenerator<SampleBlock> {
  const silence = Array.from({ length: channels }, () => new Float32Array(READ / 16));
  const gaps = [...survey.gaps];
  const end = survey.frames ?? Number.POSITIVE_INFINITY;
  let [decoded, place] = [0, -survey.skip];
  const cut = function* (planes: readonly Float32Array[], from: number, count: number): Generator<SampleBlock> {
    const [a, b] = [Math.max(0, -place), Math.min(count, end - place)];
    if (b > a) yield { planes: planes.map((p) => p.subarray(from + a, from + b)), count: b - a };
    place += count;
  };
  const still = function* (frames: number): Generator<SampleBlock> {
    for (let left = frames; left > 0; left -= silence[0].length) yield* cut(silence, 0, Math.min(left, silence[0].length));
  };
  for await (const { planes, count } of given) {
    let from = 0;
    while (gaps.length > 0 && gaps[0].at <= decoded + count - from) {
      const n = gaps[0].at - decoded;
      if (n > 0) yield* cut(planes, from, n);
      from += n;
      decoded += n;
      yield* still(gaps[0].frames);
      gaps.shift();
    }
    yield* cut(planes, from, count - from);
    decoded += count - from;
    if (place >= end) break;
  }
  for (const gap of gaps) yield* still(gap.frames);
  const short = Number.isFinite(end) ? end - place : 0;
  if (short > 0 && short <= SLACK) yield* still(short);
  outcome.frames = Math.max(0, Math.min(place, end));
  outcome.said = survey.said ?? (short > SLACK ? end : null);
}

async function* decodedBy(
  format: AudioFormat,
  bytes: ByteSource,
  info: RecordingInfo,
  survey: Survey,
  outcome: Outcome,
): AsyncGenerator<SampleBlock> {
  // Some can only be read by looking about in the file.
  const folder = format.coding === "mov" ? await newFolder() : null;
  const file = folder && path.join(folder, "recording");
  let run: Run | undefined;
  try {
    if (file) await pipeline(chosen(bytes, survey.whole), createWriteStream(file));
    const from = file ? ["-ignore_editlist", "1", "-i", file] : ["-i", "pipe:0"];
    // Where a frame can't be decoded, its time stays, and is silent; FLAC and Ogg tell of that themselves.
    const even = format.coding === "mov" || format.coding === "mp3" ? ["-af", "aresample=async=1:min_hard_comp=0.0001:first_pts=0"] : [];
    const shape = ["-ac", String(info.channels), "-ar", String(info.sampleRate)];
    run = ffmpeg([
      "-flags2",
      "+skip_manual",
      "-f",
      format.coding ?? "",
      ...from,
      "-map",
      "0:a:0",
      ...even,
      ...(format.coding === "ogg" ? [] : shape),
      "-c:a",
      "pcm_f32le",
      "-f",
      "f32le",
      "pipe:1",
    ]);
    const { into } = run;
    const feeding = (async () => {
      if (!file) for await (const piece of chosen(bytes, survey.whole)) if (!(await feed(into, piece))) break;
      into.end();
    })();
    feeding.catch(() => run?.kill());
    yield* laid(planar(run, info.channels), info.channels, survey, outcome);
    run.out.destroy();
    await feeding;
    // One that was not read to its end is ended, and has nothing to say.
    if (outcome.frames === 0) await run.ended;
    if (even.length > 0 && run.complaints() && survey.gaps.length === 0 && outcome.said === null)
      outcome.notes.push("Parts of the file are damaged: they are silent, or do not sound as they did.");
  } finally {
    run?.kill();
    if (folder) await dropFolder(folder);
  }
}

const seconds = (frames: number, rate: number): string => `${(frames / rate).toFixed(frames < rate / 10 ? 3 : 1)} s`;

/** The samples of a file, stretch by stretch, with what it turned out to hold. Throws MediaError with the reason for what can't be read. */
export async function decode(
  format: AudioFormat,
  bytes: ByteSource,
  info: RecordingInfo,
): Promise<{ stretches: AsyncGenerator<SampleBlock>; outcome: Outcome }> {
  const outcome: Outcome = { frames: info.frames ?? 0, said: info.said, cut: false, notes: [...info.notes] };
  if (info.layout) return { stretches: plain(bytes, info), outcome };
  const survey = await format.survey?.(bytes);
  if (!survey) throw new MediaError(`${format.name} can't be decoded here.`, "broken");
  outcome.cut = survey.cut;
  const lost = survey.gaps.reduce((sum, g) => sum + g.frames, 0);
  if (lost > 0)
    outcome.notes.push(
      `The file is damaged in ${survey.gaps.length} ${survey.gaps.length === 1 ? "place" : "places"}: ${seconds(lost, info.sampleRate)} in all ${survey.gaps.length === 1 ? "is" : "are"} silent.`,
    );
  return { stretches: decodedBy(format, bytes, info, survey, outcome), outcome };
}
