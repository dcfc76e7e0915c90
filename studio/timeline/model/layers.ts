import type { Lane } from "@wet-thread/core/model/index/lane";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";

interface Row {
  readonly row: number;
  readonly of: number;
}
const kept = new WeakMap<Lane, ReadonlyMap<string, Row>>();

/** For each clip that lies with others in a pile (clips that overlap on several layers): its row from the top, and how many there are. */
function rowsOf(lane: Lane): ReadonlyMap<string, Row> {
  let rows = kept.get(lane);
  if (rows) return rows;
  const made = new Map<string, Row>();
  let pile: Clip[] = [];
  let end = 0;
  const close = (): void => {
    const layers = [...new Set(pile.map((c) => c.layer))].sort((a, b) => b - a);
    if (layers.length > 1) for (const c of pile) made.set(c.id, { row: layers.indexOf(c.layer), of: layers.length });
    pile = [];
  };
  for (const clip of lane.clips) {
    if (clip.start >= end) close();
    pile.push(clip);
    end = Math.max(end, clipEnd(clip));
  }
  close();
  rows = made;
  kept.set(lane, rows);
  return rows;
}

/** The height that a clip takes of its lane's cloth: all of it, or when layers are fanned out its layer's share of its pile, the top one first. */
export function bandOf(lane: Lane, clip: Clip, fanned: boolean, y0: number, y1: number): readonly [number, number] {
  const place = fanned ? rowsOf(lane).get(clip.id) : undefined;
  if (!place) return [y0, y1];
  const share = (y1 - y0) / place.of;
  return [Math.round(y0 + place.row * share), Math.round(y0 + (place.row + 1) * share)];
}
