import { trimRoom } from "@wet-thread/core/edit/clips/trim";
import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { transport } from "@/engine/transport";
import { session } from "@/state/session";
import { edgeFade, settings } from "@/state/settings";
import { selectClips, setView, type TimeRange, view } from "@/state/view";
import { flagLines } from "./describe";
import { laneAt, laneBoxes } from "./geometry";
import { clearPreview, setPreview } from "./preview";
import { snapped } from "./snapping";
import type { Zone } from "./zones";

/** Where the pointer is, in pixels of the lanes. */
export interface Point {
  readonly x: number;
  readonly y: number;
  readonly shift: boolean;
}

/** One press, drag and release. `move` only shows; `commit` does; a cancelled gesture leaves nothing behind. */
export interface Gesture {
  move(p: Point): void;
  commit(p: Point): void;
}

/** Pixels that a press may wander and still be a click. */
export const CLICK_PIXELS = 4;

const sampleAt = (x: number): number => view().start + x * view().samplesPerPixel;

/** A gesture made of edits: each move previews them on the document, the release sends them as one step. */
function editing(
  doc: Document,
  plan: (p: Point) => { edits: Edit[]; lines: (after: Document) => string[]; lit: { position: number; kind: string } | null } | null,
): Gesture {
  const fade = edgeFade(doc.sampleRate);
  const key = newKey();
  const make = (p: Point) => {
    const planned = plan(p);
    return planned && { ...planned, edits: planned.edits.map((e, i) => ({ ...e, edgeFade: fade, key: `${key}${i}` })) };
  };
  return {
    move(p) {
      const planned = make(p);
      if (!planned) return;
      try {
        const after = planned.edits.length ? applyEdits(doc, planned.edits).doc : doc;
        setPreview({ doc: after, flag: { x: p.x, y: p.y, lines: planned.lines(after) }, lit: planned.lit });
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        setPreview({ doc, flag: { x: p.x, y: p.y, lines: [error.message] }, lit: null });
      }
    },
    commit(p) {
      const planned = make(p);
      clearPreview();
      if (planned?.edits.length) session().edit(planned.edits);
    },
  };
}

/** The clips that a gesture on one of them takes along: all selected ones if it is among them. */
function taken(doc: Document, clip: Clip): Clip[] {
  const { clipIds } = view();
  return clipIds.has(clip.id) ? [...clipIds].map((id) => doc.clips.get(id)).filter((c) => c !== undefined) : [clip];
}

const edgesOf = (clips: readonly Clip[]): ReadonlySet<number> => new Set(clips.flatMap((c) => [c.start, clipEnd(c)]));

export function moveClips(doc: Document, clip: Clip, pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const boxes = laneBoxes(doc);
  const laneOf = (trackId: string): number => boxes.findIndex((b) => b.trackId === trackId);
  const grip = sampleAt(pressed.x);
  // A group goes by the edge nearest to where it was taken hold of, a single clip by its start or sync point.
  const near = clips.length > 1 && Math.abs(clipEnd(clip) - grip) < Math.abs(clip.start - grip) ? clipEnd(clip) : clip.start + (clip.sync ?? 0);
  const earliest = Math.min(...clips.map((c) => c.start));
  const least = near - earliest;
  const rows = clips.map((c) => laneOf(c.trackId));
  const order = doc.piece.trackOrder;
  return editing(doc, (p) => {
    const { position, target } = snapped(doc, {
      wanted: near + sampleAt(p.x) - grip,
      origin: near,
      except: edgesOf(clips),
      least,
      also: clips.length === 1 ? [clipEnd(clip) - near] : [],
    });
    const by = p.shift && Math.abs(p.y - pressed.y) > Math.abs(p.x - pressed.x) ? 0 : position - near;
    const over = laneAt(doc, p.y + view().scrollY);
    const wishedRows = over && !(p.shift && Math.abs(p.x - pressed.x) >= Math.abs(p.y - pressed.y)) ? laneOf(over.trackId) - laneOf(clip.trackId) : 0;
    const down = Math.max(-Math.min(...rows), Math.min(boxes.length - 1 - Math.max(...rows), wishedRows));
    const tracks = down === 0 ? 0 : order.indexOf(boxes[laneOf(clip.trackId) + down].trackId) - order.indexOf(clip.trackId);
    return {
      edits: by === 0 && tracks === 0 ? [] : [{ type: "move", clipIds: clips.map((c) => c.id), by, tracks, overlap: settings().overlaps }],
      lines: (after) => flagLines(doc, near + by, near, target, overlapWords(after, clips)),
      lit: target && by !== 0 ? { position: target.position, kind: target.kind } : null,
    };
  });
}

