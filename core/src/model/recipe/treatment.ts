import { z } from "zod";

/*
 * The processors of a treatment, with the units and ranges of their parameters. Values between them are 32-bit floats; none delays the sound.
 */
const on = z.boolean().default(true).describe("off, it is by-passed");
const hz = z.number().min(10).max(40_000).describe("Hz");
const q = z.number().min(0.1).max(40).default(Math.SQRT1_2).describe("Q");
const db = (least: number, most: number) => z.number().min(least).max(most).describe("dB");
const ms = (least: number, most: number) => z.number().min(least).max(most).describe("ms");
const mix = z.number().min(0).max(1).default(0.3).describe("part of what is made in what is heard");

export const Processor = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("gain"), on, db: db(-96, 48).default(0) }),
  z.object({ kind: z.literal("invert"), on }),
  z.object({
    kind: z.literal("normalise"),
    on,
    to: z.enum(["peak", "loudness"]).default("peak"),
    level: db(-60, 0).default(-1).describe("dBFS of the highest sample, or LUFS"),
    gain: db(-96, 96).default(0).describe("dB: worked out once, when it is laid on"),
  }),
  z.object({ kind: z.literal("lowCut"), on, hz: hz.default(80), q }),
  z.object({ kind: z.literal("highCut"), on, hz: hz.default(12_000), q }),
  z.object({
    kind: z.literal("lowShelf"),
    on,
    hz: hz.default(200),
    db: db(-36, 36).default(-3),
    s: z.number().min(0.1).max(1).default(1).describe("slope S"),
  }),
  z.object({
    kind: z.literal("highShelf"),
    on,
    hz: hz.default(6000),
    db: db(-36, 36).default(3),
    s: z.number().min(0.1).max(1).default(1).describe("slope S"),
  }),
  z.object({ kind: z.literal("bell"), on, hz: hz.default(3000), db: db(-36, 36).default(3), q: q.default(1) }),
  z.object({ kind: z.literal("notch"), on, hz: hz.default(50), q: q.default(10) }),
  z.object({
    kind: z.literal("gate"),
    on,
    threshold: db(-96, 0).default(-45),
    attack: ms(0.05, 500).default(2),
    hold: ms(0, 2000).default(60),
    release: ms(1, 5000).default(150),
    floor: db(-96, 0).default(-24),
    ahead: ms(0, 100).default(5),
  }),
  z.object({
    kind: z.literal("compressor"),
    on,
    threshold: db(-60, 0).default(-20),
    ratio: z.number().min(1).max(50).default(3),
    knee: db(0, 24).default(6),
    attack: ms(0.05, 500).default(10),
    release: ms(1, 5000).default(120),
    makeUp: db(-24, 36).default(0),
  }),
  z.object({ kind: z.literal("drive"), on, db: db(0, 48).default(12).describe("dB into the curve"), mix: mix.default(1) }),
  z.object({
    kind: z.literal("echo"),
    on,
    time: ms(1, 4000).default(375),
    feedback: z.number().min(0).max(0.95).default(0.35),
    tone: hz.default(5000),
    mix,
  }),
  z.object({
    kind: z.literal("room"),
    on,
    size: z.number().min(0.1).max(1).default(0.5),
    decay: z.number().min(0.1).max(15).default(1.4).describe("seconds to -60 dB"),
    tone: hz.default(6000),
    preDelay: ms(0, 250).default(12),
    mix,
  }),
  z.object({
    kind: z.literal("chorus"),
    on,
    rate: z.number().min(0.02).max(10).default(0.8).describe("Hz"),
    depth: ms(0.1, 20).default(3),
    mix: mix.default(0.5),
  }),
  z.object({
    kind: z.literal("phaser"),
    on,
    rate: z.number().min(0.02).max(10).default(0.4).describe("Hz"),
    depth: z.number().min(0).max(1).default(0.8),
    feedback: z.number().min(0).max(0.9).default(0.4),
    mix: mix.default(0.5),
  }),
]);
export type Processor = z.infer<typeof Processor>;
export type ProcessorKind = Processor["kind"];
export const PROCESSOR_KINDS = Processor.options.map((o) => o.shape.kind.value) as readonly ProcessorKind[];

export const MOST_PROCESSORS = 24;
export const Chain = z
  .array(Processor)
  .min(1, "A treatment has at least one processor.")
  .max(MOST_PROCESSORS, `A treatment has at most ${MOST_PROCESSORS} processors.`);

/** The run-in that every chain gets at least, in seconds. */
const LEAST_RUN_IN = 0.5;
const MOST_RUN_IN = 60;
const MS = 1000;

/** One kind of processor. */
type Kind<K extends ProcessorKind> = Extract<Processor, { kind: K }>;

/** Seconds in which a processor has decayed by 120 dB. */
type Decay<K extends ProcessorKind> = (p: Kind<K>) => number;
const NONE = (): number => 0;
/** An envelope of e^(−π f t / Q): 120 dB are 13.8 of its time constants; below Q ½ its slower pole counts. */
const resonance = (p: { q: number; hz: number }): number => (13.9 * Math.max(p.q, 1 / (2 * p.q))) / (Math.PI * p.hz);
const shelf = (p: { db: number; hz: number }): number => (13.9 * 2 * 10 ** (Math.abs(p.db) / 40)) / (Math.PI * p.hz);
const DECAYS: { readonly [K in ProcessorKind]: Decay<K> } = {
  gain: NONE,
  invert: NONE,
  normalise: NONE,
  lowCut: resonance,
  highCut: resonance,
  bell: resonance,
  notch: resonance,
  lowShelf: shelf,
  highShelf: shelf,
  gate: (p) => (13.9 * (p.attack + p.release) + p.hold + p.ahead) / MS,
  compressor: (p) => (13.9 * (p.attack + p.release)) / MS,
  drive: () => 0.01,
  echo: (p) => (p.time / MS) * (p.feedback === 0 ? 1 : 1 + Math.ceil(-6 / Math.log10(p.feedback))),
  room: (p) => 2 * p.decay + p.preDelay / MS + 0.2,
  chorus: (p) => (p.depth * 2 + 10) / MS,
  phaser: (p) => 0.2 + (p.feedback > 0 ? 0.05 / (1 - p.feedback) : 0),
};
const decayOf = (p: Processor): number => (p.on ? (DECAYS[p.kind] as Decay<ProcessorKind>)(p) : 0);

/** Processors that ring on by themselves: what they hear is the window alone, and their tail comes after it. */
const RINGS: ReadonlySet<ProcessorKind> = new Set(["echo", "room"]);
export const ringsOn = (chain: readonly Processor[]): boolean => chain.some((p) => p.on && RINGS.has(p.kind));

/** How long before a sample a chain must have heard what comes, so that what it heard earlier counts for less than −120 dB; in seconds. */
export const runInOf = (chain: readonly Processor[]): number =>
  Math.min(
    MOST_RUN_IN,
    Math.max(
      LEAST_RUN_IN,
      chain.reduce((sum, p) => sum + decayOf(p), 0),
    ),
  );

/** How long a chain rings on after its window, in seconds; 0 for one that does not. */
export const tailOf = (chain: readonly Processor[]): number =>
  ringsOn(chain)
    ? Math.min(
        MOST_RUN_IN,
        chain.reduce((sum, p) => sum + decayOf(p), 0),
      )
    : 0;
