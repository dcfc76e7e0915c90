/** How samples of whole numbers, or floats, are written. */
export const SAMPLES = ["pcm16", "pcm24", "float32"] as const;
export type Samples = (typeof SAMPLES)[number];

/** One format that sound goes out as: the one place where one is added. */
export interface OutFormat {
  /** For people. */
  readonly name: string;
  readonly ending: string;
  readonly type: string;
  /** How its samples may be written; null where they are coded with loss. */
  readonly samples: readonly Samples[] | null;
  /** Samples a second that it takes: any between two, or one of some. */
  readonly rates: { readonly from: number; readonly to: number } | readonly number[];
  /** Kilobits a second that it takes; null where nothing is lost. */
  readonly bits: { readonly from: number; readonly to: number; readonly default: number } | null;
}

const ANY = { from: 8000, to: 192_000 };

/** Every format that sound goes out as. */
export const OUT_FORMATS = {
  wav: { name: "WAV", ending: ".wav", type: "audio/wav", samples: SAMPLES, rates: ANY, bits: null },
  bwf: { name: "Broadcast WAV", ending: ".wav", type: "audio/wav", samples: SAMPLES, rates: ANY, bits: null },
  flac: { name: "FLAC", ending: ".flac", type: "audio/flac", samples: ["pcm16", "pcm24"], rates: ANY, bits: null },
  mp3: {
    name: "MP3",
    ending: ".mp3",
    type: "audio/mpeg",
    samples: null,
    rates: [32_000, 44_100, 48_000],
    bits: { from: 128, to: 320, default: 192 },
  },
  opus: { name: "Opus", ending: ".opus", type: "audio/ogg", samples: null, rates: [48_000], bits: { from: 64, to: 256, default: 128 } },
} as const satisfies Record<string, OutFormat>;
export type OutFormatId = keyof typeof OUT_FORMATS;
export const OUT_IDS = Object.keys(OUT_FORMATS) as OutFormatId[];

/** Whether a format takes a rate. */
export function takesRate(format: OutFormat, rate: number): boolean {
  const { rates } = format;
  return "from" in rates ? rate >= rates.from && rate <= rates.to : rates.includes(rate);
}

/** The rate that a format is written at when none is asked for: the piece's own, or the nearest that it takes. */
export function rateFor(format: OutFormat, own: number): number {
  if (takesRate(format, own)) return own;
  const { rates } = format;
  if ("from" in rates) return Math.max(rates.from, Math.min(rates.to, own));
  return [...rates].sort((a, b) => Math.abs(a - own) - Math.abs(b - own) || b - a)[0];
}