/** What a drop will lie over, in words. */
function overlapWords(after: Document, clips: readonly Clip[]): string | undefined {
  let longest = 0;
  const ids = new Set(clips.map((c) => c.id));
  for (const { id } of clips) {
    const now = after.clips.get(id);
    if (!now) continue;
    for (const other of after.lanes.get(now.trackId)?.within(now.start, clipEnd(now)) ?? []) {
      if (!ids.has(other.id)) longest = Math.max(longest, Math.min(clipEnd(now), clipEnd(other)) - Math.max(now.start, other.start));
    }
  }
  if (longest === 0) return undefined;
  const joined = clips.some(({ id }) => after.clips.get(id)?.blend || blendAfter(after, after.clips.get(id) as Clip));
  return `${joined ? "blends" : "lies over"} ${formatLength(longest, after.sampleRate)}`;
}

export function trimClips(doc: Document, clip: Clip, edge: "start" | "end", pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const rooms = clips.map((c) => trimRoom(c, edge, doc.sources.get(c.sourceId)?.length ?? 0));
  const least = Math.max(...rooms.map((r) => r.least));
  const most = Math.min(...rooms.map((r) => r.most));
  const origin = edge === "start" ? clip.start : clipEnd(clip);
  const grip = sampleAt(pressed.x);
  return editing(doc, (p) => {
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - grip,
      origin,
      except: edgesOf(clips),
      material: clip,
      least: origin + least,
      most: origin + most,
    });
    const by = position - origin;
    const end =
      by === least && edge === "start" ? "the recording starts here" : by === most && edge === "end" ? "the recording ends here" : undefined;
    return {
      edits: by === 0 ? [] : [{ type: "trim", clipIds: clips.map((c) => c.id), edge, by, overlap: settings().overlaps }],
      lines: (after) => flagLines(doc, position, origin, target, end ?? overlapWords(after, clips)),
      lit: target && by !== 0 ? { position: target.position, kind: target.kind } : null,
    };
  });
}

/** Pixels of height that bend a fade all the way. */
const BEND_PIXELS = 160;

export function fadeClips(doc: Document, clip: Clip, edge: "in" | "out", pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const fade = edge === "in" ? clip.fadeIn : clip.fadeOut;
  const corner = edge === "in" ? clip.start : clipEnd(clip);
  const away = edge === "in" ? 1 : -1;
  const origin = corner + away * fade.length;
  const grip = sampleAt(pressed.x);
  const follower = edge === "out" ? blendAfter(doc, clip) : undefined;
  return editing(doc, (p) => {
    const room = clip.length - (edge === "in" ? clip.fadeOut.length : clip.fadeIn.length);
    const bounds = edge === "in" ? { least: clip.start, most: clip.start + room } : { least: clipEnd(clip) - room, most: clipEnd(clip) };
    const { position, target } = snapped(doc, { wanted: origin + sampleAt(p.x) - grip, origin, except: new Set([corner]), ...bounds });
    const length = away * (position - corner);
    const rise = pressed.y - p.y;
    const bend =
      Math.abs(rise) < 6 ? fade.bend : Math.round(Math.max(-1, Math.min(1, fade.bend - (rise - 6 * Math.sign(rise)) / BEND_PIXELS)) * 100) / 100;
    if (follower)
      return {
        edits: [{ type: "set-blend", clipId: follower.id, length: Math.max(1, length) }],
        lines: () => [`blend ${formatLength(length, doc.sampleRate)}`],
        lit: null,
      };
    return {
      edits: length === fade.length && bend === fade.bend ? [] : [{ type: "set-fade", clipIds: clips.map((c) => c.id), edge, length, bend }],
      lines: () => [
        `fade ${edge} ${formatLength(length, doc.sampleRate)}`,
        `bend ${bend >= 0 ? "+" : "−"}${Math.abs(bend).toFixed(2)}`,
        ...flagLines(doc, position, null, target).slice(0, 1),
      ],
      lit: target && length !== fade.length ? { position: target.position, kind: target.kind } : null,
    };
  });
}

