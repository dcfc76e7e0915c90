import { z } from "zod";
import { Bend, FadeShape, Id, Position } from "../model/schema";
import type { NewEdges } from "./edge-origins";
import type { Law } from "./law";
import type { Transaction } from "./transaction";

/** An edit: its parameters, what it does to a transaction, and an example for the docs that the tests run. */
export interface EditDefinition<P = unknown> {
  readonly type: string;
  /** What it may do to the sound and to clips. */
  readonly law: Law;
  /** One sentence for the docs. */
  readonly about: string;
  readonly params: z.ZodType<P>;
  readonly example: Record<string, unknown>;
  /** What links between tracks extend: the clips named, the one clip named, the tracks, the seams, or the bundle. */
  readonly links?: Linking;
  /** Carries it out and returns the name of the step, as the history shows it. */
  apply(tx: Transaction, params: P): string;
}

export type Linking = "clipIds" | "clipId" | "trackIds" | "seams" | "bundleId";

export function defineEdit<S extends z.ZodType>(edit: {
  type: string;
  law: Law;
  about: string;
  params: S;
  example: Record<string, unknown>;
  links?: Linking;
  apply(tx: Transaction, params: z.output<S>): string;
}): EditDefinition {
  return edit as unknown as EditDefinition;
}

/** One that is named twice is meant once. */
const once = (ids: string[]): string[] => [...new Set(ids)];
export const ClipIds = z.array(Id).min(1, "Name at least one clip.").transform(once).describe("the clips");
export const TrackIds = z.array(Id).min(1, "Name at least one track.").transform(once).describe("the tracks");

/** What every edit takes besides its own parameters. */
export const Common = z.object({
  /** Fade that new edges get (the mode line's "new edges fade"); left out, they stay bare. */
  edgeFade: z
    .strictObject({
      length: z.int().min(0),
      shape: FadeShape.default("power"),
      bend: Bend.default(0),
      attacks: z.boolean().default(false).describe("a fade-in ends where a hit of its clip begins, 16 samples being the least"),
    })
    .optional()
    .describe("fade for each edge that the edit lays bare; it is lent, and goes by itself where the audio runs on again"),
  edgeBlend: z
    .boolean()
    .default(false)
    .describe("a blend as long as `edgeFade` where a new edge meets another one and there is material; else the fade"),
  /** Makes the ids of new things; the server chooses one if left out. */
  key: z
    .string()
    .regex(/^[a-z0-9]{4,40}$/, "A key is 4 to 40 small letters and digits.")
    .optional(),
  links: z.boolean().default(true).describe("whether the edit is made on linked tracks too; false suspends the links for it"),
  inside: Id.optional().describe("the bundle in which the edit is made: new clips join it, and a split does not divide it"),
});

/** What new edges get, as an edit was told it; undefined where it was told nothing. */
export const newEdgesOf = ({ edgeFade, edgeBlend }: Pick<z.output<typeof Common>, "edgeFade" | "edgeBlend">): NewEdges | undefined =>
  edgeFade && { ...edgeFade, blend: edgeBlend, lent: true };

export { Position };

/** "Shuttle 7" for one, "3 clips" for several. */
export function countNames(names: readonly string[], word: string): string {
  return names.length === 1 ? names[0] || `1 ${word}` : `${names.length} ${word}s`;
}
