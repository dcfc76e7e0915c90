import type { GridLine, GridLines, Timebase } from "../time/grid";
import { isMusical } from "../time/grid-step";

/** Kinds of target besides the grid. */
export type PointKind = "edge" | "playhead" | "marker" | "range" | "transient";

/** Where points of one kind lie; asked only near the pointer. */
export interface PointSource {
  readonly kind: PointKind;
  /** Edges on the tracks of the gesture: where they have one within reach, those of other sources of edges after it don't count. */
  readonly own?: boolean;
  /** The point nearest to a position and no farther than `reach` samples, or undefined. */
  nearest(position: number, reach: number): number | undefined;
}

export interface SnapQuery {
  /** Where the anchor would be without snapping, in samples. */
  readonly wanted: number;
  /** Where the anchor was when the gesture began: the offset to keep is measured there. */
  readonly origin: number;
  readonly grid?: GridLines;
  readonly points?: readonly PointSource[];
  readonly placing: "line" | "offset";
  readonly pull: "always" | "near";
  /** The pull distance (8 px at the zoom), in samples. */
  readonly reach: number;
  /** Earliest place of the anchor (so that the first of a group stays at or after zero) and latest. */
  readonly least?: number;
  readonly most?: number;
  /** Distances from the anchor at which a point may attract too: a clip's length, for its end. */
  readonly also?: readonly number[];
  readonly timebase: Timebase;
}

export interface SnapResult {
  readonly position: number;
  /** What attracted, and where it is; null when nothing did. */
  readonly target: { readonly kind: PointKind | "grid"; readonly position: number } | null;
}

/** The anchor's distance to the line at or before it: in ticks with their fraction on a musical grid, in samples otherwise. */
export function gridOffset(position: number, grid: GridLines, timebase: Timebase): number {
  const line = grid.before(position);
  return isMusical(grid.step) ? timebase.tempo.ticksAt(position) - timebase.tempo.ticksAt(line.sample) : position - line.sample;
}

function keeping(line: GridLine, offset: number, grid: GridLines, { tempo }: Timebase): number {
  return isMusical(grid.step) ? Math.round(tempo.samplesAt(tempo.ticksAt(line.sample) + offset)) : line.sample + offset;
}

interface Candidate {
  readonly position: number;
  readonly line: GridLine;
}

/** The places near `wanted` where the anchor sits on the grid, or at its kept offset from it; at most three, in order. */
function gridCandidates(q: SnapQuery, grid: GridLines): Candidate[] {
  const offset = q.placing === "offset" ? gridOffset(q.origin, grid, q.timebase) : 0;
  const place = (line: GridLine): Candidate => ({ position: offset ? keeping(line, offset, grid, q.timebase) : line.sample, line });
  const least = q.least ?? 0;
  const nearest = grid.before(Math.max(0, q.wanted));
  let middle = grid.before(Math.max(0, q.wanted - (place(nearest).position - nearest.sample)));
  // An offset in ticks is longer or shorter elsewhere: where the tempo jumps, the first guess may be some lines off.
  for (let next = grid.after(middle.sample); place(next).position <= q.wanted; next = grid.after(next.sample)) middle = next;
  while (middle.sample > 0 && place(middle).position > q.wanted) middle = grid.before(middle.sample - 1);
  const found: Candidate[] = [];
  if (middle.sample > 0) found.push(place(grid.before(middle.sample - 1)));
  found.push(place(middle), place(grid.after(middle.sample)));
  const allowed = found.filter((c) => c.position >= least && c.position <= (q.most ?? Number.POSITIVE_INFINITY));
  if (allowed.length > 0 || q.most !== undefined) return allowed;
  // Pushed below the least place: the earliest line that keeps the offset.
  let line = grid.before(Math.max(0, least - Math.max(0, place(middle).position - middle.sample) - 1));
  while (place(line).position < least) line = grid.after(line.sample);
  return [place(line)];
}

/** A target closer than this part of the pull distance to a grid line gives way to the line: 2 px of 8. */
const GIVES_WAY = 1 / 4;

/** Whether a place lies so close to one where the grid would take the anchor that nobody could mean the one without the other. */
const nearLine = (q: SnapQuery, grid: GridLines, position: number): boolean =>
  gridCandidates({ ...q, wanted: position }, grid).some((c) => Math.abs(c.position - position) < q.reach * GIVES_WAY);

const clamp = (q: SnapQuery, position: number): number => Math.min(Math.max(position, q.least ?? 0), q.most ?? Number.POSITIVE_INFINITY);

/**
 * The one function that every gesture asks where its anchor goes (semantics, Grid and snapping). Always: onto the grid, unless a
 * point lies within reach, which then wins; one that all but lies on a line gives way to it. When near: onto the nearest target within reach; at a tie the coarser line wins. Without
 * a grid the anchor is free but for points within reach.
 */
export function snap(q: SnapQuery): SnapResult {
  const wanted = clamp(q, q.wanted);
  let best: { position: number; distance: number; target: SnapResult["target"] } | null = null;
  const lines = q.pull === "always" ? q.grid : undefined;
  let ownEdge = false;
  for (const source of q.points ?? []) {
    if (source.kind === "edge" && !source.own && ownEdge) continue;
    for (const shift of [0, ...(source.kind === "edge" || source.kind === "playhead" ? (q.also ?? []) : [])]) {
      const at = source.nearest(wanted + shift, q.reach);
      if (at === undefined) continue;
      const position = at - shift;
      const distance = Math.abs(position - wanted);
      if (position !== clamp(q, position)) continue;
      if (source.own) ownEdge = true;
      if ((best && best.distance <= distance) || (lines && position !== wanted && nearLine(q, lines, position))) continue;
      best = { position, distance, target: { kind: source.kind, position: at } };
    }
  }
  const candidates = q.grid ? gridCandidates(q, q.grid) : [];
  if (q.pull === "always" && best) return { position: best.position, target: best.target };
  let line: Candidate | null = null;
  for (const c of candidates) {
    const nearer = line ? Math.abs(c.position - wanted) - Math.abs(line.position - wanted) : -1;
    if (nearer < 0 || (nearer === 0 && line && c.line.rank > line.line.rank)) line = c;
  }
  if (
    line &&
    (q.pull === "always" ||
      (Math.abs(line.position - wanted) <= q.reach &&
        (!best || Math.abs(line.position - wanted) < best.distance || (Math.abs(line.position - wanted) === best.distance && line.line.rank === 2))))
  ) {
    return { position: line.position, target: { kind: "grid", position: line.line.sample } };
  }
  return best ? { position: best.position, target: best.target } : { position: wanted, target: null };
}