/** Dragging a seam sideways changes the fades that meet there, or the blend: both sides alike. */
export function dragSeam(doc: Document, zone: Zone, pressed: Point): Gesture {
  const seam = zone.seam as NonNullable<Zone["seam"]>;
  const { left, right, position } = seam;
  const start =
    seam.kind === "blended"
      ? (right?.fadeIn.length ?? 0)
      : Math.max(right?.start === position ? right.fadeIn.length : 0, left && clipEnd(left) === position ? left.fadeOut.length : 0);
  return editing(doc, (p) => {
    const length = Math.max(0, start + Math.round(Math.abs(p.x - pressed.x) < 2 ? 0 : (p.x - pressed.x) * view().samplesPerPixel));
    if (length === start) return { edits: [], lines: () => [formatLength(start, doc.sampleRate)], lit: null };
    if (seam.kind === "blended" && right)
      return {
        edits: [{ type: "set-blend", clipId: right.id, length: Math.max(1, length) }],
        lines: () => [`blend ${formatLength(length, doc.sampleRate)}`],
        lit: null,
      };
    const edits: Edit[] = [];
    if (left && clipEnd(left) === position && left !== right) edits.push({ type: "set-fade", clipIds: [left.id], edge: "out", length });
    if (right && right.start === position && left !== right) edits.push({ type: "set-fade", clipIds: [right.id], edge: "in", length });
    return { edits, lines: () => [`fades ${formatLength(length, doc.sampleRate)}`], lit: null };
  });
}

/** Lanes between two heights. */
function tracksBetween(doc: Document, y0: number, y1: number): string[] {
  const { scrollY } = view();
  const [a, b] = [Math.min(y0, y1) + scrollY, Math.max(y0, y1) + scrollY];
  return laneBoxes(doc)
    .filter((box) => box.top < b && box.top + box.height > a)
    .map((box) => box.trackId);
}

/** A range over lanes, or over all of them from a ruler. A click instead places the playhead, and selects the clip it falls on. */
export function makeRange(doc: Document, pressed: Point, clip: Clip | undefined, allTracks: boolean, add: boolean): Gesture {
  const at = snapped(doc, { wanted: Math.max(0, sampleAt(pressed.x)), origin: 0, material: clip });
  const range = (p: Point): { range: TimeRange; target: { kind: string; position: number } | null; end: number } | null => {
    if (Math.abs(p.x - pressed.x) <= CLICK_PIXELS && (allTracks || Math.abs(p.y - pressed.y) <= CLICK_PIXELS * 3)) return null;
    const { position, target } = snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0, material: clip });
    if (position === at.position) return null;
    const trackIds = allTracks ? laneBoxes(doc).map((b) => b.trackId) : tracksBetween(doc, pressed.y, p.y);
    return { range: { start: Math.min(at.position, position), end: Math.max(at.position, position), trackIds }, target, end: position };
  };
  return {
    move(p) {
      const made = range(p);
      if (!made) return setPreview({ range: null, flag: null, lit: at.target, playhead: at.position });
      setPreview({
        range: made.range,
        playhead: null,
        lit: made.target,
        flag: {
          x: p.x,
          y: p.y,
          lines: [...flagLines(doc, made.end, null, made.target), formatLength(made.range.end - made.range.start, doc.sampleRate)],
        },
      });
    },
    commit(p) {
      const made = range(p);
      clearPreview();
      if (made) return setView({ range: made.range, clipIds: new Set(), seamId: null });
      placePlayhead(at.position);
      if (clip) {
        if (add) {
          const ids = new Set(view().clipIds);
          if (!ids.delete(clip.id)) ids.add(clip.id);
          selectClips(ids);
        } else selectClips([clip.id]);
        setView({ trackId: clip.trackId });
      } else if (!add)
        setView({ clipIds: new Set(), range: null, seamId: null, trackId: laneAt(doc, pressed.y + view().scrollY)?.trackId ?? view().trackId });
    },
  };
}

