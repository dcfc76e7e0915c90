import { z } from "zod";
import { fromDecimal } from "./rational";
import { TICKS_PER_QUARTER } from "./tempo";
import type { FrameRate } from "./timecode";

/*
 * The kinds of grid steps and nudge values, each told once: its figures, how it is counted, how it is said and how it is typed. Whatever lays
 * lines, nudges, swings or reads steps asks here.
 */
export const NOTE_DIVISIONS = [1, 2, 4, 8, 16, 32, 64, 128] as const;
export type NoteDivision = (typeof NOTE_DIVISIONS)[number];
export type NoteFeel = "straight" | "dotted" | "triplet";

/** Parts that a beat can be divided into: quintuplets and the like. */
export const [LEAST_PARTS, MOST_PARTS] = [2, 32];

/** The length of a note value in ticks. */
export function noteTicks(division: number, feel: NoteFeel): number {
  const straight = (TICKS_PER_QUARTER * 4) / division;
  return feel === "dotted" ? (straight * 3) / 2 : feel === "triplet" ? (straight * 2) / 3 : straight;
}

/** A step that is counted along bars and beats: so many of a unit, or a unit in so many `parts`, which need not be whole ticks. */
export interface MusicalMeasure {
  readonly unit: "bar" | "beat" | "tick";
  readonly count: number;
  readonly parts: number;
}

/** A step that is as long everywhere: num / den samples. Every `coarse` lines a line is of rank 2, every `middle` of rank 1. */
export interface PlainMeasure {
  readonly unit: "sample";
  readonly num: number;
  readonly den: number;
  readonly coarse: number;
  readonly middle: number;
}
export type Measure = MusicalMeasure | PlainMeasure;

/** How many of a unit a step is; parsed from "3 beats", "beat". */
const counted = (most: number) => z.int().min(1).max(most);
const ofUnit = (unit: MusicalMeasure["unit"], count: number, parts = 1): MusicalMeasure => ({ unit, count, parts });
const plural = (n: number, word: string): string => (n === 1 ? word : `${n} ${word}s`);

interface Rates {
  readonly sampleRate: number;
  readonly frameRate: FrameRate;
}

/** One kind of step. */
interface StepKind<S> {
  readonly figures: z.ZodType<S>;
  /** Whether it is counted along bars and beats. */
  readonly musical: boolean;
  readonly measure: (step: S, rates: Rates) => Measure;
  readonly words: (step: S) => string;
  /** Reads a step that was typed, in lower case; null for what is none of this kind. `fail` refuses in words. */
  readonly read: (text: string, fail: (why: string) => never) => S | null;
}

/** Reads `3 beats` or `beat`. */
function readCount<K extends string>(kind: K) {
  return (text: string, fail: (why: string) => never): { kind: K; count: number } | null => {
    const found = new RegExp(`^(?:(\\d+(?:\\.\\d+)?)\\s*)?${kind}s?$`).exec(text);
    if (!found) return null;
    const count = Number(found[1] ?? 1);
    if (!(count > 0)) fail("a step is longer than nothing.");
    if (!Number.isInteger(count)) fail(`${kind}s are counted whole.`);
    return { kind, count };
  };
}

const Bar = z.object({ kind: z.literal("bar"), count: counted(1000) });
const bar: StepKind<z.infer<typeof Bar>> = {
  figures: Bar,
  musical: true,
  measure: ({ count }) => ofUnit("bar", count),
  words: ({ count }) => plural(count, "bar"),
  read: readCount("bar"),
};

const Beat = z.object({ kind: z.literal("beat"), count: counted(1000) });
const beat: StepKind<z.infer<typeof Beat>> = {
  figures: Beat,
  musical: true,
  measure: ({ count }) => ofUnit("beat", count),
  words: ({ count }) => plural(count, "beat"),
  read: readCount("beat"),
};

const Note = z.object({
  kind: z.literal("note"),
  division: z.literal([...NOTE_DIVISIONS]),
  feel: z.enum(["straight", "dotted", "triplet"]).default("straight"),
});
const note: StepKind<z.infer<typeof Note>> = {
  figures: Note as z.ZodType<z.infer<typeof Note>>,
  musical: true,
  measure: ({ division, feel }) => ofUnit("tick", noteTicks(division, feel)),
  words: ({ division, feel }) => `1/${division}${feel === "straight" ? "" : ` ${feel}`}`,
  read: (text, fail) => {
    const found = /^1\/(\d+)\s*(dotted|triplet|straight)?$/.exec(text);
    if (!found) return null;
    const division = NOTE_DIVISIONS.find((d) => d === Number(found[1])) ?? fail(`notes are ${NOTE_DIVISIONS.map((d) => `1/${d}`).join(", ")}.`);
    return { kind: "note", division, feel: (found[2] ?? "straight") as NoteFeel };
  },
};

const Part = z.object({ kind: z.literal("part"), parts: z.int().min(LEAST_PARTS).max(MOST_PARTS) });
const part: StepKind<z.infer<typeof Part>> = {
  figures: Part,
  musical: true,
  measure: ({ parts }) => ofUnit("beat", 1, parts),
  words: ({ parts }) => `beat in ${parts}`,
  read: (text, fail) => {
    const found = /^beat (?:in|\/) ?(\d+)$|^1\/(\d+) beat$/.exec(text);
    if (!found) return null;
    const parts = Number(found[1] ?? found[2]);
    if (parts < LEAST_PARTS || parts > MOST_PARTS) fail(`a beat is divided into ${LEAST_PARTS} to ${MOST_PARTS} parts.`);
    return { kind: "part", parts };
  },
};

