import { z } from "zod";
import { METER_DENOMINATORS } from "../time/meter";
import { MAX_BPM, MIN_BPM } from "../time/tempo";
import { MOST_STRETCH, stretchable } from "../time/time-map";
import { FRAME_RATES } from "../time/timecode";
import { type ClipField, fieldsWhere, maskOf, OPTIONAL_CLIP_FIELDS } from "./clip/fields";
import { Chain } from "./recipe/treatment";

/** Positions and lengths are integers: samples at the project's rate, or ticks where a name says so. */
export const Position = z.int().min(0).max(Number.MAX_SAFE_INTEGER);
export const Length = z.int().min(1).max(Number.MAX_SAFE_INTEGER);

const CONTROL = /\p{Cc}/gu;
/** Text without control characters and halves of surrogate pairs, which neither people nor databases can read. */
const plainText = z.string().regex(/^[^\p{Cc}\p{Cs}]*$/u, "Text holds no control characters.");
/** As things are kept. Ids that copies of linked bundles are given are longer than any that callers may give. */
export const Id = plainText.min(1).max(160);
/** An id that a caller gives to something new. */
export const NewId = plainText.min(1).max(80);
/** What tracks that are linked share. */
export const LinkName = plainText.max(80);
const MOST_LETTERS = 200;
/** A name that was put together, cut to what fits. */
export const nameOf = (text: string): string => text.slice(0, MOST_LETTERS).replace(/\p{Cs}/gu, "\ufffd");
/** Text that a person gave: shown, never run; control characters are taken out. */
export const Name = z
  .string()
  .max(MOST_LETTERS)
  .transform((s) =>
    s
      .replace(CONTROL, " ")
      .replace(/\p{Cs}/gu, "\ufffd")
      .trim(),
  );

export const DYES = ["indigo", "walnut", "fern", "cochineal", "woad", "lichen", "saffron", "weld", "madder"] as const;
export const Dye = z.enum(DYES);
export type Dye = z.infer<typeof Dye>;

export const FADE_SHAPES = ["straight", "power", "s", "slow", "fast"] as const;
export const FadeShape = z.enum(FADE_SHAPES);
export type FadeShape = z.infer<typeof FadeShape>;
export const Bend = z.number().min(-1).max(1);

/**
 * A gain curve of `length` samples (0: none) that rises from an edge's silent end. After a cut inside it, `part` tells which piece of
 * the whole curve is left: `from` samples away from its silent end, `of` samples in all; without it the curve fills the length.
 */
export const FadeCurve = z.object({
  length: z.int().min(0).max(Number.MAX_SAFE_INTEGER),
  shape: FadeShape,
  bend: Bend,
  part: z.object({ from: z.int().min(0), of: z.int().min(1) }).optional(),
  /** An edge got it by itself, and loses it as soon as the audio runs on there again. What a person sets is not lent. */
  lent: z.literal(true).optional(),
  /** Of a lent one: the sample of what the clip plays at which its edge stood bare before it was moved; back there, the fade goes. */
  bare: z.int().min(0).optional(),
});
export type FadeCurve = z.infer<typeof FadeCurve>;

/** So often can an edge be laid bare in the middle of a fade and faded anew; an edit that would do it once more says so. */
export const MOST_OVER = 16;
/**
 * A fade. Where the silent end of one was cut off and the edge laid bare, the fades of new edges lie `over` what is left of it, and
 * multiply it; `length` is that of the longest of them all.
 */
export const Fade = FadeCurve.extend({ over: z.array(FadeCurve).min(1).max(MOST_OVER).optional() });
export type Fade = z.infer<typeof Fade>;

/**
 * Where on the maps something lies: bars before it (from 0, whatever number the first one has), the beat from 1, and ticks into it, with
 * their fraction.
 */