/** Puts the playhead somewhere; playing goes on from there. */
export function placePlayhead(position: number): void {
  const { playing } = view();
  setView({ playhead: position });
  if (playing) void transport().play(position);
}

export function dragRangeEdge(doc: Document, edge: "start" | "end"): Gesture {
  const range = view().range as TimeRange;
  const at = (p: Point) =>
    snapped(doc, {
      wanted: sampleAt(p.x),
      origin: range[edge],
      exceptRange: true,
      least: edge === "start" ? 0 : range.start + 1,
      most: edge === "start" ? range.end - 1 : undefined,
    });
  return {
    move(p) {
      const { position, target } = at(p);
      setPreview({
        range: { ...range, [edge]: position },
        lit: target,
        flag: { x: p.x, y: p.y, lines: flagLines(doc, position, range[edge], target) },
      });
    },
    commit(p) {
      clearPreview();
      setView({ range: { ...range, [edge]: at(p).position } });
    },
  };
}

/** Splits the clip under the pointer where the cut is shown. */
export function splitAt(doc: Document, clip: Clip): Gesture {
  const at = (p: Point) => snapped(doc, { wanted: sampleAt(p.x), origin: 0, least: clip.start + 1, most: clipEnd(clip) - 1, material: clip });
  return {
    move(p) {
      const { position, target } = at(p);
      setPreview({ lit: { position, kind: "cut" }, flag: { x: p.x, y: p.y, lines: ["split", ...flagLines(doc, position, null, target)] } });
    },
    commit(p) {
      clearPreview();
      session().edit([{ type: "split", clipIds: [clip.id], at: at(p).position, edgeFade: edgeFade(doc.sampleRate) }]);
    },
  };
}

/** The gesture that a press in a zone begins with a tool. */
export function gestureFor(doc: Document, zone: Zone, p: Point, add: boolean): Gesture | null {
  const { tool } = view();
  if (zone.kind === "below") return null;
  if (zone.kind === "seam" && zone.seam) return dragSeam(doc, zone, p);
  if (tool === "split" && zone.clip) return splitAt(doc, zone.clip);
  if (tool === "range" || tool === "split") return makeRange(doc, p, undefined, false, add);
  switch (zone.kind) {
    case "rangeStart":
      return dragRangeEdge(doc, "start");
    case "rangeEnd":
      return dragRangeEdge(doc, "end");
    case "name":
      return zone.clip ? moveClips(doc, zone.clip, p) : null;
    case "start":
    case "end":
      return zone.clip ? trimClips(doc, zone.clip, zone.kind, p) : null;
    case "fadeIn":
      return zone.clip ? fadeClips(doc, zone.clip, "in", p) : null;
    case "fadeOut":
      return zone.clip ? fadeClips(doc, zone.clip, "out", p) : null;
    default:
      return makeRange(doc, p, zone.clip, false, add);
  }
}
