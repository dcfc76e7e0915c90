import { z } from "zod";
import { type Clip, clipEnd, Gain, Id, JUST_LAID, Position } from "../../../model/schema";
import { Slice, tapeLength } from "../../../model/slices";
import { withEnd } from "../../cutting/parts";
import { countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { stretchedClip } from "../../remaking/stretched";
import { turnedRound } from "../../remaking/turned-round";
import type { Transaction } from "../../transaction";

const Note = z.object({ at: Position, slice: Slice, gain: Gain.default(0).describe("in dB, besides the slice's own: how hard the key was struck") });

/** What a key plays, as a clip that begins at a place. Throws EditError. */
function noteClip(tx: Transaction, trackId: string, { at, slice, gain }: z.infer<typeof Note>): Clip {
  const of = tx.before.clips.get(slice.clipId);
  if (!of) throw new EditError("The clip of a slice is not there.", "notes");
  if (slice.start < of.start || slice.end > clipEnd(of)) throw new EditError(`${of.name || "The clip"} no longer covers one of its slices.`, "notes");
  const { take: _, bars: __, conform: ___, ...kept } = of;
  const cut: Clip = {
    ...kept,
    id: tx.newId(),
    trackId,
    start: at,
    offset: of.offset + slice.start - of.start,
    length: slice.end - slice.start,
    name: slice.name || of.name,
    gain: Math.max(-144, Math.min(48, of.gain + slice.gain + gain)),
    ...JUST_LAID,
    bundle: tx.inside,
  };
  const turned = slice.reverse ? turnedRound(tx, cut) : cut;
  if (slice.cents === 0) return turned;
  return { ...stretchedClip(tx, turned, "tape", tapeLength(cut.length, slice.cents), "notes"), start: at };
}

export const laySlices = defineEdit({
  type: "lay-slices",
  law: { sound: "clips", fields: WINDOW },
  about:
    "Lays slices of clips as notes that were played: each a clip of its own that begins where it was struck and lasts until the next one, turned round, higher or lower as tape is, louder or softer as its slice says.",
  params: z.object({
    trackId: Id,
    notes: z.array(Note).min(1, "There are no notes.").max(10_000),
    overlap: overlapParams.overlap,
    blendLength: overlapParams.blendLength,
  }),
  example: {
    type: "lay-slices",
    trackId: "track-1",
    notes: [{ at: 480000, slice: { clipId: "clip-1", start: 0, end: 12000, gain: -3, cents: -200 } }],
    overlap: "cover",
  },
  apply(tx, { trackId, notes, overlap, blendLength }) {
    tx.track(trackId);
    const inOrder = [...notes].sort((a, b) => a.at - b.at);
    const clips = inOrder.flatMap((note, i): Clip[] => {
      const clip = noteClip(tx, trackId, note);
      const until = inOrder[i + 1]?.at ?? Number.POSITIVE_INFINITY;
      if (until <= clip.start) return [];
      return [clipEnd(clip) > until ? withEnd(clip, until) : clip];
    });
    for (const clip of clips) tx.setClip(clip);
    resolveOverlaps(
      tx,
      clips.map((c) => c.id),
      { overlap, blendLength },
    );
    return `Take down ${countNames(
      clips.map((c) => c.name),
      "note",
    )}`;
  },
});
