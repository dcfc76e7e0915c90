import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import type { Seam } from "@wet-thread/core/seam/seams";
import type { Tool, View } from "@/state/view/view";
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

/** The zone under a point of the lanes; for a finger, edges and corners reach further. */
export function zoneAt(doc: Document, view: View, x: number, y: number, finger = false): Zone {
  const larger = finger ? FINGER : 1;
  const content = y + view.scrollY;
  const box = laneAt(doc, content);
  if (!box) return { kind: "below" };
  const px = (s: number): number => (s - view.start) / view.samplesPerPixel;
  const sample = view.start + x * view.samplesPerPixel;
  const into = content - box.top;
  if (into >= box.height - RAIL - 1) {
    const seams = laneSeams(doc, box.trackId);
    let best: Seam | undefined;
    for (const seam of seams)
      if (Math.abs(px(seam.position) - x) <= 8 && (!best || Math.abs(px(seam.position) - x) < Math.abs(px(best.position) - x))) best = seam;
    return best ? { kind: "seam", box, seam: best } : { kind: "rail", box };
  }
  if (view.range?.trackIds.includes(box.trackId)) {
    if (Math.abs(px(view.range.start) - x) <= 4 * larger) return { kind: "rangeStart", box };
    if (Math.abs(px(view.range.end) - x) <= 4 * larger) return { kind: "rangeEnd", box };
  }
  const reach = EDGE * larger * view.samplesPerPixel;
  const near = doc.lanes.get(box.trackId)?.within(Math.floor(sample - reach), Math.ceil(sample + reach) + 1) ?? [];
  // The topmost first; among clips that only touch here, the selected one, then the one that the point lies in.
  const inside = (c: Clip): boolean => sample >= c.start && sample < clipEnd(c);
  const ordered = [...near].sort(
    (a, b) =>
      Number(inside(b)) - Number(inside(a)) ||
      b.layer - a.layer ||
      Number(view.clipIds.has(b.id)) - Number(view.clipIds.has(a.id)) ||
      b.start - a.start,
  );
  const lane = doc.lanes.get(box.trackId);
  const bands = (c: Clip): readonly [number, number] =>
    lane ? bandOf(lane, c, view.fanned, CLOTH_TOP, box.height - RAIL - 1) : [CLOTH_TOP, box.height];
  const inBand = (c: Clip): boolean => !view.fanned || (into >= bands(c)[0] && into < bands(c)[1]);
  const inRange = view.range?.trackIds.includes(box.trackId) && sample >= view.range.start && sample < view.range.end;
  const clip = ordered.find((c) => px(c.start) - 3 * larger <= x && px(clipEnd(c)) + 3 * larger >= x && inBand(c));
  if (inRange && into - CLOTH_TOP < NAME_STRIP) return { kind: "range", box, clip };
  if (!clip) return { kind: "lane", box };
  const [x0, x1] = [px(clip.start), px(clipEnd(clip))];
  const wide = x1 - x0;
  const yIn = into - bands(clip)[0];
  if (wide >= 26 * larger && yIn <= 11 * larger) {
    const inAt = px(clip.start + clip.fadeIn.length);
    const outAt = px(clipEnd(clip) - clip.fadeOut.length);
    if (!clip.blend && Math.abs(x - inAt) <= CORNER * larger && x >= x0 - 3) return { kind: "fadeIn", box, clip };
    if (Math.abs(x - outAt) <= CORNER * larger && x <= x1 + 3) return { kind: "fadeOut", box, clip };
  }
  if (
    view.clipIds.has(clip.id) &&
    wide >= GAIN_FROM * larger &&
    Math.abs(x - gainHandleX(x0, x1, view.width)) <= CORNER * larger &&
    Math.abs(yIn - GAIN_Y) <= CORNER * larger
  )
    return { kind: "gain", box, clip };
  const hit = into >= bands(clip)[1] - FOOT * larger ? hitAt(doc, clip, view, x, larger) : undefined;
  if (hit !== undefined) return { kind: "hit", box, clip, hit };
  const curve = onCurve(doc, clip, sample, px, yIn, bands(clip)[1] - bands(clip)[0], larger);
  if (curve) return { kind: curve, box, clip };
  const blended = blendZone(near, sample, x, px, EDGE * larger);
  if (blended && into > CLOTH_TOP + (box.height - CLOTH_TOP - RAIL) / 2) return { ...blended, box };
  // Edges shrink with the clip, and a clip is always moved by its name strip.
  const edge = yIn < NAME_STRIP && x >= x0 && x < x1 ? 0 : Math.min(EDGE * larger, Math.max(2, wide / 6));
  if (edge > 0 && Math.abs(x - x0) <= edge) return { kind: "start", box, clip };
  if (edge > 0 && Math.abs(x - x1) <= edge) return { kind: "end", box, clip };
  return { kind: yIn < NAME_STRIP ? "name" : "body", box, clip };
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

export const STRETCHED_SEAM = "Drag to stretch what meets here: of two clips both, so that nothing else moves";

/** What the single-purpose tools would do. */
export const TOOL_HINTS: Readonly<Partial<Record<Tool, string>>> = {
  range: "Drag to make a range, or click where it starts and where it ends",
  split: "Click to split where the line is · draw over several tracks · Alt: equal parts of that length",
  shift: "Drag the audio inside the clip's edges",
  stretch: "Drag to stretch the nearer end, a joint on the seam rail, or a warp point · Alt: a new warp point · double-click takes one away",
  draw: "Click for a point, drag it or the line, draw by hand; with snap on in steps on the grid · double-click takes a point away",
  stamp: "Drag along to lay copies one after the other · click in an empty lane to stamp what was copied",
  mute: "Click or drag over clips to mute them, or unmute",
  erase: "Click or drag over clips to delete them · with Alt only the part under the stroke",
  listen: "Drag to hear what is under the pointer, at the pointer's speed · click to place the playhead",
  zoom: "Drag over what is to fill the view, time and tracks · click a clip to come closer, with Alt farther · click beside to see the whole",
  hand: "Drag to scroll; the playhead stays where it is",
};
export const TOOL_CURSORS: Readonly<Partial<Record<Tool, string>>> = {
  range: "text",
  split: "crosshair",
  shift: "ew-resize",
  stretch: "ew-resize",
  draw: "crosshair",
  stamp: "copy",
  mute: "pointer",
  erase: "pointer",
  listen: "ew-resize",
  zoom: "zoom-in",
  hand: "grab",
};