export const BarPlace = z.object({ bar: z.int(), beat: z.int().min(1), tick: z.number() });
export type BarPlace = z.infer<typeof BarPlace>;
/** Left by an edit that kept bars where the position alone would not tell the place any more; counts while it leads to the position. */
const SpanPlace = z.object({ start: BarPlace, end: BarPlace });

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
  /** Two new edges that met got it by themselves. */
  lent: z.literal(true).optional(),
});
export type Blend = z.infer<typeof Blend>;

/** Gain in dB. −144 and below is silence. */
export const Gain = z.number().min(-144).max(48);
export const Pan = z.number().min(-1).max(1);

/** More points than this are surely not drawn by hand. */
export const MOST_POINTS = 4096;
/**
 * A point of an envelope. Of a clip's, `at` is a sample of the recording itself, so that it stays with the sound it was drawn for whatever
 * becomes of the clip; of a track's gain ride, a sample of the timeline. With `hold` the value stays until the next point.
 */
const pointWith = <V extends z.ZodType<number>>(value: V) => z.object({ at: Position, value, hold: z.literal(true).optional() });
const lineOf = <V extends z.ZodType<number>>(value: V) =>
  z
    .array(pointWith(value))
    .min(1, "An envelope has at least one point.")
    .max(MOST_POINTS, `An envelope has at most ${MOST_POINTS} points.`)
    .refine((list) => list.every((p, i) => i === 0 || p.at > list[i - 1].at), { message: "The points of an envelope come one after the other." });
/** In dB; −144 and below is silence. */
export const GainLine = lineOf(z.number().min(-144).max(24));
export const PanLine = lineOf(z.number().min(-1).max(1));
/** In cents, added to the recipe's own pitch. */
export const MOST_PITCH = 2400;
export const PitchLine = lineOf(z.number().min(-MOST_PITCH).max(MOST_PITCH));
export interface EnvelopePoint {
  readonly at: number;
  readonly value: number;
  readonly hold?: true;
}
export const Envelopes = z.object({ gain: GainLine.optional(), pan: PanLine.optional() });
export type Envelopes = z.infer<typeof Envelopes>;

export const STRETCH_KINDS = ["smooth", "hits", "tape"] as const;
/** Smooth keeps pitch; hits keeps it and copies attacks as they are; tape changes speed and pitch together. */
export const StretchKind = z.enum(STRETCH_KINDS);
export type StretchKind = z.infer<typeof StretchKind>;

const TooFar = `A piece can be at most ${MOST_STRETCH} times as long, or as short, as it was.`;
/** Exactly `from` samples of the recording become `to`. */
export const Stretch = z.object({ kind: StretchKind, from: Length, to: Length }).refine((s) => stretchable(s.from, s.to), { message: TooFar });
/** Moments of the recording tied to moments of what is made; before the first nothing is moved, and outside them nothing is stretched. */
export const Warp = z.object({
  kind: StretchKind,
  points: z
    .array(z.object({ from: Position, to: Position }))
    .min(1, "Warping needs at least one point.")
    .max(MOST_POINTS, `There can be at most ${MOST_POINTS} warp points.`)
    .refine((list) => list.every((p, i) => i === 0 || (p.from > list[i - 1].from && p.to > list[i - 1].to)), {
      message: "Warp points come one after the other.",
    })
    .refine((list) => list.every((p, i) => i === 0 || stretchable(p.from - list[i - 1].from, p.to - list[i - 1].to)), { message: TooFar })
    .refine((list) => list[0].from === list[0].to, { message: "What lies before the first warp point stays where it is." }),
});
/** In cents; what it sounds like, not how long it lasts. */
export const Pitch = z.int().min(-MOST_PITCH).max(MOST_PITCH);
/** A chain of processors, laid on a window of what a clip plays; where it rings on, it does for `tail` samples after the window. */
export const Treatment = z
  .object({ chain: Chain, window: z.object({ from: Position, to: Position }), tail: z.int().min(0).max(Number.MAX_SAFE_INTEGER) })
  .refine((t) => t.window.to > t.window.from, { message: "A treatment lies on a window that has a length." });
