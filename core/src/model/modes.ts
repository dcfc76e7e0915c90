import { z } from "zod";
import { GridStep } from "../time/grid-step";
import { Bend, FadeShape } from "./schema";

/** The rows above the lanes, in this order. */
export const RULERS = ["sections", "tempo", "bars", "time", "timecode", "samples"] as const;
export const OVERLAPS = ["blend", "layer", "cover"] as const;
/** What neighbours do; `place` moves as hold does, and asks for the exact position at each drop. */
export const NEIGHBOURS = ["hold", "ripple", "reorder", "place"] as const;
export const REACHES = ["track", "linked", "all"] as const;

const Target = z.enum(["grid", "edge", "playhead", "marker", "range", "transient", "zero"]);
const Unit = z.enum(["bars", "time", "timecode", "samples"]);
/** Longest fade that new edges get, in ms. */
const MOST_FADE_MS = 60_000;

/** The modes of a version: how one works on it. They change nothing that is there, and are no steps. */
export const Modes = z.object({
  neighbours: z.enum(NEIGHBOURS),
  reach: z.enum(REACHES),
  overlaps: z.enum(OVERLAPS),
  keepAttacks: z.boolean().describe("blends that a drop or a trim makes end before a hit of the later clip"),
  linksOn: z.boolean().describe("linked tracks are edited together"),
  snapOn: z.boolean(),
  targets: z.array(Target).max(7).readonly().describe("what attracts"),
  placing: z.enum(["line", "offset"]),
  pull: z.enum(["always", "near"]),
  moveEdge: z
    .enum(["start", "end", "near"])
    .describe("which edge of a clip that is moved snaps; near: the one nearest to where it was taken hold of"),
  edgeTargets: z.enum(["both", "starts"]).describe("which edges of other clips attract"),
  family: z.enum(["musical", "time", "frame", "sample"]),
  followsZoom: z.boolean(),
  step: GridStep,
  finest: GridStep.nullable().describe("finest step of a grid that follows zoom"),
  showGrid: z.boolean(),
  rulers: z.array(z.enum(RULERS)).max(RULERS.length).readonly(),
  readOuts: z.tuple([Unit, Unit]).readonly(),
  nudge: z.union([z.object({ kind: z.literal("step"), step: GridStep }), z.object({ kind: z.literal("grid") })]),
  edgeFadeMs: z.number().min(0).max(MOST_FADE_MS).describe("what new edges get"),
  edgeBlends: z.boolean().describe("where a new edge meets another one both get a blend in place of the fade"),
  edgeFadeShape: FadeShape,
  edgeFadeBend: Bend,
});
export type Modes = Readonly<z.infer<typeof Modes>>;

/** The modes of a piece that has no tempo: minutes and seconds, a grid of seconds, no bars anywhere. */
export const WITHOUT_BARS = {
  family: "time",
  step: { kind: "time", milliseconds: 100 },
  rulers: ["sections", "time"],
  readOuts: ["time", "samples"],
} as const satisfies Partial<Modes>;

/** Whether nothing of what one works with is counted in bars. */
export const isWithoutBars = ({ family, rulers, readOuts }: Pick<Modes, "family" | "rulers" | "readOuts">): boolean =>
  family !== "musical" && !rulers.includes("bars") && !rulers.includes("tempo") && !readOuts.includes("bars");

/** Modes as they were kept: what is not known, or no longer holds, is left out. */
export function keptModes(kept: unknown): Partial<Modes> {
  const given = typeof kept === "object" && kept !== null ? (kept as Record<string, unknown>) : {};
  return Object.fromEntries(
    Object.entries(Modes.shape).flatMap(([name, schema]) => {
      const read = schema.safeParse(given[name]);
      return read.success ? [[name, read.data]] : [];
    }),
  );
}
