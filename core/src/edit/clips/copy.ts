import { z } from "zod";
import { Blend, Bundle, Clip, clipEnd, Length, Position } from "../../model/schema";
import { layCopies } from "../copies";
import { ClipIds, countNames, defineEdit } from "../definition";
import { EditError } from "../errors";
import { WINDOW } from "../law";
import { type Neighbours, neighbourParams, type Reach } from "../neighbours";
import { type Landing, overlapParams } from "../overlap";
import { sliceOf } from "../parts";
import { nearestJoint, openRoom } from "../room";
import type { Transaction } from "../transaction";
import { earlyWords } from "../words";
import { goingParams, makeRoomFor, placed } from "./move";

const CopyBundles = z.enum(["independent", "linked"]).default("independent").describe("linked: copies of a bundle follow each other");
const copyParams = { ...overlapParams, ...neighbourParams, bundles: CopyBundles };

/** Makes room for clips that come in, as the neighbours' rule says, and returns how far they go to their joint (reorder). */
export function roomFor(tx: Transaction, clips: readonly Clip[], neighbours: Neighbours, reach: Reach, least = 0): number {
  if (neighbours === "hold") return 0;
  if (neighbours === "ripple") {
    makeRoomFor(tx, clips, reach, least);
    return 0;
  }
  const first = clips.reduce((a, b) => (b.start < a.start ? b : a));
  const by = nearestJoint(tx, first.trackId, first.start) - first.start;
  makeRoomFor(
    tx,
    clips.map((c) => ({ ...c, start: c.start + by })),
    "track",
    least,
  );
  return by;
}

const shifted = (clips: readonly Clip[], by: number): Clip[] =>
  by === 0
    ? [...clips]
    : clips.map((c) => ({ ...c, start: c.start + by, blend: c.blend && { ...c.blend, splice: Math.max(0, c.blend.splice + by) } }));

