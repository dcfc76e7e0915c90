import { type GridStep, LEAST_PARTS, MOST_PARTS, NOTE_DIVISIONS, type NoteFeel } from "./grid";

/**
 * Reads a grid step or nudge value that a person typed: `1/16`, `1/8 triplet`, `1/4 dotted`, `beat in 5`, `2 bars`, `3 beats`, `480 ticks`, `10 ms`, `1.5 s`,
 * `5 frames`, `half frame`, `quarter frame`, `100 samples`. Throws RangeError that says what was not understood.
 */
export function parseStep(text: string): GridStep {
  const raw = text.trim().toLowerCase();
  const fail = (why: string): never => {
    throw new RangeError(`"${text}" was not understood: ${why}`);
  };
  const note = /^1\/(\d+)\s*(dotted|triplet|straight)?$/.exec(raw);
  if (note) {
    const division = Number(note[1]);
    if (!(NOTE_DIVISIONS as readonly number[]).includes(division)) fail(`notes are ${NOTE_DIVISIONS.map((d) => `1/${d}`).join(", ")}.`);
    return { kind: "note", division, feel: (note[2] ?? "straight") as NoteFeel };
  }
  const parted = /^beat (?:in|\/) ?(\d+)$|^1\/(\d+) beat$/.exec(raw);
  if (parted) {
    const parts = Number(parted[1] ?? parted[2]);
    if (parts < LEAST_PARTS || parts > MOST_PARTS) fail(`a beat is divided into ${LEAST_PARTS} to ${MOST_PARTS} parts.`);
    return { kind: "part", parts };
  }
  if (/^(half|quarter) frames?$/.test(raw)) return { kind: "frame", fraction: raw.startsWith("half") ? 0.5 : 0.25, count: 1 };
  const counted = /^(\d+(?:\.\d+)?)\s*([a-z]+)$/.exec(raw) ?? /^()(bar|beat|tick|frame|sample)s?$/.exec(raw);
  if (!counted) return fail("it is no note like 1/16 and no number with a unit like 3 beats, 10 ms, 5 frames or 100 samples.");
  const value = counted[1] === "" ? 1 : Number(counted[1]);
  const unit = counted[2].replace(/s$/, "") || "s";
  if (!(value > 0)) fail("a step is longer than nothing.");
  if (unit === "m" || unit === "ms" || unit === "millisecond") return { kind: "time", milliseconds: value };
  if (unit === "s" || unit === "sec" || unit === "second") return { kind: "time", milliseconds: value * 1000 };
  if (unit === "min" || unit === "minute") return { kind: "time", milliseconds: value * 60_000 };
  if (!["bar", "beat", "tick", "frame", "sample"].includes(unit)) fail(`there is no unit "${counted[2]}".`);
  if (!Number.isInteger(value)) fail(`${unit}s are counted whole.`);
  return unit === "frame" ? { kind: "frame", fraction: 1, count: value } : { kind: unit as "bar" | "beat" | "tick" | "sample", count: value };
}
