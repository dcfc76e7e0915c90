import { z } from "zod";
import { clipEnd, Length, Position } from "../../../model/schema";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { laidBundles, layCopies, PastedBundle, PastedClip } from "../../laying/copies";
import { goingParams, placed } from "../../laying/going";
import { overlapParams } from "../../laying/overlap";
import { MOST_COPIES, repeatAfter, shifted } from "../../laying/repeats";
import { neighbourParams } from "../../opening/neighbours";
import { roomFor } from "../../opening/openings";
import { earlyWords } from "../../words";

const CopyBundles = z.enum(["independent", "linked"]).default("independent").describe("linked: copies of a bundle follow each other");
const copyParams = { ...overlapParams, ...neighbourParams, bundles: CopyBundles };

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
