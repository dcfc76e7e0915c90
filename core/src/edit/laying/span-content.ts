import { z } from "zod";
import { lineThinned, lineWithin } from "../../dsp/envelope";
import { movedClip } from "../../model/clip/even-layout";
import { type Document, timebaseOf } from "../../model/document";
import { clipEnd, Id, Length, Marker, Meter, MOST_POINTS, Section, Tempo } from "../../model/schema";
import { meterIn, tempoIn } from "../../time/span-edits";
import { unblendAt } from "../cutting/cut";
import { sliceOf } from "../cutting/parts";
import { Transaction } from "../transaction";
import { copiedBundles, PastedBundle, PastedClip } from "./copies";

const RidePoint = z.object({ at: z.int(), value: z.number().min(-144).max(24), hold: z.literal(true).optional() });

/** A span of the whole piece, with everything in it, positions counted from its start. */
export const SpanContent = z.object({
  length: Length,
  ticks: z.int().min(0),
  clips: z.array(PastedClip),
  bundles: z.array(PastedBundle).default([]),
  markers: z.array(Marker),
  sections: z.array(Section),
  tempo: z.array(Tempo),
  meter: z.array(Meter),
  rides: z.record(Id, z.array(RidePoint).max(MOST_POINTS)).default({}).describe("the gain ride of each track over the span"),
  cut: z
    .object({ starts: z.array(Id), ends: z.array(Id) })
    .optional()
    .describe("the clips whose start, or end, the span's borders cut; left out, all that lie on a border"),
});
export type SpanContent = z.infer<typeof SpanContent>;

/**
 * Everything that lies in [start, end): clips are cut at its borders, blends there put back to their splice first; sections that reach over
 * them are cut too.
 */
export function spanContent(doc: Document, start: number, end: number): SpanContent {
  const { tempo } = timebaseOf(doc);
  const [from, to] = [tempo.sampleToTick(start), tempo.sampleToTick(end)];
  const apart = new Transaction(doc, "span");
  for (const at of [start, end]) for (const id of doc.piece.trackOrder) unblendAt(apart, id, at);
  const whole = doc.piece.trackOrder.flatMap((id) => apart.lane(id).within(start, end));
  const slices = whole.map((c) => sliceOf(c, start, end)).filter((c) => c !== null);
  return {
    length: end - start,
    ticks: Math.max(0, to - from),
    clips: slices.map((c) => movedClip(c, -start)),
    bundles: [...copiedBundles({ doc }, slices).values()].map((b) => ({ ...b, start: b.start - start })),
    markers: [...doc.markers.values()].filter((m) => m.position >= start && m.position < end).map((m) => ({ ...m, position: m.position - start })),
    sections: [...doc.sections.values()]
      .filter((s) => s.start < end && s.end > start)
      .map((s) => ({ ...s, start: Math.max(s.start, start) - start, end: Math.min(s.end, end) - start })),
    tempo: to > from ? tempoIn(doc.piece.tempo, from, to) : [],
    meter: to > from ? meterIn(doc.piece.meter, from, to) : [],
    rides: Object.fromEntries(
      [...doc.tracks.values()].flatMap((t) =>
        t.ride ? [[t.id, lineThinned(lineWithin(t.ride, start, end, "gain")).map((p) => ({ ...p, at: p.at - start }))]] : [],
      ),
    ),
    cut: {
      starts: whole.filter((c) => c.start < start || apart.edges.of(c.id, "start") === "new").map((c) => c.id),
      ends: whole.filter((c) => clipEnd(c) > end || apart.edges.of(c.id, "end") === "new").map((c) => c.id),
    },
  };
}
