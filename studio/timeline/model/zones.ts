import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import type { Seam } from "@wet-thread/core/seam/seams";
import type { View } from "@/state/view/view";
import { drawnGain } from "./drawn-gain";
import { CLOTH_TOP, type LaneBox, laneAt, NAME_STRIP, RAIL } from "./geometry";
import { FOOT, hitAt } from "./hit-marks";
import { bandOf } from "./layers";
import { laneSeams } from "./seam-classes";

export type ZoneKind =
  | "name"
  | "body"
  | "start"
  | "end"
  | "fadeIn"
  | "fadeOut"
  | "seam"
  | "rail"
  | "gain"
  | "hit"
  | "lane"
  | "below"
  | "rangeStart"
  | "rangeEnd"
  | "range"
  | "splice"
  | "blendStart"
  | "blendEnd";

/** The part of the timeline under a point. */
export interface Zone {
  readonly kind: ZoneKind;
  readonly box?: LaneBox;
  readonly clip?: Clip;
  readonly seam?: Seam;
  /** The hit whose foot it is, on the timeline. */
  readonly hit?: number;
}

const EDGE = 6;
const CORNER = 9;

/** How much larger edges and corners are for a finger. */
const FINGER = 2.4;

/** What a zone is looked for with: the lane, the point, and how pixels and samples go into each other there. */
interface Look {
  readonly doc: Document;
  readonly view: View;
  readonly box: LaneBox;
  readonly x: number;
  /** The point, in samples, and how far it is below the top of its lane. */
  readonly sample: number;
  readonly into: number;
  /** How much larger edges and corners are. */
  readonly larger: number;
  px(sample: number): number;
}

/** The zone under a point of the lanes; for a finger, edges and corners reach further. */
export function zoneAt(doc: Document, view: View, x: number, y: number, finger = false): Zone {
  const content = y + view.scrollY;
  const box = laneAt(doc, content);
  if (!box) return { kind: "below" };
  const look: Look = {
    doc,
    view,
    box,
    x,
    sample: view.start + x * view.samplesPerPixel,
    into: content - box.top,
    larger: finger ? FINGER : 1,
    px: (s) => (s - view.start) / view.samplesPerPixel,
  };
  if (look.into >= box.height - RAIL - 1) return onRail(look);
  const edge = rangeEdge(look);
  if (edge) return { kind: edge, box };
  const reach = EDGE * look.larger * view.samplesPerPixel;
  const near = doc.lanes.get(box.trackId)?.within(Math.floor(look.sample - reach), Math.ceil(look.sample + reach) + 1) ?? [];
  const bands = bandsOf(look);
  const clip = topmost(look, near, bands);
  if (inRange(look) && look.into - CLOTH_TOP < NAME_STRIP) return { kind: "range", box, clip };
  if (!clip) return { kind: "lane", box };
  return { box, ...partOfClip(look, clip, near, bands(clip)) };
}

/** How far from a seam's mark, in pixels, a press on the rail means it. */
const NEAR_MARK = 8;

function onRail({ doc, box, x, px }: Look): Zone {
  let best: Seam | undefined;
  const off = (seam: Seam): number => Math.abs(px(seam.position) - x);
  for (const seam of laneSeams(doc, box.trackId)) if (off(seam) <= NEAR_MARK && (!best || off(seam) < off(best))) best = seam;
  return best ? { kind: "seam", box, seam: best } : { kind: "rail", box };
}

/** How near to an edge of the range, in pixels, a press means it. */
const NEAR_RANGE = 4;

function rangeEdge({ view: { range }, box, x, px, larger }: Look): "rangeStart" | "rangeEnd" | undefined {
  if (!range?.trackIds.includes(box.trackId)) return undefined;
  if (Math.abs(px(range.start) - x) <= NEAR_RANGE * larger) return "rangeStart";
  return Math.abs(px(range.end) - x) <= NEAR_RANGE * larger ? "rangeEnd" : undefined;
}

const inRange = ({ view: { range }, box, sample }: Look): boolean =>
  range?.trackIds.includes(box.trackId) === true && sample >= range.start && sample < range.end;

type Band = readonly [top: number, bottom: number];

