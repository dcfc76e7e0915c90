import { withBundles } from "@wet-thread/core/edit/bundles/members";
import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { transport } from "@/engine/transport";
import { session } from "@/state/sync/session";
import { modeRules, neighbourRules } from "@/state/view/modes";
import { selectClips, setView, type TimeRange, view } from "@/state/view/view";
import { counted } from "@/state/words/counted";
import { flagLines } from "../model/describe";
import { CLOTH_TOP, laneAt, laneBoxes, RAIL } from "../model/geometry";
import { jointAt, newTracks } from "../model/landing";
import { clearPreview, setPreview } from "../model/preview";
import { snapped } from "../model/snapping";
import { askingFor, CLICK_PIXELS, editing, type Gesture, type Plan, type Point, sampleAt } from "./gesture";

/** Lanes between two heights of the screen. */
export function tracksBetween(doc: Document, y0: number, y1: number): string[] {
  const { scrollY } = view();
  const [a, b] = [Math.min(y0, y1) + scrollY, Math.max(y0, y1) + scrollY];
  return laneBoxes(doc)
    .filter((box) => box.top <= b && box.top + box.height > a)
    .map((box) => box.trackId);
}

/** Puts the playhead somewhere; playing goes on from there. */
export function placePlayhead(position: number): void {
  const { playing } = view();
  setView({ playhead: position });
  if (playing) void transport().play(position);
}

/** A click on a clip selects it, or with `add` takes it in or out of the selection. */
export function clickClip(doc: Document, clip: Clip, add: boolean): void {
  if (add) {
    const ids = new Set(view().clipIds);
    const own = withBundles(doc, [clip.id], view().openBundle);
    const had = ids.has(clip.id);
    for (const id of own)
      if (had) ids.delete(id);
      else ids.add(id);
    selectClips(doc, ids);
  } else selectClips(doc, [clip.id]);
  setView({ trackId: clip.trackId });
}

/** A range over lanes, or over all of them from a ruler. A click instead places the playhead, and selects the clip it falls on. */
export function makeRange(doc: Document, pressed: Point, clip: Clip | undefined, allTracks: boolean, add: boolean): Gesture {
  // Asked anew each time: the grid key counts for the first edge too, whenever it is pressed.
  const first = (): ReturnType<typeof snapped> => snapped(doc, { wanted: Math.max(0, sampleAt(pressed.x)), origin: 0, material: clip });
  const range = (p: Point): { range: TimeRange; target: { kind: string; position: number } | null; end: number } | null => {
    if (Math.abs(p.x - pressed.x) <= CLICK_PIXELS && (allTracks || Math.abs(p.y - pressed.y) <= CLICK_PIXELS * 3)) return null;
    const { position, target } = snapped(doc, {
      wanted: Math.max(0, sampleAt(p.x)),
      origin: 0,
      material: clip,
      tracks: clip && new Set([clip.trackId]),
    });
    const at = first();
    if (position === at.position) return null;
    const trackIds = allTracks ? laneBoxes(doc).map((b) => b.trackId) : tracksBetween(doc, pressed.y, p.y);
    return { range: { start: Math.min(at.position, position), end: Math.max(at.position, position), trackIds }, target, end: position };
  };
  return {
    acrossTracks: !allTracks,
    move(p) {
      const made = range(p);
      if (!made) {
        const at = first();
        return setPreview({ range: null, flag: null, lit: at.target, playhead: at.position });
      }
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
      if (made) {
        rangeFrom = null;
        return setView({ range: made.range, clipIds: new Set(), seamId: null });
      }
      if (view().tool === "range" && !allTracks && secondClick(doc, first().position, pressed.y)) return;
      if (!view().picking) placePlayhead(first().position);
      if (clip) clickClip(doc, clip, add);
      else if (!add)
        setView({ clipIds: new Set(), range: null, seamId: null, trackId: laneAt(doc, pressed.y + view().scrollY)?.trackId ?? view().trackId });
    },
  };
}

/** Where a first click with the range tool was: the next one makes the range up to there. */
let rangeFrom: { readonly position: number; readonly trackId: string } | null = null;