export const copy = defineEdit({
  type: "copy",
  law: { sound: "clips", fields: WINDOW, lays: "named" },
  about: "Lays copies of clips in time and across tracks as `move` would take them there; the copies are independent and keep every distance.",
  params: z
    .object({ clipIds: ClipIds, ...goingParams, ...copyParams })
    .refine((p) => p.by === undefined || p.to === undefined, { message: "Give `by` or `to`, not both.", path: ["to"] }),
  example: { type: "copy", clipIds: ["clip-1"], by: 192000 },
  links: "clipIds",
  apply(tx, { clipIds, overlap, blendLength, attacks, neighbours, reach, bundles, ...going }) {
    const clips = placed(
      tx,
      [...new Set(clipIds)].map((id) => tx.clip(id)),
      going,
    );
    const by = roomFor(tx, clips, neighbours, reach);
    layCopies(tx, shifted(clips, by), { overlap, blendLength, attacks }, bundles);
    return `Copy ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});

/** Copies at most this many; more is surely not meant. */
const MOST_COPIES = 10_000;

export const repeat = defineEdit({
  type: "repeat",
  law: { sound: "clips", fields: WINDOW },
  about:
    "Repeats clips after themselves, `times` times or up to the position `until`, where the last copy is cut; each copy lies `every` samples after the one before (left out: the length of the whole group).",
  params: z
    .object({
      clipIds: ClipIds,
      times: z.int().min(1).max(MOST_COPIES).optional(),
      until: Position.optional(),
      every: Length.optional(),
      ...copyParams,
    })
    .refine((p) => p.times === undefined || p.until === undefined, { message: "Give `times` or `until`, not both.", path: ["until"] }),
  example: { type: "repeat", clipIds: ["clip-2"], times: 3 },
  links: "clipIds",
  apply(tx, { clipIds, times, until, every, overlap, blendLength, attacks, neighbours, reach, bundles }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    repeatAfter(tx, clips, Math.min(...clips.map((c) => c.start)), Math.max(...clips.map(clipEnd)), {
      times,
      until,
      every,
      landing: { overlap, blendLength, attacks },
      neighbours,
      reach,
      bundles,
    });
    return `Repeat ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});

/** Lays copies of clips, which fill [from, to), behind it again and again. */
export function repeatAfter(
  tx: Transaction,
  clips: readonly Clip[],
  from: number,
  to: number,
  {
    times,
    until,
    every = to - from,
    landing,
    neighbours,
    reach,
    bundles,
  }: {
    times?: number;
    until?: number;
    every?: number;
    landing: Landing;
    neighbours: Neighbours;
    reach: Reach;
    bundles: "independent" | "linked";
  },
): void {
  if (until !== undefined && until <= to) throw new EditError("There is no room to fill: that lies before the end of what is repeated.", "until");
  const count = until === undefined ? (times ?? 1) : Math.ceil((until - to) / every);
  if (count > MOST_COPIES) throw new EditError(`That would be ${count} copies; ${MOST_COPIES} is the most.`, until === undefined ? "times" : "until");
  const end = until ?? from + every * count + (to - from);
  if (neighbours !== "hold")
    openRoom(
      tx,
      clips.map((c) => c.trackId),
      to,
      end - to,
      neighbours === "reorder" ? "track" : reach,
    );
  for (let k = 1; k <= count; k++) {
    const laid = shifted(clips, k * every);
    const cut = until === undefined ? laid : laid.map((c) => sliceOf(c, 0, until)).filter((c) => c !== null);
    if (cut.length) layCopies(tx, cut, landing, bundles);
  }
}

/** A clip to paste: as clips are, its start counted from the place of pasting, its id only its name among the others. */
export const PastedClip = Clip.extend({ start: z.int(), blend: Blend.extend({ splice: z.int() }).nullable() });
export type PastedClip = z.infer<typeof PastedClip>;
/** A bundle that was copied whole, its start counted from the place of pasting as those of its clips. */
export const PastedBundle = Bundle.extend({ start: z.int() });
export type PastedBundle = z.infer<typeof PastedBundle>;

/** Bundles as they shall lie, their starts shifted like their clips. */
export const laidBundles = (bundles: readonly PastedBundle[], by: number): Map<string, Bundle> =>
  new Map(bundles.map((b) => [b.id, { ...b, start: b.start + by }]));

export const paste = defineEdit({
  type: "paste",
  law: { sound: "clips", fields: WINDOW, lays: "named" },
  about:
    "Lays clips that were copied at a position, each at its distance from it; `length` is the span they came from, for room that is made with the gaps around them.",
  params: z.object({
    at: Position,
    clips: z.array(PastedClip).min(1, "There is nothing to paste."),
    length: Length.optional(),
    wholes: z.array(PastedBundle).default([]).describe("the bundles that were copied whole, their starts counted as those of the clips"),
    ...copyParams,
  }),
  example: {
    type: "paste",
    at: 240000,
    clips: [
      {
        id: "copied",
        trackId: "track-1",
        sourceId: "source-1",
        start: 0,
        length: 4800,
        offset: 0,
        name: "Hit",
        color: null,
        gain: 0,
        pan: 0,
        mute: false,
        layer: 0,
        fadeIn: { length: 0, shape: "power", bend: 0 },
        fadeOut: { length: 0, shape: "power", bend: 0 },
        blend: null,
        sync: null,
      },
    ],
  },
  apply(tx, { at, clips, length, wholes, overlap, blendLength, attacks, neighbours, reach, bundles }) {
    const early = Math.min(...clips.map((c) => c.start)) + at;
    if (early < 0) throw new EditError(earlyWords("It", -early, tx.before.sampleRate), "at");
    const laid = clips.map((c) => {
      tx.track(c.trackId, "clips");
      if (!tx.before.sources.has(c.sourceId)) throw new EditError(`The recording of ${c.name || "a clip"} is not in this project.`, "clips");
      return c;
    });
    const by = at + roomFor(tx, shifted(laid, at), neighbours, reach, length);
    const first = shifted(laid, by).reduce((a, b) => (b.start < a.start ? b : a));
    const known = laidBundles(
      wholes.map((b) => (tx.doc.tracks.has(b.trackId) ? b : { ...b, trackId: first.trackId })),
      by,
    );
    layCopies(tx, shifted(laid, by), { overlap, blendLength, attacks }, bundles, known);
    return `Paste ${countNames(
      clips.map((c) => c.name),
      "clip",
    )}`;
  },
});
