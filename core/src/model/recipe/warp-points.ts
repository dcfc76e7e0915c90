import type { Tie } from "../../time/time-map";
import type { Clip, SourceInfo } from "../schema";
import { ownEdge, ownWindow, playedEdge, runsBackwards } from "./played-recording";

/** The warp points of a clip, as edits take them: moments of its recording, and where they lie in samples from the clip's start; in order there. */
export function warpPointsOf(source: SourceInfo, clip: Clip): Tie[] {
  const points = (clip.recipe?.warp?.points ?? []).map(({ from }) => ({ from, to: playedEdge(source, clip, from) - clip.offset }));
  return runsBackwards(clip.recipe) ? points.reverse() : points;
}

/** The points that a clip needs so that nothing beyond its edges moves: its own, and its edges as they lie. */
export function anchoredPoints(source: SourceInfo, clip: Clip): Tie[] {
  const own = warpPointsOf(source, clip);
  const { from, to } = ownWindow(source, clip);
  const edges = [from, to].map((edge) => ({ from: edge, to: playedEdge(source, clip, edge) - clip.offset }));
  return withPoints(own, edges);
}

/** Points with more of them where there are none: those that fall on another, or out of order, are left away. */
export function withPoints(points: readonly Tie[], more: readonly Tie[]): Tie[] {
  const all = [...points];
  for (const point of more) {
    const free = all.every((p) => p.from !== point.from && p.to !== point.to);
    if (free) all.push(point);
  }
  return all.sort((a, b) => a.to - b.to);
}

/** The point at a place of a clip, as it lies now: adding it changes nothing until it is moved. */
export const pointAt = (source: SourceInfo, clip: Clip, into: number): Tie => ({ from: ownEdge(source, clip, clip.offset + into), to: into });