const Tick = z.object({ kind: z.literal("tick"), count: counted(1_000_000) });
const tick: StepKind<z.infer<typeof Tick>> = {
  figures: Tick,
  musical: true,
  measure: ({ count }) => ofUnit("tick", count),
  words: ({ count }) => plural(count, "tick"),
  read: readCount("tick"),
};

const MILLISECONDS: Readonly<Record<string, number>> = {
  m: 1,
  ms: 1,
  millisecond: 1,
  "": 1000,
  s: 1000,
  sec: 1000,
  second: 1000,
  min: 60_000,
  minute: 60_000,
};
const Time = z.object({ kind: z.literal("time"), milliseconds: z.number().min(0.1).max(3_600_000) });
const time: StepKind<z.infer<typeof Time>> = {
  figures: Time,
  musical: false,
  measure: ({ milliseconds }, { sampleRate }) => {
    const ms = fromDecimal(milliseconds);
    const middle = Math.max(1, Math.round(1000 / milliseconds));
    return { unit: "sample", num: Number(ms.num) * sampleRate, den: Number(ms.den) * 1000, coarse: middle * 10, middle };
  },
  words: ({ milliseconds: ms }) => (ms >= 60_000 && ms % 60_000 === 0 ? `${ms / 60_000} min` : ms >= 1000 ? `${ms / 1000} s` : `${ms} ms`),
  read: (text, fail) => {
    const found = /^(\d+(?:\.\d+)?)\s*([a-z]+)$/.exec(text);
    const each = found && MILLISECONDS[found[2].replace(/s$/, "")];
    if (!found || each === null || each === undefined) return null;
    if (!(Number(found[1]) > 0)) fail("a step is longer than nothing.");
    return { kind: "time", milliseconds: Number(found[1]) * each };
  },
};

const Frame = z.object({ kind: z.literal("frame"), fraction: z.literal([1, 0.5, 0.25]).default(1), count: counted(1_000_000) });
const frame: StepKind<z.infer<typeof Frame>> = {
  figures: Frame as z.ZodType<z.infer<typeof Frame>>,
  musical: false,
  measure: ({ fraction, count }, { sampleRate, frameRate }) => {
    const parts = 1 / fraction;
    const coarse = Math.max(1, Math.round((frameRate.count * parts) / count));
    return { unit: "sample", num: sampleRate * frameRate.den * count, den: frameRate.num * parts, coarse, middle: parts };
  },
  words: ({ fraction, count }) => (fraction === 1 ? plural(count, "frame") : fraction === 0.5 ? "half frame" : "quarter frame"),
  read: (text, fail) => {
    const found = /^(half|quarter) frames?$/.exec(text);
    if (found) return { kind: "frame", fraction: found[1] === "half" ? 0.5 : 0.25, count: 1 };
    const whole = readCount("frame")(text, fail);
    return whole && { kind: "frame", fraction: 1, count: whole.count };
  },
};

const Sample = z.object({ kind: z.literal("sample"), count: counted(1_000_000_000) });
const sample: StepKind<z.infer<typeof Sample>> = {
  figures: Sample,
  musical: false,
  measure: ({ count }) => ({ unit: "sample", num: count, den: 1, coarse: 100, middle: 10 }),
  words: ({ count }) => plural(count, "sample"),
  read: readCount("sample"),
};

/** A grid step, or a nudge value, as it is sent and kept. */
export const GridStep = z.discriminatedUnion("kind", [Bar, Beat, Note, Part, Tick, Time, Frame, Sample]);
export type GridStep = Readonly<z.infer<typeof GridStep>>;

type Kind = GridStep["kind"];
const KINDS: { readonly [K in Kind]: StepKind<Extract<GridStep, { kind: K }>> } = { bar, beat, note, part, tick, time, frame, sample };
const kindOf = (step: GridStep): StepKind<GridStep> => KINDS[step.kind] as unknown as StepKind<GridStep>;

/** How a step is counted. Throws RangeError for a step of nothing. */
export function measureOf(step: GridStep, rates: Rates): Measure {
  const measure = kindOf(step).measure(step, rates);
  const positive = measure.unit === "sample" ? measure.num > 0 && measure.den > 0 : measure.count > 0 && measure.parts >= 1;
  if (!positive) throw new RangeError(step.kind === "sample" ? "A grid step is at least one sample." : "A grid step is longer than nothing.");
  return measure;
}

/** Whether a step is counted along bars and beats. */
export const isMusical = (step: GridStep): boolean => kindOf(step).musical;

/** A step in words: "bar", "2 bars", "1/16", "1/8 triplet", "beat in 5", "100 ms", "half frame", "480 ticks". */
export const describeStep = (step: GridStep): string => kindOf(step).words(step);

/**
 * Reads a grid step or nudge value that a person typed: `1/16`, `1/8 triplet`, `1/4 dotted`, `beat in 5`, `2 bars`, `3 beats`, `480 ticks`, `10 ms`, `1.5 s`,
 * `5 frames`, `half frame`, `quarter frame`, `100 samples`. Throws RangeError that says what was not understood.
 */
export function parseStep(text: string): GridStep {
  const fail = (why: string): never => {
    throw new RangeError(`"${text}" was not understood: ${why}`);
  };
  const raw = text.trim().toLowerCase();
  for (const kind of Object.values(KINDS)) {
    const step = kind.read(raw, fail);
    if (step) return step;
  }
  const unit = /^\d+(?:\.\d+)?\s*([a-z]+)$/.exec(raw);
  return fail(
    unit ? `there is no unit "${unit[1]}".` : "it is no note like 1/16 and no number with a unit like 3 beats, 10 ms, 5 frames or 100 samples.",
  );
}