export type Treatment = z.infer<typeof Treatment>;
/** What a derived recording is made by: time and pitch first, then turned round, then treated, then turned round once more. */
export const Recipe = z
  .object({
    reverse: z.literal(true).optional(),
    stretch: Stretch.optional(),
    warp: Warp.optional(),
    pitch: Pitch.refine((c) => c !== 0, { message: "A pitch of 0 is left out." }).optional(),
    /** The pitch envelope: samples are made by it, so that it lies here, not beside the lines of gain and pan. */
    pitchLine: PitchLine.optional(),
    treat: Treatment.optional(),
    turned: z.literal(true).optional(),
  })
  .refine((r) => !(r.stretch && r.warp), { message: "A clip is stretched evenly or warped, not both." })
  .refine((r) => r.reverse || r.stretch || r.warp || r.pitch || r.pitchLine || r.treat, { message: "A recipe does something." })
  .refine((r) => !r.turned || r.treat, { message: "What is not treated is turned round by `reverse`." });
export type Recipe = z.infer<typeof Recipe>;

/** How a clip follows the piece's tempo: by its recording's own tempo, with a beat at `first`, or by where its beats lie in the recording. */
export const Conform = z
  .object({
    bpm: z.number().min(MIN_BPM).max(MAX_BPM).optional(),
    first: Position.default(0),
    beats: z
      .array(Position)
      .min(2, "Own beats are at least two.")
      .max(MOST_POINTS, `There can be at most ${MOST_POINTS} beats.`)
      .refine((list) => list.every((b, i) => i === 0 || b > list[i - 1]), { message: "Beats come one after the other." })
      .optional(),
  })
  .refine((c) => (c.bpm === undefined) !== (c.beats === undefined), { message: "Give `bpm` or `beats`, one of them." });
export type Conform = z.infer<typeof Conform>;

/** More than this are surely not set by hand. */
const MOST_HITS = 4096;
const places = z
  .array(Position)
  .max(MOST_HITS, `At most ${MOST_HITS} hits of a clip can be set by hand.`)
  .refine((list) => list.every((at, i) => i === 0 || at > list[i - 1]), { message: "Hits come one after the other." });
export const Sensitivity = z.number().min(0).max(1);
/**
 * Which hits of its recording a clip has: those whose strength is at least 1 − sensitivity, or none of them where all were cleared; without the
 * ones that were taken away and with those that were added, both in samples of the recording itself.
 */
export const ClipHits = z.object({
  sensitivity: Sensitivity.optional(),
  cleared: z.literal(true).optional(),
  added: places.optional(),
  removed: places.optional(),
});
export type ClipHits = z.infer<typeof ClipHits>;

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
  /** Which channels of the recording it plays, one or a pair, counted from 0; left out, the first two. */
  channels: z.array(z.int().min(0).max(255)).min(1).max(2).optional(),
  bars: BarPlace.optional(),
  /** Lines of gain and pan that stay with the sound they were drawn for. */
  envelopes: Envelopes.optional(),
  /** What it plays is made from its recording so; `offset` counts in what is made. */
  recipe: Recipe.optional(),
  /** It follows the piece's tempo. */
  conform: Conform.optional(),
  /** Left out, it has those hits of its recording that were found surely. */
  hits: ClipHits.optional(),
  /** A pick of a take stack: the lane that it is from, of the bundle that it lies in. */
  take: Id.optional(),
});
export type Clip = z.infer<typeof Clip>;
/** Each field of a clip is told in the table of what a clip carries, and no other is. */
type Told = [Exclude<keyof Clip, ClipField>, Exclude<ClipField, keyof Clip>];
const TOLD: [never, never] extends Told ? (Told extends [never, never] ? true : false) : false = true;
void TOLD;

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
  link: LinkName.nullable(),
  /** Its gain ride: a line of gain over the timeline. */
  ride: GainLine.optional(),
});
export type Track = z.infer<typeof Track>;

