import { leadsOf } from "@wet-thread/core/edit/links/links";
import { nearestJoint } from "@wet-thread/core/edit/opening/openings";
import type { Edit } from "@wet-thread/core/edit/registry";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import type { Lane } from "@wet-thread/core/model/index/lane";
import { playedId } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { settings } from "@/state/kept/settings";
import { modeRules } from "@/state/view/modes";
import { selectClips, view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { laneAt, laneBoxes } from "../model/geometry";
import { jointAt, newTracks } from "../model/landing";
import { snapped } from "../model/snapping";
import { askingFor, dropsAsk, edgesOf, editing, type Gesture, type Plan, type Point, sampleAt, taken } from "./gesture";

/** Where a drag takes clips across tracks: lanes down, and how many new tracks that needs below the last. */
function rowsFor(doc: Document, clips: readonly Clip[], held: Clip, y: number, sideways: boolean): { tracks: number; fresh: number } {
  const boxes = laneBoxes(doc);
  const order = doc.piece.trackOrder;
  const over = laneAt(doc, y + view().scrollY);
  if (sideways || (!over && y + view().scrollY < 0)) return { tracks: 0, fresh: 0 };
  const rowOf = (trackId: string): number => order.indexOf(trackId);
  const rows = clips.map((c) => rowOf(c.trackId));
  if (!over) {
    const tracks = order.length - rowOf(held.trackId);
    return { tracks, fresh: Math.max(...rows) + tracks - order.length + 1 };
  }
  const laneOf = (trackId: string): number => boxes.findIndex((b) => b.trackId === trackId);
  const lanes = clips.map((c) => laneOf(c.trackId));
  const wished = laneOf(over.trackId) - laneOf(held.trackId);
  const down = Math.max(-Math.min(...lanes), Math.min(boxes.length - 1 - Math.max(...lanes), wished));
  return { tracks: down === 0 ? 0 : rowOf(boxes[laneOf(held.trackId) + down].trackId) - rowOf(held.trackId), fresh: 0 };
}

/** Moves clips, or with Alt lays copies of them, by the rules of the mode line. */
export function moveClips(doc: Document, clip: Clip, pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const clipIds = clips.map((c) => c.id);
  const grip = sampleAt(pressed.x);
  // A group goes by the edge nearest to where it was taken hold of, a single clip by its start or sync point.
  const nearEnd = Math.abs(clipEnd(clip) - grip) < Math.abs(clip.start - grip);
  const byEnd = settings().moveEdge === "end" || (nearEnd && (clips.length > 1 || settings().moveEdge === "near"));
  const near = byEnd ? clipEnd(clip) : clip.start + (clip.sync ?? 0);
  const tracks = new Set(clips.map((c) => c.trackId));
  // What links bring along stops at zero too.
  const along = settings().linksOn && !pressed.alt ? [...leadsOf(doc, clipIds).keys()].map((id) => doc.clips.get(id) as Clip) : [];
  const least = near - Math.min(...[...clips, ...along].map((c) => c.start));
  const moving = editing(doc, (p): Plan => {
    const rules = modeRules();
    const { position, target } = snapped(doc, {
      wanted: near + sampleAt(p.x) - grip,
      origin: near,
      except: p.alt ? undefined : edgesOf(clips),
      least,
      tracks,
      also: clips.length === 1 && !byEnd ? [clipEnd(clip) - near] : [],
    });
    const wide = Math.abs(p.x - pressed.x) >= Math.abs(p.y - pressed.y);
    const by = p.shift && !wide ? 0 : position - near;
    const { tracks: down, fresh } = rowsFor(doc, clips, clip, p.y, p.shift && wide);
    const lit = target && by !== 0 ? { position: target.position, kind: target.kind } : null;
    if (rules.neighbours === "reorder" && !p.alt) return reorderPlan(doc, clips, clip, p, down, fresh);
    const type = p.alt ? "copy" : "move";
    const edits = (distance: number): Edit[] =>
      distance === 0 && down === 0 ? [] : [...newTracks(fresh), { type, clipIds, by: distance, tracks: down, ...rules }];
    const start = Math.min(...clips.map((c) => c.start));
    const from = {
      start,
      end: Math.max(...clips.map(clipEnd)),
      ...(clips.length === 1 && clip.sync !== null && { sync: clip.start + clip.sync }),
    };
    return {
      edits: edits(by),
      name: fresh > 0 ? `${p.alt ? "Copy" : "Move"} ${clips.length === 1 ? clip.name : `${clips.length} clips`} to a new track` : undefined,
      lines: (after) =>
        flagLines(
          doc,
          near + by,
          near,
          target,
          p.alt ? "copies" : undefined,
          dropWords(doc, after, p.alt ? copiesOf(doc, after, clips) : clips, fresh),
          dropsAsk() ? "asks for the place" : undefined,
        ),
      // A copy goes in at a joint of the row, and the others make room.
      shown: {
        lit,
        joint:
          rules.neighbours === "reorder" ? jointAt(doc, doc.piece.trackOrder[doc.piece.trackOrder.indexOf(clip.trackId) + down], start + by) : null,
      },
      // The copy is what was laid, and what the next key is for.
      after: ({ doc: now }) => {
        const copies = p.alt ? copiesOf(doc, now, clips) : [];
        if (copies.length)
          selectClips(
            now,
            copies.map((c) => c.id),
          );
      },
      instead: askingFor(p, from, by, edits),
    };
  });
  return { ...moving, acrossTracks: true, endsInWindow: true };
}

/** In the sequence of a track: the insertion line goes to the joint nearest to the pointer. */
function reorderPlan(doc: Document, clips: readonly Clip[], held: Clip, p: Point, tracks: number, fresh: number): Plan {
  const order = doc.piece.trackOrder;
  const ids = new Set(clips.map((c) => c.id));
  const trackId = order[order.indexOf(held.trackId) + tracks];
  const clipIds = [...ids];
  const rules = modeRules();
  if (!trackId) {
    return {
      edits: [...newTracks(fresh), { type: "move", clipIds, by: 0, tracks, ...rules }],
      lines: () => ["to a new track"],
    };
  }
  const lane = doc.lanes.get(trackId) as Lane;
  const joint = nearestJoint({ lane: () => lane }, trackId, Math.round(sampleAt(p.x)), ids);
  const before = lane.clips.find((c) => c.start >= joint && !ids.has(c.id));
  // At its old place nothing would change.
  const own = lane.clips.filter((c) => ids.has(c.id));
  const next = own.length === clips.length ? lane.clips.find((c) => c.start > Math.max(...own.map((o) => o.start)) && !ids.has(c.id)) : null;
  const stays = tracks === 0 && clips.length === 1 && before?.id === next?.id;
  return {
    edits: stays ? [] : [{ type: "move", clipIds, by: 0, tracks, before: before?.id ?? null, ...rules }],
    lines: () => [stays ? "stays in its place" : before ? `goes in before ${before.name}` : "goes after the last", "the others make room"],
    shown: { joint: { trackId, position: joint } },
  };
}

/** The copies of clips that an edit laid: clips that are new and play the same. */
function copiesOf(doc: Document, after: Document, clips: readonly Clip[]): Clip[] {
  const like = new Set(clips.map((c) => `${playedId(c)} ${c.offset}`));
  const found: Clip[] = [];
  for (const [trackId, lane] of after.lanes) {
    if (lane === doc.lanes.get(trackId)) continue;
    for (const clip of lane.clips) if (!doc.clips.has(clip.id) && like.has(`${playedId(clip)} ${clip.offset}`)) found.push(clip);
  }
  return found;
}

/** What a drop will do to others, in words. */
function dropWords(doc: Document, after: Document, clips: readonly Clip[], fresh: number): string | undefined {
  const words = [fresh > 0 ? "to a new track" : "", overlapWords(doc, after, clips), movedWords(doc, after, clips)].filter(Boolean);
  return words.length ? words.join(", ") : undefined;
}

/** What clips will lie over, in words. */
export function overlapWords(doc: Document, after: Document, clips: readonly Clip[]): string {
  let longest = 0;
  const ids = new Set(clips.map((c) => c.id));
  for (const { id } of clips) {
    const now = after.clips.get(id);
    if (!now) continue;
    for (const other of after.lanes.get(now.trackId)?.within(now.start, clipEnd(now)) ?? []) {
      if (!ids.has(other.id)) longest = Math.max(longest, Math.min(clipEnd(now), clipEnd(other)) - Math.max(now.start, other.start));
    }
  }
  if (longest === 0) return modeRules().overlap === "cover" && modeRules().neighbours === "hold" ? coverWords(doc, after, clips) : "";
  const joined = clips.some(({ id }) => after.clips.get(id)?.blend || blendAfter(after, after.clips.get(id) as Clip));
  return `${joined ? "blends" : "lies over"} ${formatLength(longest, after.sampleRate)}`;
}

/** How much of what lay there before is covered, in words. */
function coverWords(doc: Document, after: Document, clips: readonly Clip[]): string {
  let covered = 0;
  const ids = new Set(clips.map((c) => c.id));
  for (const { id } of clips) {
    const now = after.clips.get(id);
    if (!now) continue;
    for (const other of doc.lanes.get(now.trackId)?.within(now.start, clipEnd(now)) ?? [])
      if (!ids.has(other.id)) covered += Math.min(clipEnd(now), clipEnd(other)) - Math.max(now.start, other.start);
  }
  return covered > 0 ? `covers ${formatLength(covered, after.sampleRate)}` : "";
}

/** How far others move along. */
export function movedWords(doc: Document, after: Document, clips: readonly Clip[]): string {
  const { neighbours } = modeRules();
  if (neighbours === "hold" || doc === after) return "";
  const ids = new Set(clips.map((c) => c.id));
  let count = 0;
  for (const [trackId, lane] of after.lanes) {
    if (lane === doc.lanes.get(trackId)) continue;
    for (const clip of lane.clips) {
      const was = doc.clips.get(clip.id);
      if (was && !ids.has(clip.id) && was.start !== clip.start) count++;
    }
  }
  return count === 0 ? "" : `${count} more ${count === 1 ? "clip moves" : "clips move"} along`;
}