/** How far up and down a lane its clips reach: all of it, but where layers are spread out. */
function bandsOf({ doc, view, box }: Look): (clip: Clip) => Band {
  const lane = doc.lanes.get(box.trackId);
  return (c) => (lane ? bandOf(lane, c, view.fanned, CLOTH_TOP, box.height - RAIL - 1) : [CLOTH_TOP, box.height]);
}

/** Of the clips that are near a point the one that it means: the topmost; of those that only touch there, the selected one. */
function topmost({ view, x, sample, into, larger, px }: Look, near: readonly Clip[], bands: (clip: Clip) => Band): Clip | undefined {
  const inside = (c: Clip): boolean => sample >= c.start && sample < clipEnd(c);
  const inBand = (c: Clip): boolean => !view.fanned || (into >= bands(c)[0] && into < bands(c)[1]);
  return [...near]
    .sort(
      (a, b) =>
        Number(inside(b)) - Number(inside(a)) ||
        b.layer - a.layer ||
        Number(view.clipIds.has(b.id)) - Number(view.clipIds.has(a.id)) ||
        b.start - a.start,
    )
    .find((c) => px(c.start) - 3 * larger <= x && px(clipEnd(c)) + 3 * larger >= x && inBand(c));
}

/** A clip this wide, in pixels, shows handles for its fades in its upper corners, so far down. */
const CORNERS_FROM = 26;
const CORNER_TOP = 11;

/** The part of a clip that a point means. The smaller the part, the sooner it is asked for. */
function partOfClip(look: Look, clip: Clip, near: readonly Clip[], band: Band): Omit<Zone, "box"> {
  const { doc, view, box, x, sample, into, larger, px } = look;
  const [x0, x1] = [px(clip.start), px(clipEnd(clip))];
  const y = into - band[0];
  const corner = cornerAt(look, clip, x0, x1, y);
  if (corner) return { kind: corner, clip };
  const byGain = Math.abs(x - gainHandleX(x0, x1, view.width)) <= CORNER * larger && Math.abs(y - GAIN_Y) <= CORNER * larger;
  if (byGain && view.clipIds.has(clip.id) && x1 - x0 >= GAIN_FROM * larger) return { kind: "gain", clip };
  const hit = into >= band[1] - FOOT * larger ? hitAt(doc, clip, view, x, larger) : undefined;
  if (hit !== undefined) return { kind: "hit", clip, hit };
  const curve = onCurve(doc, clip, sample, px, y, band[1] - band[0], larger);
  if (curve) return { kind: curve, clip };
  const blended = blendZone(near, sample, x, px, EDGE * larger);
  if (blended && into > CLOTH_TOP + (box.height - CLOTH_TOP - RAIL) / 2) return blended;
  // Edges shrink with the clip, and a clip is always moved by its name strip.
  const edge = y < NAME_STRIP && x >= x0 && x < x1 ? 0 : Math.min(EDGE * larger, Math.max(2, (x1 - x0) / 6));
  if (edge > 0 && Math.abs(x - x0) <= edge) return { kind: "start", clip };
  if (edge > 0 && Math.abs(x - x1) <= edge) return { kind: "end", clip };
  return { kind: y < NAME_STRIP ? "name" : "body", clip };
}

function cornerAt({ x, px, larger }: Look, clip: Clip, x0: number, x1: number, y: number): "fadeIn" | "fadeOut" | undefined {
  if (x1 - x0 < CORNERS_FROM * larger || y > CORNER_TOP * larger) return undefined;
  const inAt = px(clip.start + clip.fadeIn.length);
  const outAt = px(clipEnd(clip) - clip.fadeOut.length);
  if (!clip.blend && Math.abs(x - inAt) <= CORNER * larger && x >= x0 - 3) return "fadeIn";
  return Math.abs(x - outAt) <= CORNER * larger && x <= x1 + 3 ? "fadeOut" : undefined;
}

/** A selected clip this wide has a handle for its gain, in the middle of what is seen of it, so far below its top. */
export const GAIN_FROM = 90;
export const GAIN_Y = NAME_STRIP + 7;
export const gainHandleX = (x0: number, x1: number, width: number): number => (Math.max(0, x0) + Math.min(width, x1)) / 2;

