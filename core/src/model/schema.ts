import { z } from "zod";
import { METER_DENOMINATORS } from "../time/meter";
import { MAX_BPM, MIN_BPM } from "../time/tempo";
import { FRAME_RATES } from "../time/timecode";

/** Positions and lengths are integers: samples at the project's rate, or ticks where a name says so. */
export const Position = z.int().min(0).max(Number.MAX_SAFE_INTEGER);
export const Length = z.int().min(1).max(Number.MAX_SAFE_INTEGER);
export const Id = z.string().min(1).max(80);
/** Text that a person gave: shown, never run; control characters are taken out. */
export const Name = z
  .string()
  .max(200)
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are just what is removed
  .transform((s) => s.replace(/[\u0000-\u001f\u007f]/g, " ").trim());

export const DYES = ["indigo", "walnut", "fern", "cochineal", "woad", "lichen", "saffron", "weld", "madder"] as const;
export const Dye = z.enum(DYES);
export type Dye = z.infer<typeof Dye>;

export const FADE_SHAPES = ["straight", "power", "s", "slow", "fast"] as const;
export const FadeShape = z.enum(FADE_SHAPES);
export type FadeShape = z.infer<typeof FadeShape>;
export const Bend = z.number().min(-1).max(1);

/**
 * A fade of `length` samples (0: none). After a split inside a fade, `part` tells which piece of the whole curve is left: `from`
 * samples away from its silent end, `of` samples in all; without it the curve fills the length.
 */
export const Fade = z.object({
  length: z.int().min(0),
  shape: FadeShape,
  bend: Bend,
  part: z.object({ from: z.int().min(0), of: z.int().min(1) }).optional(),
});
export type Fade = z.infer<typeof Fade>;

export const BlendLaw = z.enum(["auto", "gain", "power"]);
export type BlendLaw = z.infer<typeof BlendLaw>;
export const BlendPlace = z.enum(["centred", "before", "after", "free"]);

/** The crossfade at a clip's start, with the clip `with` that it takes over from. The overlap is where both lie. */
export const Blend = z.object({
  with: Id,
  law: BlendLaw,
  place: BlendPlace,
  /** Where the two clips met before the overlap, and meet again when the blend is removed. */
  splice: Position,
  /** Linked: the outgoing curve is the incoming one's complement by the law. Separate: the left clip's own fade-out counts. */
  linked: z.boolean(),
});
export type Blend = z.infer<typeof Blend>;

/** Gain in dB. −144 and below is silence. */
export const Gain = z.number().min(-144).max(48);
export const Pan = z.number().min(-1).max(1);

/** A window on a recording, laid on a track's timeline. */
export const Clip = z.object({
  id: Id,
  trackId: Id,
  sourceId: Id,
  start: Position,
  length: Length,
  /** Where in the recording the window starts, in samples at the project's rate. */
  offset: Position,
  name: Name,
  color: Dye.nullable(),
  gain: Gain,
  pan: Pan,
  mute: z.boolean(),
  /** The highest layer is heard; among equals the later start. */
  layer: z.int().min(0),
  fadeIn: Fade,
  fadeOut: Fade,
  blend: Blend.nullable(),
  /** The moment inside the clip, in samples from its start, that is placed and snapped in place of the start. */
  sync: Position.nullable(),
  /** The innermost bundle that it belongs to. */
  bundle: Id.nullable().default(null),
});
export type Clip = z.infer<typeof Clip>;

export const Track = z.object({
  id: Id,
  name: Name,
  color: Dye,
  /** Height of the lane in pixels. */
  height: z.int().min(36).max(600),
  mute: z.boolean(),
  solo: z.boolean(),
  gain: Gain,
  pan: Pan,
  hidden: z.boolean(),
  /** Tracks with the same link are edited together. */
  link: z.string().max(80).nullable(),
});
export type Track = z.infer<typeof Track>;

export const Marker = z.object({ id: Id, position: Position, name: Name, color: Dye });
export type Marker = z.infer<typeof Marker>;

export const Section = z.object({ id: Id, start: Position, end: Position, name: Name, color: Dye });
export type Section = z.infer<typeof Section>;

/**
 * Clips that are handled as one. A bundle may lie in another (`parent`). Bundles with the same `pattern` follow each other: what is done
 * inside one is done inside all, counted from each one's own `start` and `trackId`.
 */
export const Bundle = z.object({
  id: Id,
  name: Name,
  color: Dye.nullable(),
  parent: Id.nullable(),
  pattern: Id.nullable(),
  start: Position,
  trackId: Id,
});
export type Bundle = z.infer<typeof Bundle>;

export const Tempo = z.object({ tick: z.int().min(0), bpm: z.number().min(MIN_BPM).max(MAX_BPM), ramp: z.boolean().optional() });
export const Meter = z.object({
  tick: z.int().min(0),
  numerator: z.int().min(1).max(64),
  denominator: z.literal([...METER_DENOMINATORS]),
});

export const Loop = z.object({ start: Position, end: Position, on: z.boolean() });

/** What there is once in a version. */
export const Piece = z.object({
  trackOrder: z.array(Id),
  tempo: z.array(Tempo).min(1),
  meter: z.array(Meter).min(1),
  firstBar: z.int().min(-9999).max(9999),
  frameRate: z.enum(FRAME_RATES.map((r) => r.id) as [string, ...string[]]),
  loop: Loop.nullable(),
});
export type Piece = z.infer<typeof Piece>;

/** What an edit must know of a recording. `length` is in samples at the project's rate. */
export interface SourceInfo {
  readonly id: string;
  readonly name: string;
  readonly length: number;
  readonly channels: number;
}

/** Everything in a version, flat, as the API sends it. */
export const VersionData = z.object({
  sampleRate: z.int().min(8000).max(192_000),
  piece: Piece,
  tracks: z.array(Track),
  clips: z.array(Clip),
  markers: z.array(Marker),
  sections: z.array(Section),
  bundles: z.array(Bundle).default([]),
});
export type VersionData = z.infer<typeof VersionData>;

export const NO_FADE: Fade = { length: 0, shape: "power", bend: 0 };
export const clipEnd = (clip: Clip): number => clip.start + clip.length;
/** dB to a factor; −144 dB and below is 0. */
export const gainFactor = (db: number): number => (db <= -144 ? 0 : db === 0 ? 1 : 10 ** (db / 20));
