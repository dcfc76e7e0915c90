import { z } from "zod";
import { blendAfter } from "../../../model/document";
import { madeLength } from "../../../model/recipe/played-recording";
import { Chain, type Processor, ringsOn, tailOf } from "../../../model/recipe/treatment";
import { type Clip, clipEnd, Position, type Recipe, type Treatment } from "../../../model/schema";
import { unbroken } from "../../../seam/continuity";
import { cutTracks } from "../../cutting/cut";
import { withEnd, withStart } from "../../cutting/parts";
import { ClipIds, countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { readRecipe, recordingOf, remade } from "../../remaking/remake";
import type { Transaction } from "../../transaction";

/** A clip without its treatment: the same moments, and nothing of the tail that it had grown by. */
function untreated(tx: Transaction, clip: Clip): Clip {
  const { recipe } = clip;
  if (!recipe?.treat) return clip;
  const { treat, turned, reverse, ...time } = recipe;
  const source = recordingOf(tx, clip);
  // Turned round twice is not turned.
  const next = readRecipe({ ...time, ...((reverse ?? false) !== (turned ?? false) && { reverse: true as const }) }, "clipIds");
  let shown = clip;
  if (treat.tail > 0) {
    // What lies behind the window is tail alone; turned round, before it.
    const whole = madeLength(source.length, recipe);
    const tail = turned ? whole - treat.window.to - clip.offset : clip.offset + clip.length - treat.window.to;
    if (tail > 0 && tail < clip.length) shown = turned ? withStart(clip, clip.start + tail) : withEnd(clip, clipEnd(clip) - tail);
  }
  const { start } = shown;
  return { ...remade(source, shown, next, "clipIds"), start };
}

/** Clips that run unbroken into each other, in order; others are alone. */
function runsOf(clips: readonly Clip[]): Clip[][] {
  const runs: Clip[][] = [];
  for (const clip of [...clips].sort((a, b) => (a.trackId === b.trackId ? a.start - b.start : a.trackId < b.trackId ? -1 : 1))) {
    const last = runs.at(-1)?.at(-1);
    if (last && unbroken(last, clip)) runs.at(-1)?.push(clip);
    else runs.push([clip]);
  }
  return runs;
}

/** How a chain is laid on what is treated already: in place of what it has, or behind it. */
type Laying = "instead" | "behind";

/** A clip with another treatment, at the same moments as far as that is as long as the one before; turned round, moments count from the other end. */
function withTreatment(tx: Transaction, clip: Clip, treat: Treatment): Clip {
  const source = recordingOf(tx, clip);
  const recipe = readRecipe({ ...clip.recipe, treat }, "chain") as Recipe;
  const [was, is] = [madeLength(source.length, clip.recipe), madeLength(source.length, recipe)];
  const turned = recipe.turned ?? false;
  const from = turned ? was - clip.offset - clip.length : clip.offset;
  // What lay in a longer tail is gone with it.
  const rings = (clip.recipe?.treat?.tail ?? 0) > treat.tail ? treat.window.to + treat.tail : Number.POSITIVE_INFINITY;
  const end = Math.min(is, from + clip.length, Math.max(from + 1, rings));
  const less = clip.length - (end - from);
  if (from >= is) throw new EditError(`${clip.name || "The clip"} lies in the tail of its treatment alone, and the new one has none there.`, "chain");
  const next = less <= 0 ? clip : turned ? withStart(clip, clip.start + less) : withEnd(clip, clipEnd(clip) - less);
  return { ...next, offset: turned ? is - end : from, recipe };
}

/** Lays a chain on clips, or takes treatments off; returns those whose end came to lie elsewhere. */
function lay(tx: Transaction, clips: readonly Clip[], chain: readonly Processor[] | null, grow: boolean, how: Laying): string[] {
  if (!chain) {
    for (const clip of clips) tx.setClip(untreated(tx, clip));
    return [];
  }
  const grown: string[] = [];
  for (const run of runsOf(clips)) {
    const from = Math.min(...run.map((c) => c.offset));
    const to = Math.max(...run.map((c) => c.offset + c.length));
    for (const clip of run) {
      const had = clip.recipe?.treat;
      const whole = how === "behind" && had ? [...had.chain, ...chain] : [...chain];
      const tail = ringsOn(whole) ? Math.ceil(tailOf(whole) * tx.before.sampleRate) : 0;
      // One that is changed stays on the window that it was laid on.
      const window = had?.window ?? { from, to };
      let next = withTreatment(tx, clip, { chain: whole, window, tail });
      const ends = clip === run.at(-1) && !clip.recipe?.turned && clip.offset + clip.length >= window.to;
      const more = grow && tail > 0 && ends ? window.to + tail - next.offset - next.length : 0;
      if (more > 0 && blendAfter(tx.doc, clip))
        tx.notes.push(`${clip.name || "A clip"} blends into the next one, so it was not lengthened by what rings on.`);
      else if (more > 0) {
        next = withEnd(next, clipEnd(next) + more);
        grown.push(clip.id);
      }
      tx.setClip(next);
    }
  }
  return grown;
}

const chainParam = Chain.nullable().describe("the processors in their order; null takes the treatment off");
const howParam = (usual: Laying) =>
  z.enum(["instead", "behind"]).default(usual).describe("in place of the treatment that a clip has, or behind its processors");
const growParam = z.boolean().default(false).describe("lets clips end later by the tail of an echo or a room");

const nameOf = (chain: readonly Processor[] | null, what: string): string => (chain ? `Treat ${what}` : `Take treatment off ${what}`);

export const treat = defineEdit({
  type: "treat",
  law: { sound: "clips", fields: [...WINDOW, "recipe"] },
  about:
    "Lays a treatment on clips: a chain of processors, in place of any they had; null takes it off. The recording is not changed. Clips that run unbroken into each other are treated as one. The `gain` of normalise is worked out by whoever lays it on.",
  params: z.object({ clipIds: ClipIds, chain: chainParam, grow: growParam, how: howParam("instead"), ...overlapParams }),
  example: { type: "treat", clipIds: ["clip-1"], chain: [{ kind: "lowCut", hz: 120 }] },
  apply(tx, { clipIds, chain, grow, how, ...landing }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    for (const clip of clips) recordingOf(tx, clip);
    if (!chain && clips.every((c) => !c.recipe?.treat)) throw new EditError("None of these clips is treated.", "clipIds");
    const grown = lay(tx, clips, chain, grow, how);
    if (grown.length > 0) resolveOverlaps(tx, grown, landing, true);
    const names = countNames(
      clips.map((c) => c.name),
      "clip",
    );
    return nameOf(chain, names);
  },
});

export const treatRange = defineEdit({
  type: "treat-range",
  law: { sound: "span", fields: [...WINDOW, "recipe"] },
  about:
    "Lays a treatment on what lies in a range, across the borders of clips, which are cut only at its edges: behind what each clip's chain already has, or `how` instead of it; null takes it off.",
  params: z
    .object({ start: Position, end: Position, trackIds: TrackIds, chain: chainParam, grow: growParam, how: howParam("behind") })
    .refine((p) => p.end > p.start, { message: "A range ends after it starts.", path: ["end"] }),
  example: { type: "treat-range", start: 12000, end: 36000, trackIds: ["track-1"], chain: [{ kind: "invert" }] },
  links: "trackIds",
  apply(tx, { start, end, trackIds, chain, grow, how }) {
    for (const id of trackIds) tx.track(id, "trackIds");
    const touched = trackIds.flatMap((id) => tx.lane(id).within(start, end));
    if (touched.length === 0) throw new EditError("No clip lies in the range.", "trackIds");
    if (!chain && touched.every((c) => !c.recipe?.treat)) throw new EditError("Nothing in the range is treated.", "trackIds");
    cutTracks(tx, trackIds, [start, end]);
    const clips = trackIds.flatMap((id) => tx.lane(id).within(start, end)).filter((c) => c.start >= start && clipEnd(c) <= end);
    for (const clip of clips) recordingOf(tx, clip);
    const grown = lay(tx, clips, chain, grow, how);
    if (grown.length > 0) resolveOverlaps(tx, grown, { overlap: "layer" }, true);
    return nameOf(chain, "range");
  },
});
