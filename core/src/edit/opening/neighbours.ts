import { z } from "zod";
import { lineThinned, lineWithin } from "../../dsp/envelope";
import { type Document, timebaseOf } from "../../model/document";
import { type Clip, clipEnd, type EnvelopePoint, MOST_POINTS } from "../../model/schema";
import { bpmBefore, meterWith, meterWithout, tempoWith, tempoWithout } from "../../time/span-edits";
import { bundleClips } from "../bundles/members";
import { EditError } from "../errors";
import { linkedTracks } from "../links/links";
import type { Transaction } from "../transaction";

/**
 * What the neighbours of an edited clip do: `hold`, they stay; `ripple`, what starts later moves along and gaps close; `reorder`, the
 * clips of a track are a sequence that closes up and makes room.
 */
export const Neighbours = z.enum(["hold", "ripple", "reorder"]).default("hold");
export type Neighbours = z.infer<typeof Neighbours>;
/** The tracks that ripple: the edited one, those linked with it, or all, with markers, sections, tempo and meter. */
export const Reach = z.enum(["track", "linked", "all"]).default("track");
export type Reach = z.infer<typeof Reach>;

export const neighbourParams = {
  neighbours: Neighbours.describe("what the neighbours do"),
  reach: Reach.describe("which tracks ripple; with all, markers, sections, tempo and meter too"),
};

/** At `at` on a track, `by` samples of time come in; negative: the samples [at + by, at) go. */
export interface TimeChange {
  readonly trackId: string;
  readonly at: number;
  readonly by: number;
}
type Shift = Omit<TimeChange, "trackId">;

/** The tracks in reach of some tracks, in groups that move as one. */
export function reachGroups(tx: Transaction, trackIds: Iterable<string>, reach: Reach): string[][] {
  if (reach === "all") return [[...tx.doc.piece.trackOrder]];
  const groups: string[][] = [];
  for (const id of new Set(trackIds)) {
    if (groups.some((g) => g.includes(id))) continue;
    groups.push(reach === "linked" ? [id, ...linkedTracks(tx.doc, id)] : [id]);
  }
  return groups;
}

/** Removed spans united, insertions at one point taken once (the longest): what several tracks of a group ask for together. */
export function together(changes: readonly Shift[]): Shift[] {
  const inserted = new Map<number, number>();
  const spans = changes.filter((c) => c.by < 0).map((c) => ({ from: c.at + c.by, to: c.at }));
  for (const { at, by } of changes) if (by > 0) inserted.set(at, Math.max(by, inserted.get(at) ?? 0));
  const united: { from: number; to: number }[] = [];
  for (const span of spans.sort((a, b) => a.from - b.from)) {
    const last = united.at(-1);
    if (last && span.from <= last.to) last.to = Math.max(last.to, span.to);
    else united.push({ ...span });
  }
  return [...united.map(({ from, to }) => ({ at: to, by: from - to })), ...[...inserted].map(([at, by]) => ({ at, by }))].sort((a, b) => a.at - b.at);
}

/**
 * Where the take stacks of picks begin: each is one thing, and goes as a whole or stays. What is done to picks of one themselves moves those behind
 * them, each by itself.
 */
function stackStarts(tx: Transaction, doc: Document): (pick: Clip) => number {
  const known = new Map<string, number | null>();
  return ({ bundle, start }) => {
    if (bundle === null) return start;
    let first = known.get(bundle);
    if (first === undefined) {
      const within = tx.inside === bundle || bundleClips(tx.before, bundle).some((c) => tx.named.has(c.id));
      first = within ? null : Math.min(...bundleClips(doc, bundle).map((c) => c.start));
      known.set(bundle, first);
    }
    return first ?? start;
  };
}

/** How far a position moves: by every change at or before it. */
const shiftOf = (shifts: readonly Shift[], position: number): number => {
  let by = 0;
  for (const s of shifts) if (s.at <= position) by += s.by;
  return by;
};

/**
 * Moves everything that starts at or after each change along, on the tracks in reach. Clips named in `except` stay where the edit laid
 * them; `along` go as if they started at the old end (a blend's incoming clip, which starts before it). `marksAt`: where time comes in or goes for
 * markers, tempo and meter, when that is not where it does for clips.
 */
export function ripple(
  tx: Transaction,
  changes: readonly TimeChange[],
  reach: Reach,
  {
    except = new Set<string>(),
    along = new Map<string, number>(),
    marksAt,
  }: { except?: ReadonlySet<string>; along?: ReadonlyMap<string, number>; marksAt?: number } = {},
): void {
  for (const group of reachGroups(
    tx,
    changes.map((c) => c.trackId),
    reach,
  )) {
    const members = new Set(group);
    const shifts = together(changes.filter((c) => members.has(c.trackId)));
    if (shifts.length === 0) continue;
    const { doc } = tx;
    const stackStart = stackStarts(tx, doc);
    for (const trackId of group) {
      const lane = doc.lanes.get(trackId);
      if (!lane) continue;
      const first = Math.min(
        shifts[0].at,
        ...[...along].filter(([id]) => doc.clips.get(id)?.trackId === trackId).map(([id]) => doc.clips.get(id)?.start ?? 0),
      );
      for (let i = lane.firstFrom(first); i < lane.clips.length; i++) {
        const clip = lane.clips[i];
        const from = clip.take === undefined ? clip.start : stackStart(clip);
        const by = except.has(clip.id) ? 0 : shiftOf(shifts, Math.max(from, along.get(clip.id) ?? 0));
        if (by !== 0) tx.moveClip(clip, by);
      }
    }
    for (const trackId of group) {
      const track = doc.tracks.get(trackId);
      if (track?.ride) tx.setTrack({ ...track, ride: ridden(track.ride, shifts) });
    }
    if (reach === "all") shiftMarks(tx, marksAt === undefined ? shifts : shifts.map(({ by }) => ({ at: marksAt, by })), "keep", doc);
  }
}

