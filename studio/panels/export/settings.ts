import type { Loudness } from "@wet-thread/core/analysis/loudness";
import { OUT_FORMATS, type OutFormat, type OutFormatId, type Samples, takesRate } from "@wet-thread/core/media/writers";
import { create } from "zustand";
import type { ExportPart } from "@/commands/files/export-here";

export type Split = "none" | "sections" | "tracks" | "clips";
export type Level = "as it is" | "loudness" | "peak";

/** How sound goes out: as it was last set, as long as the page lives. */
export interface OutSettings {
  readonly split: Split;
  readonly handles: number;
  readonly format: OutFormatId;
  readonly samples: Samples;
  /** 0: the piece's own. */
  readonly rate: number;
  /** Kilobits a second; 0 is the best at a varying rate, of MP3. */
  readonly bits: number;
  readonly channels: 1 | 2;
  readonly dither: "none" | "plain" | "shaped";
  readonly level: Level;
  readonly loudness: number;
  readonly peak: number;
  readonly ceiling: number;
  readonly markers: boolean;
  readonly pattern: string;
  readonly title: string;
  readonly artist: string;
  readonly year: string;
  readonly comment: string;
}

export const useOut = create<OutSettings>(() => ({
  split: "none",
  handles: 0,
  format: "wav",
  samples: "pcm24",
  rate: 0,
  bits: 192,
  channels: 2,
  dither: "plain",
  level: "as it is",
  loudness: -16,
  peak: -1,
  ceiling: -1,
  markers: false,
  pattern: "",
  title: "",
  artist: "",
  year: "",
  comment: "",
}));

/** How samples are written: as chosen where the format takes it. */
export const samplesOf = (s: OutSettings): Samples => ((OUT_FORMATS[s.format] as OutFormat).samples?.includes(s.samples) ? s.samples : "pcm24");

const RATES = [44_100, 48_000, 88_200, 96_000, 192_000];
/** The rates that the format takes: whether the piece's own, and which others. */
export function ratesFor(s: OutSettings, own: number): { asPiece: boolean; others: readonly number[] } {
  const format: OutFormat = OUT_FORMATS[s.format];
  return { asPiece: takesRate(format, own), others: RATES.filter((r) => takesRate(format, r) && r !== own) };
}

/** The rate that counts: as chosen where the format takes it, else the piece's own (0), else the first that it takes. */
export function rateOf(s: OutSettings, own: number): number {
  if (s.rate !== 0 && takesRate(OUT_FORMATS[s.format], s.rate)) return s.rate;
  const { asPiece, others } = ratesFor(s, own);
  return asPiece ? 0 : (others[0] ?? 0);
}

/** What the server is asked for. */
export function requestOf(s: OutSettings, part: ExportPart, sampleRate: number, measure: boolean): Record<string, unknown> {
  const format: OutFormat = OUT_FORMATS[s.format];
  const bits = format.bits && s.bits !== 0 ? Math.max(format.bits.from, Math.min(format.bits.to, s.bits)) : undefined;
  const tags = Object.fromEntries((["title", "artist", "year", "comment"] as const).flatMap((k) => (s[k].trim() ? [[k, s[k].trim()]] : [])));
  return {
    span: { start: part.start, end: part.end },
    tracks: part.trackIds,
    clips: part.clipIds,
    split: s.split,
    handles: s.split === "clips" ? Math.round(s.handles * sampleRate) : 0,
    format: s.format,
    encoding: format.samples && samplesOf(s),
    sampleRate: rateOf(s, sampleRate) || undefined,
    bits,
    ...(s.format === "mp3" && s.bits === 0 && { quality: 0 }),
    channels: s.channels,
    dither: s.dither === "shaped" ? "shaped" : s.dither === "plain",
    normalise: s.level === "loudness" ? { loudness: s.loudness } : s.level === "peak" ? { peak: s.peak } : undefined,
    ceiling: s.ceiling,
    markers: s.markers,
    pattern: s.pattern.trim() || undefined,
    tags,
    measure,
  };
}

/** One file that came out, as the server tells. */
export interface OutFile {
  readonly name: string;
  readonly bytes: number;
  readonly length: number;
  readonly sampleRate: number;
  readonly gain: number;
  readonly notes: readonly string[];
  readonly loudness: Loudness;
}

/** An export, as the server tells. */
export interface OutJob {
  readonly id: string;
  readonly status: "queued" | "rendering" | "ready" | "failed";
  readonly progress: number;
  readonly error: string | null;
  readonly name: string;
  readonly bytes: number;
  readonly files: readonly OutFile[];
  readonly spec: {
    readonly format: OutFormatId;
    readonly split: Split;
    readonly measure: boolean;
    readonly normalise?: { loudness?: number; peak?: number };
  };
}

export const fileOf = (id: string): string => `/api/exports/${id}/file`;
