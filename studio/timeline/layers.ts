import type { Lane } from "@wet-thread/core/model/lane";
import type { Clip } from "@wet-thread/core/model/schema";

const kept = new WeakMap<Lane, readonly number[]>();

/** The layers of a lane from the top down. */
function layersOf(lane: Lane): readonly number[] {
  let layers = kept.get(lane);
  if (!layers) {
    layers = [...new Set(lane.clips.map((c) => c.layer))].sort((a, b) => b - a);
    kept.set(lane, layers);
  }
  return layers;
}

/** The height that a clip takes of its lane's cloth: all of it, or when layers are fanned out its layer's share, the top one first. */
export function bandOf(lane: Lane, clip: Clip, fanned: boolean, y0: number, y1: number): readonly [number, number] {
  if (!fanned) return [y0, y1];
  const layers = layersOf(lane);
  const row = layers.indexOf(clip.layer);
  const share = (y1 - y0) / Math.max(1, layers.length);
  return [Math.round(y0 + row * share), Math.round(y0 + (row + 1) * share)];
}