/**
 * A gain ride after time came in or went: every moment of sound that stays keeps its value. Time that comes in goes on from the value before it to
 * that behind it; what lay over time that goes is gone, and where both sides meet the line steps.
 */
function ridden(points: readonly EnvelopePoint[], shifts: readonly Shift[]): EnvelopePoint[] {
  let line = [...points];
  // From the latest back, so that places still to come are where they were.
  for (const { at, by } of [...shifts].reverse()) line = joinedLine(line, Math.max(0, at + Math.min(0, by)), line, at, by);
  return line;
}

/** One line up to a place, then another from a place of its own on, moved by some samples. */
function joinedLine(before: readonly EnvelopePoint[], until: number, after: readonly EnvelopePoint[], from: number, by: number): EnvelopePoint[] {
  const first = until > 0 ? lineWithin(before, 0, until, "gain") : [];
  const rest = lineWithin(after, from, Math.max(from + 1, after[after.length - 1].at + 1), "gain").map((p) => ({ ...p, at: p.at + by }));
  const joined = lineThinned([...first, ...rest]);
  if (joined.length > MOST_POINTS) throw new EditError(`A gain ride would have ${joined.length} points; ${MOST_POINTS} is the most.`, "at");
  return joined;
}

/** Where a position goes when spans are cut out (what lies inside them falls on the join) and time is put in. */
function landed(shifts: readonly Shift[], position: number, atInsertion: "moves" | "stays"): number {
  let by = 0;
  for (const s of shifts) {
    if (s.by < 0 && position > s.at + s.by) by -= Math.min(position, s.at) - (s.at + s.by);
    else if (s.by > 0 && (atInsertion === "moves" ? s.at <= position : s.at < position)) by += s.by;
  }
  return position + by;
}

/**
 * Moves markers, sections, loop, tempo and meter with the piece. Markers inside a span that goes are kept at the join or dropped. `doc` may be
 * from before its clips moved: only its marks are looked at.
 */
export function shiftMarks(tx: Transaction, shifts: readonly Shift[], inside: "keep" | "drop", doc = tx.doc): void {
  const gone = (p: number): boolean => shifts.some((s) => s.by < 0 && p >= s.at + s.by && p < s.at);
  for (const marker of doc.markers.values()) {
    if (inside === "drop" && gone(marker.position)) tx.set("marker", marker.id, null);
    else {
      const position = landed(shifts, marker.position, "moves");
      if (position !== marker.position) tx.set("marker", marker.id, { ...marker, position });
    }
  }
  for (const section of doc.sections.values()) {
    const [start, end] = [landed(shifts, section.start, "moves"), landed(shifts, section.end, "stays")];
    if (end <= start) tx.set("section", section.id, null);
    else if (start !== section.start || end !== section.end) tx.set("section", section.id, { ...section, start, end });
  }
  const { loop } = doc.piece;
  if (loop) {
    const [start, end] = [landed(shifts, loop.start, "moves"), landed(shifts, loop.end, "stays")];
    if (start !== loop.start || end !== loop.end) tx.setPiece({ loop: end > start ? { ...loop, start, end } : null });
  }
  // From the latest back, so that the ticks of those still to come stay what they were.
  const base = timebaseOf(doc);
  let { tempo, meter } = doc.piece;
  for (const { at, by } of [...shifts].reverse()) {
    const tick = base.tempo.sampleToTick(at);
    if (by < 0) {
      const from = base.tempo.sampleToTick(at + by);
      if (from === tick) continue;
      tempo = tempoWithout(tempo, from, tick);
      meter = meterWithout(meter, from, tick);
    } else {
      // Ticks of the time put in, at the tempo reached there.
      const samplesPerTick = (doc.sampleRate * 60) / (bpmBefore(doc.piece.tempo, tick) * 960);
      const ticks = Math.round(by / samplesPerTick);
      if (ticks === 0) continue;
      tempo = tempoWith(tempo, tick, ticks);
      meter = meterWith(meter, tick, ticks);
    }
  }
  if (JSON.stringify([tempo, meter]) !== JSON.stringify([doc.piece.tempo, doc.piece.meter])) tx.setPiece({ tempo: [...tempo], meter: [...meter] });
}

/** The parts of [from, to) on a track where no clip lies. */
export function emptyParts(tx: Transaction, trackId: string, from: number, to: number): { from: number; to: number }[] {
  const parts: { from: number; to: number }[] = [];
  let at = from;
  for (const clip of tx.lane(trackId).within(from, to)) {
    if (clip.start > at) parts.push({ from: at, to: clip.start });
    at = Math.max(at, clipEnd(clip));
  }
  if (at < to) parts.push({ from: at, to });
  return parts;
}
