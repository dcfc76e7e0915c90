import { z } from "zod";
import { Clip, clipEnd, Id, JUST_LAID, Length, MOST_LANES, Name, nameOf, Position, type SourceInfo, type TakeLane } from "../../../model/schema";
import { defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { neighbourParams } from "../../opening/neighbours";
import { roomFor } from "../../opening/openings";
import { BorderLength, fillHoles, laidClip, pickFrom, picksOf, repick, setLanes, stackOf, takeClip } from "../../takes/lanes";
import type { Transaction } from "../../transaction";

/** A stretch of a recording and where it was played to. */
const RecordedPart = z.object({ start: Position, offset: Position, length: Length });
type RecordedPart = z.infer<typeof RecordedPart>;

const Recorded = z.object({
  trackId: Id,
  sourceId: Id,
  channels: Clip.shape.channels,
  into: Id.optional().describe("a take stack of the track: the takes become lanes of it, wherever they lie, and the one that is heard is picked"),
  takes: z
    .array(z.array(RecordedPart).min(1).max(2000))
    .min(1)
    .max(MOST_LANES)
    .describe("one for each round of a loop; several parts where playing stood still in between, one after the other"),
});

/** The parts of each take as far as the recording has them, with the take's number; takes of which nothing is there are left out. */
function present(source: SourceInfo, takes: readonly (readonly RecordedPart[])[]): { number: number; parts: RecordedPart[] }[] {
  return takes.flatMap((parts, i) => {
    const there = parts.map((p) => ({ ...p, length: Math.min(p.length, source.length - p.offset) })).filter((p) => p.length > 0);
    return there.length ? [{ number: i + 1, parts: there }] : [];
  });
}

const sum = (parts: readonly RecordedPart[]): number => parts.reduce((n, p) => n + p.length, 0);

/** The take that is heard: the last one that is nearly as long as the longest. A last round that was broken off is not. */
function lastWhole(takes: readonly { parts: readonly RecordedPart[] }[]): number {
  const most = Math.max(...takes.map((t) => sum(t.parts)));
  return takes.findLastIndex((t) => sum(t.parts) >= most * 0.98);
}

export const layRecording = defineEdit({
  type: "lay-recording",
  law: { sound: "clips", fields: WINDOW },
  about:
    "Lays recordings where they were played to: one take as clips, several (the rounds of a loop) as a take stack of which the last whole one is heard. Where a take stack of the track begins at the same place, they become lanes of that one.",
  params: z.object({
    tracks: z.array(Recorded).min(1, "Name at least one recording."),
    name: Name.optional().describe("of the clips; left out, the recording's"),
    border: BorderLength,
    ...overlapParams,
    ...neighbourParams,
  }),
  example: {
    type: "lay-recording",
    tracks: [{ trackId: "track-1", sourceId: "source-1", takes: [[{ start: 480000, offset: 4800, length: 48000 }]] }],
    overlap: "cover",
  },
  apply(tx, { tracks, name, border, overlap, blendLength, attacks, neighbours, reach }) {
    if (new Set(tracks.map((t) => t.trackId)).size < tracks.length) throw new EditError("Each track gets one recording at a time.", "tracks");
    const landing = { overlap, blendLength, attacks };
    const laid = tracks.map(({ trackId, sourceId, channels, takes, into }) => {
      tx.track(trackId);
      if (into !== undefined && stackOf(tx, into).trackId !== trackId) throw new EditError("A take goes into a stack of its own track.", "tracks");
      const source = tx.before.sources.get(sourceId);
      if (!source) throw new EditError(`The project has no recording "${sourceId}".`, "tracks");
      const silent = channels?.find((c) => c >= source.channels);
      if (silent !== undefined) throw new EditError(`${source.name} has no channel ${silent}, counted from 0.`, "tracks");
      for (const parts of takes)
        for (let i = 1; i < parts.length; i++)
          if (parts[i].start < parts[i - 1].start + parts[i - 1].length)
            throw new EditError("The parts of a take come one after the other.", "tracks");
      const there = present(source, takes);
      if (there.length === 0) throw new EditError(`${source.name} ends before what is to be laid.`, "tracks");
      const called = nameOf(name || source.name);
      const clips = there.map(({ number, parts }) =>
        parts.map((p): Clip => {
          const own = there.length > 1 ? nameOf(`${called}, round ${number}`) : called;
          return {
            ...JUST_LAID,
            color: null,
            gain: 0,
            pan: 0,
            ...p,
            ...(channels && { channels }),
            id: tx.newId(),
            trackId,
            sourceId,
            name: own,
            bundle: tx.inside,
          };
        }),
      );
      return { trackId, called, clips, heard: lastWhole(there), into };
    });
    const by = roomFor(
      tx,
      laid.flatMap((l) => (l.into === undefined ? l.clips[l.heard] : [])),
      neighbours,
      reach,
    );
    for (const { trackId, called, clips, heard, into } of laid) {
      if (into !== undefined) {
        addTakes(tx, into, clips, heard, border);
        continue;
      }
      const placed = clips.map((parts) => parts.map((c) => ({ ...c, start: c.start + by })));
      if (placed.length === 1) {
        for (const clip of placed[0]) tx.setClip(clip);
        resolveOverlaps(
          tx,
          placed[0].map((c) => c.id),
          landing,
        );
      } else {
        const stackId = layTakes(tx, trackId, called, placed, heard, border);
        resolveOverlaps(
          tx,
          picksOf(tx.doc, stackOf(tx, stackId)).map((c) => c.id),
          landing,
        );
      }
    }
    return `Record ${laid.length === 1 ? laid[0].called : `${laid.length} tracks`}`;
  },
});

/** Makes the rounds of a loop a take stack, or lanes of the one that begins at the same place, and picks one. Returns the stack's id. */
function layTakes(tx: Transaction, trackId: string, name: string, takes: readonly (readonly Clip[])[], heard: number, border: number): string {
  const start = Math.min(...takes.flat().map((c) => c.start));
  const there = [...tx.doc.bundles.values()].find((b) => b.takes && b.trackId === trackId && b.start === start && b.parent === tx.inside);
  if (there?.takes) {
    addTakes(tx, there.id, takes, heard, border);
    return there.id;
  }
  const lanes = lanesOf(tx, takes, start);
  const id = tx.newId();
  const stack = { id, name: nameOf(`Takes of ${name}`), color: null, parent: tx.inside, pattern: null, start, trackId, takes: lanes };
  tx.set("bundle", id, stack);
  // The first pick makes the stack one that has clips; the rest is filled as always.
  for (const c of lanes[heard].clips) tx.setClip(laidClip(stack, lanes[heard], c, tx.newId(), 0));
  repick(tx, id, { length: border }, () => fillHoles(tx, id));
  return id;
}

/** Takes as lanes of a stack that starts at a place. */
const lanesOf = (tx: Transaction, takes: readonly (readonly Clip[])[], start: number): TakeLane[] =>
  takes.map((clips) => ({
    id: tx.newId(),
    name: clips[0].name,
    color: null,
    rating: 0,
    hidden: false,
    clips: clips.map((c) => takeClip(c, start)),
  }));

/** Makes takes lanes of a stack, and picks one of them where it lies. */
function addTakes(tx: Transaction, stackId: string, takes: readonly (readonly Clip[])[], heard: number, border: number): void {
  const stack = stackOf(tx, stackId);
  const lanes = lanesOf(tx, takes, stack.start);
  if (stack.takes.length + lanes.length > MOST_LANES) throw new EditError(`A take stack has at most ${MOST_LANES} lanes.`, "tracks");
  setLanes(tx, stack, [...stack.takes, ...lanes]);
  repick(tx, stackId, { length: border }, () => {
    pickFrom(tx, stackId, lanes[heard].id, takes[heard][0].start, clipEnd(takes[heard].at(-1) as Clip));
    fillHoles(tx, stackId);
  });
}
