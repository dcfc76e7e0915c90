import { PATTERN_WORDS } from "@wet-thread/core/media/file-names";
import { OUT_FORMATS, OUT_IDS, type OutFormat, rateFor, SAMPLES, takesRate } from "@wet-thread/core/media/writers";
import { Id, Name, Position } from "@wet-thread/core/model/schema";
import { z } from "zod";

/** What the files are of, and the pattern of their names where none is asked for. */
export const SPLITS = { none: "{version}", sections: "{n} {name}", tracks: "{n} {track}", clips: "{n} {track} {name}" } as const;

const fields = z.object({
  span: z
    .object({ start: Position, end: Position })
    .refine((s) => s.end > s.start, { message: "A span ends after it starts.", path: ["end"] })
    .optional()
    .describe("samples; left out, from zero to the end of the last clip"),
  tracks: z.array(Id).min(1).optional().describe("only these tracks"),
  clips: z.array(Id).min(1).max(20_000).optional().describe("only these clips, whatever else lies on their tracks"),
  sections: z.array(Id).min(1).max(2000).optional().describe("only these sections, where each is a file"),
  split: z
    .enum(["none", "sections", "tracks", "clips"])
    .default("none")
    .describe("one file, or one for each section, for each track (all from the same start) or for each clip; several come as one zip"),
  handles: z.int().min(0).max(10_000_000).default(0).describe("of clips: so many samples beyond each end, as far as there are some, without fades"),
  format: z.enum(OUT_IDS as [keyof typeof OUT_FORMATS, ...(keyof typeof OUT_FORMATS)[]]).default("wav"),
  encoding: z.enum(SAMPLES).optional().describe("of WAV and FLAC; left out, 24 bits"),
  sampleRate: z.int().min(8000).max(192_000).optional().describe("left out, the project's, or the nearest that the format takes"),
  bits: z.int().min(64).max(320).optional().describe("kilobits a second, of MP3 (128–320) and Opus (64–256)"),
  quality: z.int().min(0).max(9).optional().describe("of MP3 at a varying rate, 0 the best; takes the place of bits"),
  channels: z.union([z.literal(1), z.literal(2)]).default(2),
  dither: z
    .union([z.boolean(), z.literal("shaped")])
    .default(true)
    .describe("TPDF on the way to integers; samples that lie on a step already stay as they are. Shaped moves its noise to where it is heard least"),
  seed: z.int().min(1).default(1).describe("of the dither"),
  normalise: z
    .union([z.object({ loudness: z.number().min(-70).max(0) }).strict(), z.object({ peak: z.number().min(-60).max(0) }).strict()])
    .optional()
    .describe("each file is turned up or down to an integrated loudness in LUFS, or to a sample peak in dBFS"),
  ceiling: z.number().min(-20).max(0).default(-1).describe("dBTP that a normalised file stays below, by less gain"),
  tags: z
    .object({ title: Name, artist: Name, comment: Name, year: z.string().regex(/^\d{4}(-\d{2}(-\d{2})?)?$/, "A year has four digits.") })
    .partial()
    .default({}),
  markers: z.boolean().default(false).describe("markers go along: as cue points in WAV, as chapters elsewhere"),
  pattern: Name.optional().describe(`names of the files, of words and ${PATTERN_WORDS.map((w) => `{${w}}`).join(" ")}`),
  measure: z.boolean().default(false).describe("measures loudness only, and writes no file"),
  revision: z
    .int()
    .min(0)
    .max(2 ** 31 - 1)
    .optional()
    .describe("the state of the version that is rendered; left out, the present one"),
});

export const ExportRequest = fields.superRefine((r, context) => {
  const format: OutFormat = OUT_FORMATS[r.format];
  const wrong = (path: string, message: string): void => context.addIssue({ code: "custom", path: [path], message });
  if (r.encoding && !format.samples?.includes(r.encoding)) wrong("encoding", `${format.name} has no samples of that kind.`);
  if (r.sampleRate && !takesRate(format, r.sampleRate)) wrong("sampleRate", `${format.name} is not written at ${r.sampleRate} Hz.`);
  if (r.bits !== undefined && !(format.bits && r.bits >= format.bits.from && r.bits <= format.bits.to))
    wrong(
      "bits",
      format.bits
        ? `${format.name} takes ${format.bits.from} to ${format.bits.to} kilobits a second.`
        : `${format.name} loses nothing, and has no rate of bits.`,
    );
  if (r.quality !== undefined && r.format !== "mp3") wrong("quality", "Only MP3 is written by quality.");
});

/** What is written down of an export: everything that decides what comes out, but the revision. */
export type ExportSpec = Omit<z.output<typeof ExportRequest>, "revision"> & { readonly span: { start: number; end: number } };

/** The rate at which an export is written. */
export const rateOf = (spec: Pick<ExportSpec, "format" | "sampleRate">, own: number): number =>
  spec.sampleRate ?? rateFor(OUT_FORMATS[spec.format], own);
