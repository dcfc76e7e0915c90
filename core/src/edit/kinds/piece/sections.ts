import { z } from "zod";
import { movedClip } from "../../../model/clip/even-layout";
import { timebaseOf } from "../../../model/document";
import { clipEnd, type EnvelopePoint, Length, MOST_POINTS, Position } from "../../../model/schema";
import { meterWith, tempoWith } from "../../../time/span-edits";
import { cutTracks } from "../../cutting/cut";
import { defineEdit } from "../../definition";
import { BARE_EDGES } from "../../edge-origins";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { laidBundles, layCopies } from "../../laying/copies";
import { rideOver } from "../../laying/ride";
import { SpanContent, spanContent } from "../../laying/span-content";
import { ripple, shiftMarks } from "../../opening/neighbours";
import type { Transaction } from "../../transaction";

/** Fade of the cut edges, when the edit is given none. */
const SMOOTH_SECONDS = 0.004;
const smoothly = (tx: Transaction): void => {
  tx.ownEdge = { ...BARE_EDGES, length: Math.round(SMOOTH_SECONDS * tx.before.sampleRate) };
};

/** Opens `length` samples at a position on every track; marks, tempo and meter move along. */
function open(tx: Transaction, at: number, length: number): void {
  const tracks = tx.doc.piece.trackOrder;
  cutTracks(tx, tracks, [at]);
  const [first] = tracks;
  if (first) ripple(tx, [{ trackId: first, at, by: length }], "all");
  else shiftMarks(tx, [{ at, by: length }], "keep");
}

export const insertTime = defineEdit({
  type: "insert-time",
  law: { sound: "time", fields: WINDOW },
  about:
    "Puts silence in at a position over all tracks; clips, markers, sections, tempo and meter after it move along, clips across it are cut and smoothed.",
  params: z.object({ at: Position, length: Length }),
  example: { type: "insert-time", at: 24000, length: 96000 },
  apply(tx, { at, length }) {
    smoothly(tx);
    open(tx, at, length);
    return "Insert time";
  },
});

export const removeTime = defineEdit({
  type: "remove-time",
  law: { sound: "time", fields: WINDOW },
  about: "Takes a span out of the whole piece: clips, markers, sections, tempo and meter in it go, what is later closes up; cut clips are smoothed.",
  params: z.object({ start: Position, end: Position }).refine((p) => p.end > p.start, { message: "A span ends after it starts.", path: ["end"] }),
  example: { type: "remove-time", start: 12000, end: 36000 },
  apply(tx, { start, end }) {
    smoothly(tx);
    const tracks = tx.doc.piece.trackOrder;
    cutTracks(tx, tracks, [start, end]);
    for (const id of tracks) for (const clip of tx.lane(id).within(start, end)) tx.set("clip", clip.id, null);
    ripple(
      tx,
      tracks.map((trackId) => ({ trackId, at: end, by: start - end })),
      // Marks are moved once, below: those inside go with their time.
      "track",
    );
    shiftMarks(tx, [{ at: end, by: start - end }], "drop");
    return "Remove time";
  },
});

/** Lays the ride of a span over the time that was opened for it; where there was none the span is at 0 dB, as what lies around one that has none is. */
function layRide(tx: Transaction, trackId: string, span: readonly EnvelopePoint[] | undefined, at: number, length: number): void {
  const track = tx.track(trackId);
  const ride = rideOver(track.ride, span, at, length);
  if (!ride) return;
  if (ride.length > MOST_POINTS) throw new EditError(`The gain ride of ${track.name || "a track"} would have more than ${MOST_POINTS} points.`, "at");
  tx.setTrack({ ...track, ride });
}

export const insertSection = defineEdit({
  type: "insert-section",
  law: { sound: "time", fields: WINDOW },
  about:
    "Inserts a span of the piece at a position over all tracks, with its markers, sections, tempo and meter: the span from `start` to `end` as it is now, or `content` that was copied. Clips across the borders are cut and smoothed.",
  params: z
    .object({ at: Position, start: Position.optional(), end: Position.optional(), content: SpanContent.optional() })
    .refine((p) => (p.content !== undefined) !== (p.start !== undefined && p.end !== undefined), {
      message: "Give `start` and `end`, or `content`.",
      path: ["start"],
    })
    .refine((p) => p.start === undefined || p.end === undefined || p.end > p.start, { message: "A span ends after it starts.", path: ["end"] }),
  example: { type: "insert-section", at: 192000, start: 0, end: 96000 },
  apply(tx, { at, start, end, content }) {
    smoothly(tx);
    const span = content ?? spanContent(tx.before, start as number, end as number);
    for (const clip of span.clips) {
      if (!tx.before.sources.has(clip.sourceId)) throw new EditError(`The recording of ${clip.name || "a clip"} is not in this project.`, "content");
    }
    const { trackOrder } = tx.doc.piece;
    const { tempo: kept, meter: keptMeter } = tx.doc.piece;
    const tick = timebaseOf(tx.before).tempo.sampleToTick(at);
    open(tx, at, span.length);
    if (span.ticks > 0 && span.tempo.length > 0) {
      tx.setPiece({ tempo: tempoWith(kept, tick, span.ticks, span.tempo), meter: meterWith(keptMeter, tick, span.ticks, span.meter) });
    }
    for (const id of trackOrder) layRide(tx, id, span.rides[id], at, span.length);
    // What lay on a track that is gone goes to the first.
    const { tracks } = tx.doc;
    const clips = span.clips.map((c) => movedClip(tracks.has(c.trackId) ? c : { ...c, trackId: trackOrder[0] }, at));
    if (clips.length > 0 && trackOrder.length === 0) throw new EditError("There is no track to insert on.", "at");
    const laid = layCopies(tx, clips, { overlap: "layer" }, "independent", laidBundles(span.bundles, at));
    // Only what the borders cut is smoothed: edges that were there, bare ones too, stay as they are.
    const cut = { start: new Set(span.cut?.starts), end: new Set(span.cut?.ends) };
    clips.forEach((clip, i) => {
      const atBorder = { start: clip.start === at, end: clipEnd(clip) === at + span.length };
      for (const side of ["start", "end"] as const) if (span.cut ? !cut[side].has(clip.id) : !atBorder[side]) tx.edges.isKept(laid[i], side);
    });
    for (const m of span.markers) {
      const id = tx.newId();
      tx.set("marker", id, { ...m, id, position: m.position + at });
    }
    for (const s of span.sections) {
      const id = tx.newId();
      tx.set("section", id, { ...s, id, start: s.start + at, end: s.end + at });
    }
    return "Insert section";
  },
});