export const Marker = z.object({ id: Id, position: Position, name: Name, color: Dye, bars: BarPlace.optional() });
export type Marker = z.infer<typeof Marker>;

export const Section = z.object({ id: Id, start: Position, end: Position, name: Name, color: Dye, bars: SpanPlace.optional() });
export type Section = z.infer<typeof Section>;

/** A clip in a lane of a take stack; `at` counts from the start of the bundle. */
export const TakeClip = Clip.omit(maskOf(fieldsWhere("lane", "left"))).extend({
  at: z.int().min(-Number.MAX_SAFE_INTEGER).max(Number.MAX_SAFE_INTEGER),
});
export type TakeClip = z.infer<typeof TakeClip>;

/** One take: what was played or recorded once over the span of its stack, whether it is heard or not. */
export const TakeLane = z.object({
  id: Id,
  name: Name,
  color: Dye.nullable(),
  rating: z.int().min(0).max(5),
  hidden: z.boolean(),
  /** One after another, without overlap. */
  clips: z.array(TakeClip).max(2000),
});
export type TakeLane = z.infer<typeof TakeLane>;
/** Lanes of a stack. */
export const MOST_LANES = 200;

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
  /** Places in lanes and in copies count from here; it may lie before the piece's beginning. */
  start: z.int(),
  trackId: Id,
  /** Lanes of takes: then the bundle is a take stack, and its clips are the picks, each from one lane. */
  takes: z.array(TakeLane).min(1).max(MOST_LANES).optional(),
});
export type Bundle = z.infer<typeof Bundle>;

export const Tempo = z.object({ tick: z.int().min(0), bpm: z.number().min(MIN_BPM).max(MAX_BPM), ramp: z.boolean().optional() });
export const Meter = z.object({
  tick: z.int().min(0),
  numerator: z.int().min(1).max(64),
  denominator: z.literal([...METER_DENOMINATORS]),
});

export const Loop = z.object({ start: Position, end: Position, on: z.boolean(), bars: SpanPlace.optional() });

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

const FIRST_ONE = [0] as const;
const FIRST_TWO = [0, 1] as const;
/** The channels of its recording that a clip plays: one, on both sides, or a pair, left and right. */
export const playedChannels = (clip: Pick<Clip, "channels">, channels: number): readonly number[] =>
  clip.channels ?? (channels > 1 ? FIRST_TWO : FIRST_ONE);

/** What an edit must know of a recording. `length` is in samples at the project's rate. */
export interface SourceInfo {
  readonly id: string;
  readonly name: string;
  readonly length: number;
  readonly channels: number;
  /** Where its hits are, in order, in its samples; left out where they are not known. */
  readonly hits?: readonly number[];
  /** Those and fainter ones, with their strengths; left out where strengths are not known. */
  readonly found?: readonly Hit[];
}

/** A hit of a recording: its first sample, and its strength from 0 to 1. */
export interface Hit {
  readonly at: number;
  readonly strength: number;
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

/** Fields that a thing may be without: a change that takes one away again leaves none. */
export const OPTIONAL_FIELDS: ReadonlySet<string> = new Set([...OPTIONAL_CLIP_FIELDS, "ride", "takes"]);

/** A thing without some of its fields. */
export function without<T extends object, K extends keyof T>(thing: T, fields: readonly K[]): Omit<T, K> {
  const left = { ...thing };
  for (const field of fields) delete left[field];
  return left;
}

export const NO_FADE: Fade = { length: 0, shape: "power", bend: 0 };
/** What a clip has that was just laid: nothing was done to it yet. */
export const JUST_LAID = { mute: false, layer: 0, fadeIn: NO_FADE, fadeOut: NO_FADE, blend: null, sync: null } as const;
export const clipEnd = (clip: Pick<Clip, "start" | "length">): number => clip.start + clip.length;
/** dB to a factor; −144 dB and below is 0. */
export const gainFactor = (db: number): number => (db <= -144 ? 0 : db === 0 ? 1 : 10 ** (db / 20));
