import type { FileLayout } from "./pcm";
import { type ByteSource, MediaError } from "./source";

/** What a file tells beside its samples. Places are samples at the file's own rate. */
export interface Told {
  readonly marks: readonly { readonly position: number; readonly name: string }[];
  /** Half-open. */
  readonly loops: readonly { readonly start: number; readonly end: number }[];
  /** Where its first sample lies on the clock that it was recorded by, in samples from midnight. */
  readonly timeReference: number | null;
  readonly title: string | null;
  readonly scene: string | null;
  readonly take: string | null;
}

export const NOTHING_TOLD: Told = { marks: [], loops: [], timeReference: null, title: null, scene: null, take: null };

/** A file that has been opened: what its first bytes tell. */
export interface RecordingInfo {
  readonly channels: number;
  /** Samples a second. */
  readonly sampleRate: number;
  /** Samples a channel that are there; null where only looking through all of it tells. */
  readonly frames: number | null;
  /** Samples a channel that the file says it has, where those are more than are there. */
  readonly said: number | null;
  /** Where its samples lie; null where they are coded. */
  readonly layout: FileLayout | null;
  readonly told: Told;
  /** What people should know of how it was read. */
  readonly notes: readonly string[];
}

/** So many samples of a channel that are missing before a place, both counted in what the decoder gives. */
export interface Gap {
  readonly at: number;
  readonly frames: number;
}

/** A coded file that has been looked through: what a decoder is given, and what is done with what it gives. */
export interface Survey {
  /** The bytes that are whole, in order; null for all of them, where a decoder has to look about in them. */
  readonly whole: readonly { readonly from: number; readonly to: number }[] | null;
  /** Samples that a decoder gives before the sound begins. */
  readonly skip: number;
  /** Samples a channel in all, gaps among them; null where only decoding tells. */
  readonly frames: number | null;
  readonly said: number | null;
  /** Whether its end is missing, though it does not tell how much of it. */
  readonly cut: boolean;
  readonly gaps: readonly Gap[];
}

/** One format: everything that is known of it lies in its folder, and it is named once, in `formats.ts`. */
export interface AudioFormat {
  /** For people. */
  readonly name: string;
  /** The endings that its files have, for the file dialog; they are never trusted. */
  readonly endings: readonly string[];
  /** What a decoder calls it, where its samples are coded. */
  readonly coding: "flac" | "mp3" | "ogg" | "mov" | null;
  /** Whether bytes start like one: at least 16 of them, or the whole file. */
  looksLike(head: Uint8Array): boolean;
  /** Reads what comes before the samples. Throws MediaError with the reason for what can't be read. */
  open(source: ByteSource): Promise<RecordingInfo>;
  /** Looks through a coded file for what is damaged. Throws MediaError. */
  survey?(source: ByteSource): Promise<Survey>;
}

export const MAX_CHANNELS = 32;
export const MIN_RATE = 4000;
export const MAX_RATE = 768_000;

/** Refuses channels and rates that no recording here has. Throws MediaError. */
export function checkShape(channels: number, sampleRate: number): void {
  if (channels === 0) throw new MediaError("The file says that it has no channels.", "broken");
  if (channels > MAX_CHANNELS) throw new MediaError(`The file has ${channels} channels; up to ${MAX_CHANNELS} are taken in.`, "broken");
  if (!(sampleRate >= MIN_RATE && sampleRate <= MAX_RATE))
    throw new MediaError(`The file's sample rate of ${sampleRate} is outside ${MIN_RATE} to ${MAX_RATE}.`, "broken");
}

/** Four letters at a place. */
export const tag = (b: Uint8Array, at: number): string => String.fromCharCode(b[at], b[at + 1], b[at + 2], b[at + 3]);

/** Most bytes of one thing that is told: nobody writes more of it by hand. */
export const MOST_TOLD = 1 << 20;

/** Bytes as text, one letter each, up to the first zero. */
export function latin(b: Uint8Array): string {
  let out = "";
  for (const c of b) {
    if (c === 0) break;
    out += String.fromCharCode(c);
  }
  return out;
}

/** What is told, put in order: marks by place, nothing outside the sound, empty names as none. */
export function tidy(told: Partial<Told>, frames: number): Told {
  const words = (s: string | null | undefined): string | null =>
    s
      ?.replace(/\p{Cc}+/gu, " ")
      .trim()
      .slice(0, 200) || null;
  return {
    marks: (told.marks ?? [])
      .filter((m) => m.position >= 0 && m.position <= frames)
      .map((m) => ({ position: m.position, name: words(m.name) ?? "" }))
      .sort((a, b) => a.position - b.position),
    loops: (told.loops ?? []).filter((l) => l.start >= 0 && l.start < l.end && l.end <= frames),
    timeReference: told.timeReference ?? null,
    title: words(told.title),
    scene: words(told.scene),
    take: words(told.take),
  };
}
