import type { Processor, ProcessorKind } from "@wet-thread/core/model/recipe/treatment";

export const NAMES: Readonly<Record<ProcessorKind, string>> = {
  gain: "Gain",
  invert: "Invert",
  normalise: "Normalise",
  lowCut: "Low cut",
  highCut: "High cut",
  lowShelf: "Low shelf",
  highShelf: "High shelf",
  bell: "Bell",
  notch: "Notch",
  gate: "Gate",
  compressor: "Compressor",
  drive: "Drive",
  echo: "Echo",
  room: "Room",
  chorus: "Chorus",
  phaser: "Phaser",
};

/** A number of a processor: its name, unit and bounds; `part` is shown as a percentage. */
export type Knob = readonly [key: string, label: string, unit: string, least: number, most: number, part?: true];
const HZ: Knob = ["hz", "Frequency", "Hz", 10, 40_000];
const MIX: Knob = ["mix", "Mix", "%", 0, 1, true];
const RATE: Knob = ["rate", "Rate", "Hz", 0.02, 10];
export const KNOBS: Readonly<Record<ProcessorKind, readonly Knob[]>> = {
  gain: [["db", "Gain", "dB", -96, 48]],
  invert: [],
  normalise: [["level", "Level", "dB", -60, 0]],
  lowCut: [HZ, ["q", "Q", "", 0.1, 40]],
  highCut: [HZ, ["q", "Q", "", 0.1, 40]],
  lowShelf: [HZ, ["db", "Gain", "dB", -36, 36], ["s", "Slope", "", 0.1, 1]],
  highShelf: [HZ, ["db", "Gain", "dB", -36, 36], ["s", "Slope", "", 0.1, 1]],
  bell: [HZ, ["db", "Gain", "dB", -36, 36], ["q", "Q", "", 0.1, 40]],
  notch: [HZ, ["q", "Q", "", 0.1, 40]],
  gate: [
    ["threshold", "Threshold", "dB", -96, 0],
    ["floor", "Floor", "dB", -96, 0],
    ["attack", "Attack", "ms", 0.05, 500],
    ["hold", "Hold", "ms", 0, 2000],
    ["release", "Release", "ms", 1, 5000],
    ["ahead", "Look ahead", "ms", 0, 100],
  ],
  compressor: [
    ["threshold", "Threshold", "dB", -60, 0],
    ["ratio", "Ratio", ": 1", 1, 50],
    ["knee", "Knee", "dB", 0, 24],
    ["attack", "Attack", "ms", 0.05, 500],
    ["release", "Release", "ms", 1, 5000],
    ["makeUp", "Make-up", "dB", -24, 36],
  ],
  drive: [["db", "Drive", "dB", 0, 48], MIX],
  echo: [["time", "Time", "ms", 1, 4000], ["feedback", "Feedback", "%", 0, 0.95, true], ["tone", "Tone", "Hz", 10, 40_000], MIX],
  room: [
    ["size", "Size", "%", 0.1, 1, true],
    ["decay", "Decay", "s", 0.1, 15],
    ["tone", "Tone", "Hz", 10, 40_000],
    ["preDelay", "Pre-delay", "ms", 0, 250],
    MIX,
  ],
  chorus: [RATE, ["depth", "Depth", "ms", 0.1, 20], MIX],
  phaser: [RATE, ["depth", "Depth", "%", 0, 1, true], ["feedback", "Feedback", "%", 0, 0.9, true], MIX],
};

export const numberOf = (p: Processor, key: string): number => (p as unknown as Record<string, number>)[key];
/** Ranges that span so much are turned through evenly, as frequencies and times are heard. */
export const EVEN_FROM = 20;
export const shown = (p: Processor, [key, , , , , part]: Knob): string => {
  const v = numberOf(p, key);
  return String(Math.round((part ? 100 * v : v) * 100) / 100);
};

/** What stands beside a processor's name: the figure that tells most. */
export function summary(p: Processor): string {
  if (p.kind === "normalise") return `${p.level} ${p.to === "peak" ? "dBFS" : "LUFS"}, ${p.gain >= 0 ? "+" : "−"}${Math.abs(p.gain).toFixed(1)} dB`;
  const [first] = KNOBS[p.kind];
  return first ? `${shown(p, first)} ${first[2]}` : "";
}
