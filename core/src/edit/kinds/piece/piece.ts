import { z } from "zod";
import { timebaseOf } from "../../../model/document";
import { type BarPlace, type Clip, Dye, Id, Loop, Meter, Name, NewId, Position, Tempo } from "../../../model/schema";
import type { Timebase } from "../../../time/grid";
import { MeterMap } from "../../../time/meter";
import { keepingPlace, keepingSpan, type PlacedSpan } from "../../../time/places";
import { TempoMap } from "../../../time/tempo";
import { FRAME_RATES } from "../../../time/timecode";
import { bundleClips } from "../../bundles/members";
import { defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { NOTHING, WINDOW } from "../../law";
import { followTempo } from "../../remaking/conformed";
import type { Transaction } from "../../transaction";

/**
 * Lays everything that has a place at the bar, beat and tick that it had under the old maps. Lengths of sound stay. Clips that are blended
 * go together with the first of them, so that their joins stay what they are.
 */
function keepBars(tx: Transaction, before: Maps, after: Maps): void {
  const { piece, markers, sections, lanes, clips } = tx.before;
  const moved = new Map<string, { by: number; bars?: BarPlace }>();
  const firstPick = (clip: Clip): Clip =>
    bundleClips(tx.before, clip.bundle as string).reduce((a, b) => (b.start < a.start || (b.start === a.start && b.id < a.id) ? b : a));
  const goes = (clip: Clip): { by: number; bars?: BarPlace } => {
    const known = moved.get(clip.id);
    if (known) return known;
    // Picks of a take stack stay one thing: they go with the first of them.
    const left = clip.take !== undefined && clip.bundle !== null ? firstPick(clip) : clip.blend && clips.get(clip.blend.with);
    let way: { by: number; bars?: BarPlace };
    if (left && left !== clip) way = { by: goes(left).by };
    else {
      const { position, bars } = keepingPlace(clip.start, clip.bars, before, after);
      way = { by: position - clip.start, bars };
    }
    moved.set(clip.id, way);
    return way;
  };
  for (const lane of lanes.values())
    for (const clip of lane.clips) {
      const { by, bars } = goes(clip);
      if (by === 0 && bars === clip.bars) continue;
      const start = clip.start + by;
      const blend = clip.blend && { ...clip.blend, splice: Math.max(0, clip.blend.splice + by) };
      tx.setClip(clip, { start, blend, bars });
    }
  for (const { bars: kept, ...marker } of markers.values()) {
    const { position, bars } = keepingPlace(marker.position, kept, before, after);
    tx.set("marker", marker.id, { ...marker, position, ...(bars && { bars }) });
  }
  const spanKept = <S extends PlacedSpan>({ bars, ...span }: S) => ({ ...span, ...keepingSpan({ ...span, bars }, before, after) });
  for (const section of sections.values()) tx.set("section", section.id, spanKept(section));
  if (piece.loop) tx.setPiece({ loop: spanKept(piece.loop) });
}

type Maps = Pick<Timebase, "tempo" | "meter">;

export const setTime = defineEdit({
  type: "set-time",
  law: { sound: "everywhere", fields: [...WINDOW, "recipe"], lays: "none" },
  about:
    "Sets the tempo map, the meter map, the frame rate or the number of the first bar. With `keep` time, everything stays at its sample; with bars, at its bar, beat and tick.",
  params: z.object({
    tempo: z.array(Tempo).min(1).optional(),
    meter: z.array(Meter).min(1).optional(),
    frameRate: z.enum(FRAME_RATES.map((r) => r.id) as [string, ...string[]]).optional(),
    firstBar: z.int().min(-9999).max(9999).optional(),
    keep: z.enum(["time", "bars"]).default("time"),
  }),
  example: {
    type: "set-time",
    tempo: [{ tick: 0, bpm: 92 }],
    meter: [
      { tick: 0, numerator: 4, denominator: 4 },
      { tick: 15360, numerator: 3, denominator: 4 },
    ],
  },
  apply(tx, { keep, ...p }) {
    try {
      const before = timebaseOf(tx.before);
      const after = {
        tempo: p.tempo ? new TempoMap(p.tempo, tx.before.sampleRate) : before.tempo,
        meter: p.meter ? new MeterMap(p.meter, tx.before.piece.firstBar) : before.meter,
      };
      if (keep === "bars" && (p.tempo || p.meter)) keepBars(tx, before, after);
    } catch (error) {
      throw new EditError((error as Error).message, p.tempo ? "tempo" : "meter");
    }
    tx.setPiece(Object.fromEntries(Object.entries(p).filter(([, v]) => v !== undefined)));
    if (p.tempo) followTempo(tx, new TempoMap(p.tempo, tx.before.sampleRate));
    return p.tempo ? "Set tempo" : p.meter ? "Set meter" : "Set time base";
  },
});

const numberIn = (word: string, name: string): number => (name.startsWith(`${word} `) ? Number(name.slice(word.length + 1)) || 0 : 0);

/** The name that was given, or "Marker 4" after the highest number that is in use. */
function named(tx: Transaction, word: "Marker" | "Section", name: string | undefined): string {
  const { markers, sections } = tx.before;
  const highest =
    tx.scratch.get(word) ??
    [...(word === "Marker" ? markers : sections).values()].reduce((most, thing) => Math.max(most, numberIn(word, thing.name)), 0);
  const given = name ?? `${word} ${highest + 1}`;
  // The next of a batch need not look through all of them again.
  tx.scratch.set(word, Math.max(highest, numberIn(word, given)));
  return given;
}

export const setLoop = defineEdit({
  type: "set-loop",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Sets the loop's bounds and whether it is on; null takes it away.",
  params: z.object({ loop: Loop.refine((l) => l.end > l.start, { message: "A loop ends after it starts.", path: ["end"] }).nullable() }),
  example: { type: "set-loop", loop: { start: 0, end: 96000, on: true } },
  apply(tx, { loop }) {
    tx.setPiece({ loop });
    return loop ? "Set loop" : "Remove loop";
  },
});

export const addMarker = defineEdit({
  type: "add-marker",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Sets a marker at a position.",
  params: z.object({ id: NewId.optional(), position: Position, name: Name.optional(), color: Dye.default("woad") }),
  example: { type: "add-marker", id: "marker-new", position: 48000, name: "Bell" },
  apply(tx, { id, name, ...rest }) {
    const marker = { ...rest, id: id ?? tx.newId(), name: named(tx, "Marker", name) };
    if (tx.before.markers.has(marker.id)) throw new EditError(`There is already a marker "${marker.id}".`, "id");
    tx.set("marker", marker.id, marker);
    return `Add marker ${marker.name}`;
  },
});

export const setMarker = defineEdit({
  type: "set-marker",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Moves, renames or colours a marker.",
  params: z.object({ id: Id, position: Position.optional(), name: Name.optional(), color: Dye.optional() }),
  example: { type: "set-marker", id: "marker-1", position: 24000 },
  apply(tx, { id, ...set }) {
    const marker = { ...tx.marker(id), ...Object.fromEntries(Object.entries(set).filter(([, v]) => v !== undefined)) };
    tx.set("marker", id, marker);
    if (set.name !== undefined) tx.scratch.delete("Marker");
    return `${set.position === undefined ? "Change" : "Move"} marker ${marker.name}`;
  },
});

export const removeMarker = defineEdit({
  type: "remove-marker",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Removes a marker.",
  params: z.object({ id: Id }),
  example: { type: "remove-marker", id: "marker-1" },
  apply(tx, { id }) {
    const { name } = tx.marker(id);
    tx.set("marker", id, null);
    return `Remove marker ${name}`;
  },
});

const span = <T extends { start?: number; end?: number }>(p: T): boolean => p.start === undefined || p.end === undefined || p.end > p.start;

export const addSection = defineEdit({
  type: "add-section",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Names a span of the piece.",
  params: z
    .object({ id: NewId.optional(), start: Position, end: Position, name: Name.optional(), color: Dye.default("weld") })
    .refine(span, { message: "A section ends after it starts.", path: ["end"] }),
  example: { type: "add-section", id: "section-new", start: 0, end: 96000, name: "Looms wake" },
  apply(tx, { id, name, ...rest }) {
    const section = { ...rest, id: id ?? tx.newId(), name: named(tx, "Section", name) };
    if (tx.before.sections.has(section.id)) throw new EditError(`There is already a section "${section.id}".`, "id");
    tx.set("section", section.id, section);
    return `Add section ${section.name}`;
  },
});

export const setSection = defineEdit({
  type: "set-section",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Moves the bounds of a section, renames or colours it.",
  params: z.object({ id: Id, start: Position.optional(), end: Position.optional(), name: Name.optional(), color: Dye.optional() }),
  example: { type: "set-section", id: "section-1", end: 120000 },
  apply(tx, { id, ...set }) {
    const section = { ...tx.section(id), ...Object.fromEntries(Object.entries(set).filter(([, v]) => v !== undefined)) };
    if (!span(section)) throw new EditError("A section ends after it starts.", "end");
    tx.set("section", id, section);
    if (set.name !== undefined) tx.scratch.delete("Section");
    return `Change section ${section.name}`;
  },
});

export const removeSection = defineEdit({
  type: "remove-section",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Removes a section's name and span; what lies in it stays.",
  params: z.object({ id: Id }),
  example: { type: "remove-section", id: "section-1" },
  apply(tx, { id }) {
    const { name } = tx.section(id);
    tx.set("section", id, null);
    return `Remove section ${name}`;
  },
});