/** With the range tool a range is made by two clicks too; true where this was the second one. */
function secondClick(doc: Document, position: number, y: number): boolean {
  const box = laneAt(doc, y + view().scrollY);
  if (!box) return false;
  const before = rangeFrom;
  rangeFrom = null;
  if (before && before.position !== position && laneBoxes(doc).some((b) => b.trackId === before.trackId)) {
    const [i, j] = [before.trackId, box.trackId].map((id) => laneBoxes(doc).findIndex((b) => b.trackId === id));
    const trackIds = laneBoxes(doc)
      .slice(Math.min(i, j), Math.max(i, j) + 1)
      .map((b) => b.trackId);
    setView({
      range: { start: Math.min(before.position, position), end: Math.max(before.position, position), trackIds },
      clipIds: new Set(),
      seamId: null,
    });
    return true;
  }
  rangeFrom = { position, trackId: box.trackId };
  return false;
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

/** Pulls what lies in the range out and takes it elsewhere, or with Alt a copy of it; the range goes along. */
export function pullRange(doc: Document, pressed: Point): Gesture {
  const range = view().range as TimeRange;
  const empty = range.trackIds.every((id) => doc.lanes.get(id)?.within(range.start, range.end).length === 0);
  const boxes = laneBoxes(doc);
  const order = doc.piece.trackOrder;
  const grip = sampleAt(pressed.x);
  const origin = Math.abs(range.end - grip) < Math.abs(range.start - grip) ? range.end : range.start;
  const laneOf = (trackId: string): number => boxes.findIndex((b) => b.trackId === trackId);
  const from = laneAt(doc, pressed.y + view().scrollY);
  const goes = (p: Point) => {
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - grip,
      origin,
      exceptRange: true,
      least: origin - range.start,
    });
    const over = laneAt(doc, p.y + view().scrollY);
    const lanes = range.trackIds.map(laneOf).filter((i) => i >= 0);
    const wished = over && from ? laneOf(over.trackId) - laneOf(from.trackId) : 0;
    const down = Math.max(-Math.min(...lanes), Math.min(boxes.length - 1 - Math.max(...lanes), wished));
    const by = position - origin;
    const span = { start: range.start + by, end: range.end + by };
    // Let go of below the lanes it starts tracks of its own.
    if (!over && from && p.y + view().scrollY > 0 && !empty) {
      const tracks = order.length - Math.min(...range.trackIds.map((id) => order.indexOf(id)));
      const fresh = Math.max(...range.trackIds.map((id) => order.indexOf(id))) + tracks - order.length + 1;
      return { by, tracks, fresh, target, landed: { ...span, trackIds: range.trackIds } };
    }
    const tracks = down === 0 || !from ? 0 : order.indexOf(boxes[laneOf(from.trackId) + down].trackId) - order.indexOf(from.trackId);
    const landed = { ...span, trackIds: range.trackIds.map((id) => order[order.indexOf(id) + tracks] ?? id) };
    return { by, tracks, fresh: 0, target, landed };
  };
  const gesture = editing(doc, (p): Plan => {
    const { by, tracks, fresh, target, landed } = goes(p);
    const edits = (distance: number): Edit[] =>
      empty || (distance === 0 && tracks === 0)
        ? []
        : [...newTracks(fresh), { type: "move-range", ...range, by: distance, tracks, copy: p.alt, ...modeRules() }];
    const reorders = neighbourRules().neighbours === "reorder";
    return {
      edits: edits(by),
      name: fresh > 0 ? `${p.alt ? "Copy" : "Move"} range to a new track` : undefined,
      lines: () =>
        flagLines(
          doc,
          origin + by,
          origin,
          target,
          p.alt && !empty ? "copies the range" : "moves the range",
          fresh > 0 ? "to a new track" : undefined,
        ),
      shown: { range: landed, lit: target, joint: reorders ? jointAt(doc, landed.trackIds[0], landed.start) : null },
      instead: askingFor(p, range, by, edits, undefined, () => setView({ range: { ...goes(p).landed } })),
    };
  });
  return {
    acrossTracks: true,
    move: gesture.move,
    commit(p) {
      const before = session().doc;
      gesture.commit(p);
      // With nothing in it only the range itself goes.
      if (session().doc !== before || empty) setView({ range: goes(p).landed });
    },
  };
}

/** A frame that selects every clip it touches; with `add`, besides those that are selected. */
export function frameClips(doc: Document, pressed: Point, add: boolean): Gesture {
  const before = add ? [...view().clipIds] : [];
  const touched = (p: Point): string[] => {
    const [from, to] = [Math.min(sampleAt(pressed.x), sampleAt(p.x)), Math.max(sampleAt(pressed.x), sampleAt(p.x))];
    const [top, bottom] = [Math.min(pressed.y, p.y) + view().scrollY, Math.max(pressed.y, p.y) + view().scrollY];
    return laneBoxes(doc)
      .filter((box) => box.top + CLOTH_TOP <= bottom && box.top + box.height - RAIL > top)
      .flatMap((box) => (doc.lanes.get(box.trackId)?.within(from, to) ?? []).filter((c) => c.start <= to && clipEnd(c) >= from).map((c) => c.id));
  };
  return {
    acrossTracks: true,
    move(p) {
      const ids = touched(p);
      setPreview({
        band: { x0: pressed.x, y0: pressed.y, x1: p.x, y1: p.y },
        flag: { x: p.x, y: p.y, lines: [counted(ids.length, "clip")] },
      });
    },
    commit(p) {
      clearPreview();
      if (Math.hypot(p.x - pressed.x, p.y - pressed.y) < CLICK_PIXELS) {
        if (!add) setView({ clipIds: new Set(), range: null, seamId: null });
        return;
      }
      selectClips(doc, [...before, ...touched(p)]);
    },
  };
}