/** How near to the curve of a fade a press has to be to mean it, and how wide a fade has to be for that, in pixels. */
const NEAR_CURVE = 5;
const LEAST_CURVE = 14;

/** The fade on whose curve a point lies; of blends the seam is what is taken hold of. */
function onCurve(
  doc: Document,
  clip: Clip,
  sample: number,
  px: (s: number) => number,
  y: number,
  height: number,
  larger: number,
): "fadeIn" | "fadeOut" | undefined {
  const width = (samples: number): number => px(samples) - px(0);
  const rising = !clip.blend && sample < clip.start + clip.fadeIn.length && width(clip.fadeIn.length) >= LEAST_CURVE;
  const falling = sample >= clipEnd(clip) - clip.fadeOut.length && width(clip.fadeOut.length) >= LEAST_CURVE && !blendAfter(doc, clip);
  if (!rising && !falling) return undefined;
  const gain = drawnGain(clip, undefined, Math.min(clipEnd(clip) - 1, Math.max(clip.start, sample)));
  // A steep curve is near sideways too.
  const beside = drawnGain(clip, undefined, Math.min(clipEnd(clip) - 1, sample + 2 / width(1)));
  const slope = Math.abs(beside - gain);
  return Math.abs((1 - gain) * height - y) <= NEAR_CURVE * larger + (slope * height) / 2 ? (rising ? "fadeIn" : "fadeOut") : undefined;
}

/** Pixels that a blend must be wide for its parts to be told apart. */
const LEAST_BLEND = 18;

/** The part of a blend under a point: one of its sides, or its middle. The zone's clip is the one that comes in. */
function blendZone(
  near: readonly Clip[],
  sample: number,
  x: number,
  px: (s: number) => number,
  edge: number,
): { kind: ZoneKind; clip: Clip } | undefined {
  for (const clip of near) {
    if (!clip.blend) continue;
    const [x0, x1] = [px(clip.start), px(clip.start + clip.fadeIn.length)];
    if (x1 - x0 < LEAST_BLEND || x < x0 - edge || x > x1 + edge) continue;
    if (Math.abs(x - x0) <= edge) return { kind: "blendStart", clip };
    if (Math.abs(x - x1) <= edge) return { kind: "blendEnd", clip };
    if (sample > clip.start) return { kind: "splice", clip };
  }
  return undefined;
}

export const CURSORS: Readonly<Record<ZoneKind, string>> = {
  name: "grab",
  body: "text",
  start: "ew-resize",
  end: "ew-resize",
  fadeIn: "nwse-resize",
  fadeOut: "nesw-resize",
  seam: "pointer",
  lane: "text",
  rail: "crosshair",
  gain: "ns-resize",
  hit: "ew-resize",
  below: "default",
  rangeStart: "ew-resize",
  rangeEnd: "ew-resize",
  range: "grab",
  splice: "col-resize",
  blendStart: "ew-resize",
  blendEnd: "ew-resize",
};

/** What a press in a zone would do, for the line at the bottom. */
export const HINTS: Readonly<Record<ZoneKind, string>> = {
  name: "Drag to move, with Alt a copy · click to select · double-click to name it",
  body: "Drag to make a range · click to place the playhead",
  start: "Drag to trim the start",
  end: "Drag to trim the end · with Alt fill with copies",
  hit: "Drag the hit to another place; the sound stays · double-click takes it away",
  gain: "Drag up or down for the clip's gain",
  rail: "Drag along past an edge to fade it, past a joint to blend it: exactly as long as the stroke",
  fadeIn: "Drag sideways for the length of the fade-in, up and down for its bend",
  fadeOut: "Drag sideways for the length of the fade-out, up and down for its bend",
  seam: "Click to see the seam · drag to change its fades, with Alt to blend · double-click to smooth it",
  lane: "Drag to make a range · click to place the playhead",
  below: "Drag to select clips with a frame · drop a clip or a recording here to start a track",
  rangeStart: "Drag the start of the range",
  rangeEnd: "Drag the end of the range",
  splice: "Drag to move the splice; the blend goes with it",
  blendStart: "Drag for the length of the blend",
  blendEnd: "Drag for the length of the blend",
  range: "Drag to pull the range out and take it elsewhere · with Alt a copy of it",
};
