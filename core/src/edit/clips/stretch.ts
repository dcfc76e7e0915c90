import { z } from "zod";
import { blendAfter } from "../../model/document";
import { kindOf, mapOf, ownEdge, ownWindow, playedEdge, runsBackwards } from "../../model/played";
import { type Clip, clipEnd, Length, MOST_POINTS, Pitch, Position, type SourceInfo, StretchKind } from "../../model/schema";
import { fromDecimal } from "../../time/rational";
import { MOST_STRETCH, madeAt, recordedAt, type Tie } from "../../time/time-map";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { neighbourParams, ripple, type TimeChange } from "../neighbours";
import { overlapParams, settleOverlaps } from "../overlap";
import { placedWindow, recordingOf, remade, retimed, type Timing, timingOf } from "../remake";
import type { Transaction } from "../transaction";
import { earlyWords } from "../words";

const Landing = { ...overlapParams, ...neighbourParams };

/** Lays clips that became longer or shorter: neighbours and overlaps as the mode line says, linked clips in step with those they follow. */
function lay(
  tx: Transaction,
  next: readonly Clip[],
  edge: "start" | "end",
  { overlap, blendLength, attacks, neighbours, reach }: z.output<z.ZodObject<typeof Landing>>,
): void {
  const ripples = neighbours !== "hold";
  const changes: TimeChange[] = [];
  const along = new Map<string, number>();
  const made = new Map(next.map((c) => [c.id, c]));
  for (const clip of next) {
    const was = tx.clip(clip.id);
    const lead = tx.leads.get(clip.id);
    const [before, after] = lead ? [tx.clip(lead), made.get(lead)] : [was, clip];
    let start = edge === "start" && !ripples ? clipEnd(was) - clip.length : was.start;
    if (after && before.id !== clip.id) {
      const from = edge === "start" && !ripples ? clipEnd(before) - after.length : before.start;
      start = from + Math.round(((was.start - before.start) * after.length) / before.length);
    }
    if (start < 0) throw new EditError(earlyWords(clip.name || "The clip", -start, tx.before.sampleRate), "length");
    changes.push({ trackId: was.trackId, at: clipEnd(was), by: clip.length - was.length });
    const follower = blendAfter(tx.before, was);
    if (ripples && follower) along.set(follower.id, clipEnd(was));
    const { bars: _, ...rest } = clip;
    made.set(clip.id, { ...rest, start, ...(start === was.start && was.bars && { bars: was.bars }) });
  }
  for (const clip of made.values()) tx.setClip(clip);
  if (ripples)
    ripple(
      tx,
      changes.filter((c) => c.by !== 0),
      neighbours === "reorder" ? "track" : reach,
      { along },
    );
  const inOrder = [...made.values()].sort((a, b) => a.start - b.start).map((c) => c.id);
  settleOverlaps(tx, inOrder, { overlap, blendLength, attacks }, true);
}

const distinct = (tx: Transaction, ids: readonly string[]): Clip[] => [...new Set(ids)].map((id) => tx.clip(id));
const namesOf = (clips: readonly Clip[]): string =>
  countNames(
    clips.map((c) => c.name),
    "clip",
  );

/** Refuses in words what lies outside the bounds of stretching. */
function checkRatio(clip: Clip, from: number, to: number, path: string): void {
  if (to > from * MOST_STRETCH || from > to * MOST_STRETCH)
    throw new EditError(
      `${clip.name || "The clip"} can be at most ${MOST_STRETCH} times as long, or as short, as its recording there: this would be ${(to / from).toFixed(2)} times.`,
      path,
    );
}

/** A clip's own window, in at most so many samples of its recording that a ratio to them says its length. */
interface Ratio {
  readonly from: number;
  readonly to: number;
}

/** What is made of a clip when its window of the recording becomes another length; one that is warped keeps its points where they are in it. */
function stretchedTo(source: SourceInfo, clip: Clip, kind: StretchKind, { from, to }: Ratio): Timing {
  const warp = clip.recipe?.warp;
  if (!warp) return { ...timingOf(clip), stretch: { kind, from, to } };
  const window = ownWindow(source, clip);
  const map = mapOf(clip.recipe);
  const [first, last] = [madeAt(map, window.from), madeAt(map, window.to)];
  const inside = warp.points.filter((p) => p.from > window.from && p.from < window.to);
  const points = [{ from: window.from, to: first }, ...inside, { from: window.to, to: last }].map((p) => ({
    from: p.from,
    to: window.from + Math.round(((p.to - first) * to * (window.to - window.from)) / (from * (last - first))),
  }));
  return { ...timingOf(clip), warp: { kind, points } };
}

