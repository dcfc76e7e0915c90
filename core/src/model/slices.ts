import { z } from "zod";
import { hitsBetween } from "./clip/hits";
import type { Document } from "./document";
import { type Clip, clipEnd, Gain, Id, Name, Position } from "./schema";

/** The key of the first slice, and how many slices there are keys for: 36 to 127, as MIDI counts keys. */
export const FIRST_KEY = 36;
export const MOST_SLICES = 128 - FIRST_KEY;

/** A stretch of a clip that lies on a key: the timeline from `start` to `end`, played at a gain in dB, with its pitch (and speed) in cents, backwards or not. */
export const Slice = z
  .object({
    clipId: Id,
    start: Position,
    end: Position,
    name: Name.default(""),
    gain: Gain.default(0),
    cents: z.int().min(-2400).max(2400).default(0),
    reverse: z.boolean().default(false),
  })
  .refine((s) => s.end > s.start, { message: "A slice ends after it starts.", path: ["end"] });
export type Slice = z.infer<typeof Slice>;

/** A slice lasts at most so long: what lies on a key is struck, not laid on. */
export const MOST_SLICE_SECONDS = 60;
/** Shorter than this, in samples, is no slice. */
const LEAST = 32;

/**
 * Clips as slices in order of time: each clip whole, or from hit to hit. What comes before a clip's first hit is no slice; a clip without hits is one.
 * None is longer than a minute. The first 92 are given, and how many there would be.
 */
export function slicesOf(doc: Document, clips: readonly Clip[], by: "hits" | "clips"): { slices: Slice[]; count: number } {
  const all = [...clips]
    .sort((a, b) => a.start - b.start)
    .flatMap((clip): Slice[] => {
      const hits = by === "hits" ? hitsBetween(doc.sources, clip, clip.start, clipEnd(clip)) : [];
      const starts = hits.length > 0 ? hits : [clip.start];
      return starts.flatMap((start, i): Slice[] => {
        const end = Math.min(starts[i + 1] ?? clipEnd(clip), start + MOST_SLICE_SECONDS * doc.sampleRate);
        const name = starts.length > 1 ? `${clip.name} ${i + 1}` : clip.name;
        return end - start < LEAST ? [] : [{ clipId: clip.id, start, end, name, gain: 0, cents: 0, reverse: false }];
      });
    });
  return { slices: all.slice(0, MOST_SLICES), count: all.length };
}

/** How many samples tape makes of so many when it plays so many cents higher. */
export const tapeLength = (samples: number, cents: number): number => Math.max(1, Math.round(samples * 2 ** (-cents / 1200)));
