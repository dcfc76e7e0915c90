import { nearestZeroCrossing, ZERO_REACH_SECONDS } from "@wet-thread/core/analysis/zero-crossings";
import { type HasHits, hitsBetween } from "@wet-thread/core/model/clip/hits";
import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { playedId, playedSource } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { edgePoints, sortedPoints } from "@wet-thread/core/snap/points";
import { type PointSource, snap } from "@wet-thread/core/snap/snap";
import { settings } from "@/state/kept/settings";
import { pageReader } from "@/state/media/media";
import { view } from "@/state/view/view";
import { laneBoxes } from "./geometry";
import { viewGrid } from "./grid-columns";

/** Pull distance on the screen, at any zoom. */
export const PULL_PIXELS = 8;

/** Whether snapping is in force now: what the mode line says, the other way round while the grid key is held. */
export const snapInForce = (): boolean => settings().snapOn !== view().gridHeld;

/** The hits that are heard on some tracks, and those of some clips that lie on none, at their places on the timeline, between two positions. */
export function hitsIn(doc: Document, trackIds: Iterable<string>, from: number, to: number, beside: readonly HasHits[] = []): number[] {
  const out: number[] = [];
  const take = (clip: HasHits): void => void out.push(...hitsBetween(doc.sources, clip, from, to));
  for (const id of trackIds) for (const clip of doc.lanes.get(id)?.within(from, to) ?? []) take(clip);
  beside.forEach(take);
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
  /** The clip whose own samples count where zero crossings refine. */
  readonly material?: Clip;
  /** The tracks of the gesture: their edges come before those of others. */
  readonly tracks?: ReadonlySet<string>;
  /** Marks that move along and attract nothing. */
  readonly exceptMark?: string;
  readonly exceptRange?: boolean;
  /** Clips that lie on no track, whose hits attract too: the sound of a take's lane. */
  readonly beside?: readonly HasHits[];
}

/** Moves a position to the nearest upward zero crossing of a clip's material, if one lies within 5 ms and its samples are here. */
function onZeroCrossing(doc: Document, clip: Clip, position: number, least: number, most: number): number {
  const source = playedSource(doc.sources, clip);
  if (!source) return position;
  const reach = Math.round(ZERO_REACH_SECONDS * doc.sampleRate);
  const at = clip.offset + position - clip.start;
  const from = Math.max(0, at - reach - 1);
  const count = Math.min(source.length, at + reach + 2) - from;
  if (count <= 1) return position;
  const channels = Array.from({ length: source.channels }, () => new Float32Array(count));
  for (let c = 0; c < channels.length; c++) if (!pageReader.read(playedId(clip), c, from, channels[c], 0, count)) return position;
  const found = nearestZeroCrossing(channels, at - from, reach);
  const moved = found === undefined ? position : position + found + from - at;
  return moved >= least && moved <= most ? moved : position;
}

/** Where a gesture's anchor goes, by the mode line's settings at this view. */
export function snapped(doc: Document, ask: SnapAsk): { position: number; target: { kind: string; position: number } | null } {
  const set = settings();
  const { start, samplesPerPixel, playhead, range } = view();
  const timebase = timebaseOf(doc);
  const reach = PULL_PIXELS * samplesPerPixel;
  const whole = { ...ask, wanted: Math.round(ask.wanted) };
  if (!snapInForce()) return snap({ ...whole, placing: "line", pull: "near", reach: 0, timebase });
  const points: PointSource[] = [];
  const shown = laneBoxes(doc).map((b) => b.trackId);
  if (set.targets.includes("edge")) {
    const except = ask.except ?? new Set();
    const own = ask.tracks;
    if (own)
      points.push(
        edgePoints(
          doc,
          shown.filter((id) => own.has(id)),
          except,
          true,
          set.edgeTargets === "starts",
        ),
      );
    points.push(edgePoints(doc, own ? shown.filter((id) => !own.has(id)) : shown, except, false, set.edgeTargets === "starts"));
  }
  if (set.targets.includes("playhead")) points.push(sortedPoints("playhead", [Math.round(playhead)]));
  if (set.targets.includes("transient"))
    points.push(sortedPoints("transient", hitsIn(doc, shown, whole.wanted - 2 * reach, whole.wanted + 2 * reach, ask.beside)));
  if (set.targets.includes("marker")) {
    const marks = [...doc.markers.values()].filter((m) => m.id !== ask.exceptMark).map((m) => m.position);
    for (const s of doc.sections.values()) if (s.id !== ask.exceptMark) marks.push(s.start, s.end);
    points.push(
      sortedPoints(
        "marker",
        marks.sort((a, b) => a - b),
      ),
    );
  }
  if (set.targets.includes("range") && range && !ask.exceptRange) points.push(sortedPoints("range", [range.start, range.end]));
  const grid = set.targets.includes("grid") ? viewGrid(doc, set, start, samplesPerPixel).lines : undefined;
  const result = snap({ ...whole, grid, points, placing: set.placing, pull: set.pull, reach, timebase });
  if (!set.targets.includes("zero") || !ask.material) return result;
  const position = onZeroCrossing(doc, ask.material, result.position, ask.least ?? 0, ask.most ?? Number.POSITIVE_INFINITY);
  return position === result.position ? result : { position, target: { kind: "zero", position } };
}