export const stretch = defineEdit({
  type: "stretch",
  about:
    "Makes clips longer or shorter by stretching their sound: to a `length`, by a `factor` of the recording's own (1 is as it was), or by a `ratio`, exactly `from` samples to `to`; or changes only the `kind` (smooth keeps pitch, hits keeps attacks too, tape changes pitch with speed). The recording is not changed; `edge` is the one that moves.",
  params: z
    .object({
      clipIds: ClipIds,
      kind: StretchKind.optional(),
      length: Length.optional(),
      factor: z
        .number()
        .min(1 / MOST_STRETCH)
        .max(MOST_STRETCH)
        .optional(),
      ratio: z.object({ from: Length, to: Length }).optional(),
      edge: z.enum(["start", "end"]).default("end"),
      ...Landing,
    })
    .refine((p) => [p.length, p.factor, p.ratio].filter((x) => x !== undefined).length <= 1, {
      message: "Give `length`, `factor` or `ratio`, one of them.",
      path: ["length"],
    })
    .refine((p) => p.kind !== undefined || p.length !== undefined || p.factor !== undefined || p.ratio !== undefined, {
      message: "Give `length`, `factor`, `ratio` or `kind`.",
      path: ["length"],
    }),
  example: { type: "stretch", clipIds: ["clip-1"], length: 96000, kind: "smooth" },
  links: "clipIds",
  apply(tx, { clipIds, kind, length, factor, ratio, edge, ...landing }) {
    const clips = distinct(tx, clipIds);
    const ratios = new Map<string, Ratio>();
    const ratioOf = (clip: Clip): Ratio => {
      const source = recordingOf(tx, clip);
      const window = ownWindow(source, clip);
      if (ratio) return ratio;
      if (factor !== undefined) {
        const { num, den } = fromDecimal(factor);
        return { from: Number(den), to: Number(num) };
      }
      // A window so short that it maps to none of its recording counts as one sample of it.
      return { from: Math.max(1, window.to - window.from), to: length ?? clip.length };
    };
    for (const clip of clips) if (!tx.leads.has(clip.id)) ratios.set(clip.id, ratioOf(clip));
    const next = clips.map((clip) => {
      const source = recordingOf(tx, clip);
      const own = kind ?? kindOf(clip.recipe);
      const only = length === undefined && factor === undefined && ratio === undefined;
      if (only) {
        const made = timingOf(clip);
        const making = made?.warp
          ? { ...made, warp: { ...made.warp, kind: own } }
          : made?.stretch
            ? { ...made, stretch: { ...made.stretch, kind: own } }
            : made && { ...made, stretch: { kind: own, from: 1, to: 1 } };
        if (!making) throw new EditError(`${clip.name || "The clip"} is neither stretched nor shifted in pitch.`, "kind");
        return remade(source, clip, retimed(source, clip, making, "kind"), "kind");
      }
      const wanted = ratios.get(tx.leads.get(clip.id) ?? clip.id) as Ratio;
      const path = ratio ? "ratio" : factor === undefined ? "length" : "factor";
      checkRatio(clip, wanted.from, wanted.to, path);
      return remade(source, clip, retimed(source, clip, stretchedTo(source, clip, own, wanted), path), path);
    });
    lay(tx, next, edge, landing);
    return `Stretch ${namesOf(clips)}`;
  },
});

export const setPitch = defineEdit({
  type: "set-pitch",
  about: "Shifts the pitch of clips by cents (-2400 to 2400) and keeps their length; 0 takes the shift off.",
  params: z.object({ clipIds: ClipIds, cents: Pitch, kind: StretchKind.optional() }),
  example: { type: "set-pitch", clipIds: ["clip-1"], cents: -200 },
  links: "clipIds",
  apply(tx, { clipIds, cents, kind }) {
    const clips = distinct(tx, clipIds);
    for (const clip of clips) {
      const source = recordingOf(tx, clip);
      const { stretch: had, warp } = timingOf(clip) ?? {};
      const own = kind ?? kindOf(clip.recipe);
      const timing: Timing = {
        ...(warp ? { warp: { ...warp, kind: own } } : { stretch: had ? { ...had, kind: own } : { kind: own, from: 1, to: 1 } }),
        ...(cents !== 0 && { pitch: cents }),
      };
      tx.setClip(remade(source, clip, retimed(source, clip, timing, "cents"), "cents"));
    }
    return cents === 0 ? `Take pitch shift off ${namesOf(clips)}` : `Shift pitch of ${namesOf(clips)}`;
  },
});

