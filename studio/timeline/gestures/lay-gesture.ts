import type { Edit } from "@wet-thread/core/edit/registry";
import { clipOfPart, type KeptPart } from "@wet-thread/core/model/clip/kept-part";
import type { Document } from "@wet-thread/core/model/document";
import { nameOf } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { modeRules, neighbourRules } from "@/state/view/modes";
import { view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { laneAt } from "../model/geometry";
import { jointAt } from "../model/landing";
import { snapped } from "../model/snapping";
import { askingFor, dropsAsk, editing, type Gesture, type Plan, sampleAt } from "./gesture";
import { movedWords } from "./move-gesture";

let tracks = 0;
export const freshTrackId = (): string => `track-${Date.now().toString(36)}-${++tracks}`;

/** A recording to be laid, or a part of it that is kept. */
export interface Layable {
  readonly id: string;
  readonly name: string;
  readonly channels: number;
  readonly part?: KeptPart;
}

/** A part that is kept, as it is laid: its name, length and channels are its own. */
export const partLayable = (sourceId: string, part: KeptPart): Layable & { readonly length: number } => ({
  id: sourceId,
  name: part.name,
  channels: Math.min(2, part.channels?.length ?? 2),
  length: part.length,
  part,
});

/** What of a recording goes to one track: all of it, or of more than two channels a pair each, the last alone where they are odd. */
function partsOf({ channels, name }: Layable): { name: string; channels?: number[] }[] {
  if (channels <= 2) return [{ name }];
  return Array.from({ length: Math.ceil(channels / 2) }, (_, i) => {
    const pair = [2 * i, 2 * i + 1].filter((c) => c < channels);
    return { name: `${name}, ${pair.length > 1 ? "channels" : "channel"} ${pair.map((c) => c + 1).join(" and ")}`, channels: pair };
  });
}

/**
 * The edits that lay a recording on a track, or on a new one of the given id, by the rules of the mode line. A recording of
 * more than two channels goes to a track for each pair, one below the other, linked, so that no channel is lost.
 */
export function layEdits(doc: Document, source: Layable, trackId: string | null, position: number, newTrack: string): Edit[] {
  const [first, ...more] = partsOf(source);
  const onto = trackId ?? newTrack;
  const link = (trackId && doc.tracks.get(trackId)?.link) || newTrack;
  const row = trackId ? doc.piece.trackOrder.indexOf(trackId) : doc.piece.trackOrder.length;
  const lay = (track: string, part: (typeof more)[number]): Edit => ({
    type: "add-clip",
    trackId: track,
    sourceId: source.id,
    name: nameOf(part.name),
    start: Math.max(0, Math.round(position)),
    ...modeRules(),
    ...(part.channels && { channels: part.channels }),
  });
  const linked = more.length > 0 ? { link } : {};
  if (source.part)
    return [
      ...(trackId ? [] : [{ type: "add-track", id: newTrack, name: nameOf(source.name) }]),
      { type: "paste", at: Math.max(0, Math.round(position)), clips: [clipOfPart(source.id, source.part, onto, 0)], ...modeRules() },
    ];
  return [
    ...(trackId ? [] : [{ type: "add-track", id: newTrack, name: nameOf(first.name), ...linked }]),
    ...(trackId && more.length > 0 && !doc.tracks.get(trackId)?.link ? [{ type: "set-track", trackIds: [trackId], link }] : []),
    ...more.map((part, i): Edit => ({ type: "add-track", id: `${newTrack}-${i + 2}`, name: nameOf(part.name), index: row + i + 1, link })),
    lay(onto, first),
    ...more.map((part, i) => lay(`${newTrack}-${i + 2}`, part)),
  ];
}

/** What is said of how a recording will lie. */
const layWords = ({ channels }: Layable): string[] => (channels > 2 ? [`${channels} channels on ${Math.ceil(channels / 2)} linked tracks`] : []);

/** A recording taken from the list to the lanes: on one it goes there, below them it starts a track; its start snaps. */
export function layRecording(doc: Document, source: Layable & { readonly length: number }): Gesture {
  const newTrack = freshTrackId();
  return editing(doc, (p): Plan => {
    const { position, target } = snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0 });
    const lane = laneAt(doc, p.y + view().scrollY);
    const edits = (by: number): Edit[] => layEdits(doc, source, lane?.trackId ?? null, position + by, newTrack);
    const reorders = neighbourRules().neighbours === "reorder";
    return {
      edits: edits(0),
      name: `Add ${source.name}`,
      lines: (after) => [
        lane ? `on ${lane.track.name}` : "on a new track",
        ...layWords(source),
        ...flagLines(
          doc,
          position,
          null,
          target,
          formatLength(source.length, doc.sampleRate),
          movedWords(doc, after, []),
          dropsAsk() ? "asks for the place" : undefined,
        ),
      ],
      shown: { lit: target, joint: reorders ? jointAt(doc, lane?.trackId, position) : null },
      instead: askingFor(p, { start: position, end: position + source.length }, 0, edits, `Add ${source.name}`),
    };
  });
}
