import { firstAtOrAfter } from "../base/sorted";
import type { Document } from "../model/document";
import type { Lane } from "../model/index/lane";
import { type Clip, clipEnd } from "../model/schema";
import type { PointKind, PointSource } from "./snap";

/** Points at sorted positions. */
export function sortedPoints(kind: PointKind, sorted: ArrayLike<number>): PointSource {
  return {
    kind,
    nearest(position, reach) {
      const i = firstAtOrAfter(sorted, position);
      const after = i < sorted.length ? sorted[i] - position : Number.POSITIVE_INFINITY;
      const before = i > 0 ? position - sorted[i - 1] : Number.POSITIVE_INFINITY;
      if (Math.min(after, before) > reach) return undefined;
      return after < before ? sorted[i] : sorted[i - 1];
    },
  };
}

const edgeLists = new WeakMap<Lane, Float64Array>();
const startLists = new WeakMap<Lane, Float64Array>();

/** Where a clip begins; a pick of a take stack that is blended at its splice: a border between picks is one place, however long its blend. */
const startOf = (c: Clip): number => (c.take !== undefined && c.blend ? c.blend.splice : c.start);

/** Starts of a lane's clips, sorted. */
function startsOf(lane: Lane): Float64Array {
  let starts = startLists.get(lane);
  if (!starts) {
    starts = Float64Array.from(lane.clips, startOf).sort();
    startLists.set(lane, starts);
  }
  return starts;
}

/** Starts and ends of a lane's clips, sorted; kept as long as the lane is. */
function edgesOf(lane: Lane): Float64Array {
  let edges = edgeLists.get(lane);
  if (!edges) {
    /** Where picks end that the next one is blended with. */
    const ends = new Map(lane.clips.flatMap((c) => (c.take !== undefined && c.blend ? [[c.blend.with, c.blend.splice] as const] : [])));
    edges = Float64Array.from(lane.clips.flatMap((c) => [startOf(c), ends.get(c.id) ?? clipEnd(c)])).sort();
    edgeLists.set(lane, edges);
  }
  return edges;
}

/** The edges of all clips of some tracks, but for those at `except` positions (the moving clips' own). Those of the gesture's own tracks come before others. `startsOnly` leaves ends out. */
export function edgePoints(doc: Document, trackIds: Iterable<string>, except: ReadonlySet<number>, own = false, startsOnly = false): PointSource {
  const lists = [...trackIds]
    .map((id) => doc.lanes.get(id))
    .filter((l) => l !== undefined)
    .map(startsOnly ? startsOf : edgesOf);
  return {
    kind: "edge",
    own,
    nearest(position, reach) {
      let best: number | undefined;
      let least = reach;
      for (const edges of lists) {
        const from = firstAtOrAfter(edges, position);
        for (let i = from; i < edges.length && edges[i] - position <= least; i++) {
          if (except.has(edges[i])) continue;
          best = edges[i];
          least = edges[i] - position;
          break;
        }
        for (let i = from - 1; i >= 0 && position - edges[i] <= least; i--) {
          if (except.has(edges[i])) continue;
          best = edges[i];
          least = position - edges[i];
          break;
        }
      }
      return best;
    },
  };
}
