import { aiffFormat } from "./aiff/format";
import { flacFormat } from "./flac/format";
import type { AudioFormat } from "./format";
import { movFormat } from "./mov/format";
import { mp3Format } from "./mp3/format";
import { id3Size } from "./mp3/id3";
import { oggFormat } from "./ogg/format";
import { type ByteSource, MediaError } from "./source";
import { wavFormat } from "./wav/format";

/** Every format that recordings may come in: the one place where a format is added. The first that knows a file's bytes reads it. */
export const FORMATS: readonly AudioFormat[] = [wavFormat, aiffFormat, flacFormat, oggFormat, movFormat, mp3Format];

/** What is read, for people. */
export const READ_HERE = FORMATS.map((f) => f.name).join(", ");
export const ENDINGS: readonly string[] = FORMATS.flatMap((f) => f.endings);

/** Bytes by which a format is told. */
export const HEAD_BYTES = 16;

/** Whether bytes start like a file that may be read here; a tag in front hides what it is. */
export const looksLikeAudio = (head: Uint8Array): boolean => FORMATS.some((f) => f.looksLike(head));

/** The format of a file, told by its content. Throws MediaError "unknown". */
export async function formatOf(source: ByteSource): Promise<AudioFormat> {
  const head = await source.read(0, HEAD_BYTES);
  const behind = id3Size(head);
  const own = behind > 0 ? await source.read(behind, HEAD_BYTES) : head;
  const format = FORMATS.find((f) => f.looksLike(own)) ?? (behind > 0 ? mp3Format : undefined);
  if (!format) throw new MediaError(`This file is not audio of a kind that is read here (${READ_HERE}).`, "unknown");
  return format;
}
