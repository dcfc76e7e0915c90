import { z } from "zod";
import { type Document, timebaseOf } from "../../model/document";
import { Bundle, Length, Marker, Meter, Position, Section, Tempo } from "../../model/schema";
import { meterIn, meterWith, tempoIn, tempoWith } from "../../time/span-edits";
import { divideBundlesAt } from "../bundles/settle";
import { PastedClip } from "../clips/copy";
import { copiedBundles, layCopies } from "../copies";
import { cutTracksAt, sliceOf } from "../cutting";
import { defineEdit } from "../definition";
import { EditError } from "../errors";
import { ripple, shiftMarks } from "../neighbours";
import type { Transaction } from "../transaction";

/** A span of the whole piece, with everything in it, positions counted from its start. */
export const SpanContent = z.object({
  length: Length,
  ticks: z.int().min(0),
  clips: z.array(PastedClip),
  bundles: z.array(Bundle).default([]),
  markers: z.array(Marker),
  sections: z.array(Section),
  tempo: z.array(Tempo),
  meter: z.array(Meter),
});
export type SpanContent = z.infer<typeof SpanContent>;

/** Fade of the cut edges, when the edit is given none. */
const SMOOTH_SECONDS = 0.004;
const smoothly = (tx: Transaction): void => {
  tx.ownEdge = { length: Math.round(SMOOTH_SECONDS * tx.before.sampleRate), shape: "power", bend: 0 };
};

/** Everything that lies in [start, end): clips are cut at its borders, sections that reach over them are cut too. */
export function spanContent(doc: Document, start: number, end: number): SpanContent {
  const { tempo } = timebaseOf(doc);
  const [from, to] = [tempo.sampleToTick(start), tempo.sampleToTick(end)];
  const slices = doc.piece.trackOrder.flatMap((id) =>
    (doc.lanes.get(id)?.within(start, end) ?? []).map((c) => sliceOf(c, start, end)).filter((c) => c !== null),
  );
  return {
    length: end - start,
    ticks: Math.max(0, to - from),
    clips: slices.map((c) => ({ ...c, start: c.start - start, blend: c.blend && { ...c.blend, splice: c.blend.splice - start } })),
    bundles: [...copiedBundles({ doc }, slices).values()],
    markers: [...doc.markers.values()].filter((m) => m.position >= start && m.position < end).map((m) => ({ ...m, position: m.position - start })),
    sections: [...doc.sections.values()]
      .filter((s) => s.start < end && s.end > start)
      .map((s) => ({ ...s, start: Math.max(s.start, start) - start, end: Math.min(s.end, end) - start })),
    tempo: to > from ? tempoIn(doc.piece.tempo, from, to) : [],
    meter: to > from ? meterIn(doc.piece.meter, from, to) : [],
  };
}

/** Cuts every track at a position and divides the bundles there. */
function cutAll(tx: Transaction, at: number): void {
  const tracks = tx.doc.piece.trackOrder;
  const bundles = new Set(
    tracks
      .flatMap((id) =>
        tx
          .lane(id)
          .within(at - 1, at + 1)
          .map((c) => c.bundle),
      )
      .filter((b) => b !== null),
  );
  cutTracksAt(tx, tracks, at);
  divideBundlesAt(tx, at, bundles);
}

/** Opens time on all tracks, with everything that has a place moved along. */
function open(tx: Transaction, at: number, length: number): void {
  cutAll(tx, at);
  const [first] = tx.doc.piece.trackOrder;
  if (first) ripple(tx, [{ trackId: first, at, by: length }], "all");
  else shiftMarks(tx, [{ at, by: length }], "keep");
}

export const insertTime = defineEdit({
  type: "insert-time",
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
  about: "Takes a span out of the whole piece: clips, markers, sections, tempo and meter in it go, what is later closes up; cut clips are smoothed.",
  params: z.object({ start: Position, end: Position }).refine((p) => p.end > p.start, { message: "A span ends after it starts.", path: ["end"] }),
  example: { type: "remove-time", start: 12000, end: 36000 },
  apply(tx, { start, end }) {
    smoothly(tx);
    cutAll(tx, start);
    cutAll(tx, end);
    const tracks = tx.doc.piece.trackOrder;
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

export const insertSection = defineEdit({
  type: "insert-section",
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
    // What lay on a track that is gone goes to the first.
    const clips = span.clips.map((c) => ({
      ...c,
      trackId: tx.doc.tracks.has(c.trackId) ? c.trackId : trackOrder[0],
      start: c.start + at,
      blend: c.blend && { ...c.blend, splice: Math.max(0, c.blend.splice + at) },
    }));
    if (clips.length > 0 && trackOrder.length === 0) throw new EditError("There is no track to insert on.", "at");
    const first = Math.min(...clips.map((c) => c.start));
    layCopies(tx, clips, "layer", "independent", new Map(span.bundles.map((b) => [b.id, { ...b, start: first }])));
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
