import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { edgePoints, sortedPoints } from "@wet-thread/core/snap/points";
import { type PointSource, type SnapResult, snap } from "@wet-thread/core/snap/snap";
import { session } from "@/state/session";
import { settings } from "@/state/settings";
import { view } from "@/state/view";
import { laneBoxes } from "./geometry";
import { viewGrid } from "./grid-columns";

/** Pull distance on the screen, at any zoom. */
export const PULL_PIXELS = 8;

/** Whether snapping is in force now: what the mode line says, the other way round while the grid key is held. */
export const snapInForce = (): boolean => settings().snapOn !== view().gridHeld;

/** The hits that are heard on some tracks, at their places on the timeline, between two positions. */
export function hitsIn(doc: Document, trackIds: Iterable<string>, from: number, to: number): number[] {
  const { sources } = session().store.getState();
  const out: number[] = [];
  for (const id of trackIds) {
    for (const clip of doc.lanes.get(id)?.within(from, to) ?? []) {
      for (const hit of sources.get(clip.sourceId)?.transients ?? []) {
        const at = clip.start + hit - clip.offset;
        if (at >= Math.max(from, clip.start) && at < Math.min(to, clipEnd(clip))) out.push(at);
      }
    }
  }
  return [...new Set(out)].sort((a, b) => a - b);
}

export interface SnapAsk {
  readonly wanted: number;
  /** Where the anchor was before the gesture. */
  readonly origin: number;
  /** Edges that move along and so attract nothing. */
  readonly except?: ReadonlySet<number>;
  readonly also?: readonly number[];
  readonly least?: number;
  readonly most?: number;
}

/** Where a gesture's anchor goes, by the mode line's settings at this view. */
export function snapped(doc: Document, ask: SnapAsk): SnapResult {
  const set = settings();
  const { start, samplesPerPixel, playhead } = view();
  const timebase = timebaseOf(doc);
  const reach = PULL_PIXELS * samplesPerPixel;
  const whole = { ...ask, wanted: Math.round(ask.wanted) };
  if (!snapInForce()) return snap({ ...whole, placing: "line", pull: "near", reach: 0, timebase });
  const points: PointSource[] = [];
  const shown = laneBoxes(doc).map((b) => b.trackId);
  if (set.targets.includes("edge")) points.push(edgePoints(doc, shown, ask.except ?? new Set()));
  if (set.targets.includes("playhead")) points.push(sortedPoints("playhead", [Math.round(playhead)]));
  if (set.targets.includes("transient"))
    points.push(sortedPoints("transient", hitsIn(doc, shown, whole.wanted - 2 * reach, whole.wanted + 2 * reach)));
  const grid = set.targets.includes("grid") ? viewGrid(doc, set, start, samplesPerPixel).lines : undefined;
  return snap({ ...whole, grid, points, placing: set.placing, pull: set.pull, reach, timebase });
}