export const asRecorded = defineEdit({
  type: "as-recorded",
  about: "Takes stretch, warp and pitch off clips: the same moments of the recording, as long and as high as they were.",
  params: z.object({ clipIds: ClipIds, ...Landing }),
  example: { type: "as-recorded", clipIds: ["clip-6"] },
  links: "clipIds",
  apply(tx, { clipIds, ...landing }) {
    const clips = distinct(tx, clipIds);
    if (clips.every((c) => !timingOf(c))) throw new EditError("These clips play their recordings as they were.", "clipIds");
    const next = clips.map((clip) => {
      const source = recordingOf(tx, clip);
      return remade(source, clip, retimed(source, clip, undefined, "clipIds"), "clipIds");
    });
    lay(tx, next, "end", landing);
    return `${namesOf(clips)} as recorded`;
  },
});

/**
 * Warp points at places of a clip, as a map whose first point lies where it lies in the recording; and where on that map the clip's start is.
 * Backwards the places count from its end.
 */
function warpMap(clip: Clip, points: readonly Tie[]): { points: Tie[]; anchor: number } {
  const turned = runsBackwards(clip.recipe);
  const list = points.map((p) => ({ from: p.from, to: turned ? -p.to : p.to })).sort((a, b) => a.from - b.from);
  const shift = list[0].from - list[0].to;
  return { points: list.map((p) => ({ from: p.from, to: p.to + shift })), anchor: shift };
}

/** The points of a clip that a link brought in: at the moments of its own recording that lie where those of the one that it follows do. */
function alongLead(tx: Transaction, source: SourceInfo, clip: Clip, points: readonly Tie[]): readonly Tie[] {
  const id = tx.leads.get(clip.id);
  const lead = id && tx.before.clips.get(id);
  if (!lead) return points;
  const leadSource = recordingOf(tx, lead);
  const later = lead.start - clip.start;
  const own = points.map((p) => ({
    from: ownEdge(source, clip, clip.offset + playedEdge(leadSource, lead, p.from) - lead.offset + later),
    to: p.to + later,
  }));
  const there = own.filter((p, i) => p.from >= 0 && p.from <= source.length && own.findIndex((o) => o.from === p.from) === i);
  if (there.length === 0) throw new EditError(`${clip.name || "The linked clip"} has no sound where the points lie.`, "points");
  return there;
}

export const warp = defineEdit({
  type: "warp",
  about:
    "Ties moments of a clip's recording (`from`, in its samples) to moments of the clip (`to`, in samples from its start): between them it is stretched, outside them not. null takes all warping off. The clip's start stays, its end goes with its sound; on linked tracks the same is done.",
  params: z.object({
    clipIds: ClipIds,
    points: z
      .array(z.object({ from: Position, to: z.int() }))
      .min(1, "Warping needs at least one point.")
      .max(MOST_POINTS, `There can be at most ${MOST_POINTS} warp points.`)
      .nullable(),
    kind: StretchKind.optional(),
    ...Landing,
  }),
  example: {
    type: "warp",
    clipIds: ["clip-1"],
    points: [
      { from: 2000, to: 2000 },
      { from: 12000, to: 13000 },
      { from: 22000, to: 22000 },
    ],
    kind: "hits",
  },
  links: "clipIds",
  apply(tx, { clipIds, points, kind, ...landing }) {
    const clips = distinct(tx, clipIds);
    const next = clips.map((clip) => {
      const source = recordingOf(tx, clip);
      const backwards = runsBackwards(clip.recipe);
      const { pitch } = clip.recipe ?? {};
      const own = kind ?? (clip.recipe?.stretch || clip.recipe?.warp ? kindOf(clip.recipe) : "hits");
      const window = ownWindow(source, clip);
      if (!points) return remade(source, clip, retimed(source, clip, { ...(pitch && { pitch }) }, "points"), "points");
      const beyond = points.find((p) => p.from > source.length);
      if (beyond) throw new EditError("A warp point lies beyond the end of the recording.", "points");
      const { points: ties, anchor } = warpMap(clip, alongLead(tx, source, clip, points));
      const recipe = retimed(source, clip, { warp: { kind: own, points: ties }, ...(pitch && { pitch }) }, "points");
      const map = mapOf(recipe);
      // The clip's start is where the points count from: the moment there may be another than it was.
      const began = recordedAt(map, anchor);
      if (began < 0 || began > source.length)
        throw new EditError(
          `${clip.name || "The clip"} has no sound that far ${began < 0 ? "before its first" : "behind its last"} warp point.`,
          "points",
        );
      return backwards
        ? placedWindow(source, clip, recipe, window.from, Math.max(began, window.from + 1), "points")
        : placedWindow(source, clip, recipe, began, Math.max(window.to, began + 1), "points");
    });
    lay(tx, next, "end", landing);
    return points ? `Warp ${namesOf(clips)}` : `Take warping off ${namesOf(clips)}`;
  },
});
