import { clipEnvelopeFactor } from "@wet-thread/core/dsp/envelope";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import type { Lane } from "@wet-thread/core/model/index/lane";
import { type Clip, clipEnd, gainFactor, type SourceInfo } from "@wet-thread/core/model/schema";
import { magnifyOf } from "@/state/view/view";
import type { ClothScene } from "../model/cloth-scene";
import { drawnGain, SMOOTH_CURVE } from "../model/drawn-gain";
import { CLOTH_TOP, type LaneBox, NAME_STRIP, RAIL } from "../model/geometry";
import { bandOf } from "../model/layers";
import { mix, type Palette, pixel } from "../model/theme";
import { fillPlayed } from "./played-wave";
import { paintMarks } from "./rail-marks";
import { type Dyed, Strip, type StripPlace, WAVES } from "./strip";
import { type Columns, newColumns } from "./wave";

/** The colours of each dye, plain and washed out. */
const dyedCache = new WeakMap<Palette, readonly [Map<string, Dyed>, Map<string, Dyed>]>();

function dyed(palette: Palette, dye: string, washed: boolean): Dyed {
  let both = dyedCache.get(palette);
  if (!both) {
    both = [new Map(), new Map()];
    dyedCache.set(palette, both);
  }
  const known = both[washed ? 1 : 0];
  let found = known.get(dye);
  if (!found) {
    const strong = washed ? mix(palette.ground, dye, 0.35) : dye;
    const cloth = mix(palette.raised, strong, washed ? palette.cloth * 0.7 : palette.cloth);
    found = {
      cloth: pixel(cloth),
      clothGrid: pixel(mix(cloth, palette.ink, 0.07)),
      peak: pixel(mix(cloth, strong, 0.72)),
      rms: pixel(strong),
      warp: pixel(mix(palette.ground, strong, 0.28)),
      edge: pixel(mix(cloth, strong, 0.8)),
      line: pixel(washed ? mix(palette.ground, dye, 0.5) : dye),
    };
    known.set(dye, found);
  }
  return found;
}

/** Room that the waveform leaves for the name, in strips that are tall enough for both. */
export const waveInset = (height: number): number => (height >= 44 ? NAME_STRIP - 3 : 0);

let columns: Columns = newColumns(4096);
let gains = new Float32Array(4096);
let strip = new Strip(4096);

/** Draws columns [from, to) of ground, grid, cloth and waveforms into pixels, with plain loops: the only way fast enough without a graphics device. */
export function paintCloth(pixels: Uint32Array, scene: ClothScene, from = 0, to = scene.width): void {
  const { lanes, palette, width, height, scale, scrollY, gridColumns } = scene;
  if (strip.width < width) [strip, columns, gains] = [new Strip(width), newColumns(width), new Float32Array(width)];
  const ground = pixel(palette.ground);
  const lineDye = scene.gridDye ? palette.dyes[scene.gridDye] : palette.line;
  const strong = (part: number): number => Math.min(1, part * scene.gridStrength);
  const lineColors = [
    0,
    pixel(mix(palette.ground, lineDye, strong(0.45))),
    pixel(mix(palette.ground, lineDye, strong(0.85))),
    pixel(mix(palette.ground, mix(lineDye, palette.ink3, 0.3), strong(1))),
  ];
  const rows = Math.min(height, Math.max(0, Math.round((lanesBottom(lanes) - scrollY) * scale)));
  // One row of ground and grid, copied down.
  pixels.fill(ground, from, to);
  for (let x = from; x < to; x++) if (gridColumns[x]) pixels[x] = lineColors[gridColumns[x]];
  for (let y = 1; y < rows; y++) pixels.copyWithin(y * width + from, from, to);
  for (let y = rows; y < height; y++) pixels.fill(pixel(palette.surface), y * width + from, y * width + to);
  for (const box of lanes) {
    const top = Math.round((box.top - scrollY) * scale);
    const bottom = Math.round((box.top + box.height - scrollY) * scale);
    if (bottom <= 0 || top >= height) continue;
    paintLane(pixels, scene, box, top, bottom, from, to);
    paintMarks(pixels, scene, box, from, to);
    if (bottom > 0 && bottom <= height) pixels.fill(pixel(palette.line), (bottom - 1) * width + from, (bottom - 1) * width + to);
  }
}

/** What must be the same for a raster to serve another view of the same zoom. */
const SAME = [
  "doc",
  "palette",
  "width",
  "height",
  "scale",
  "samplesPerPixel",
  "scrollY",
  "lanes",
  "grid",
  "gridStrength",
  "gridDye",
  "fanned",
  "magnify",
  "lentWaves",
] as const;

/**
 * Brings pixels that show `woven` (null: anything) to a scene. Where only time went along, and by whole columns, what stays in view is
 * moved and only the rest is drawn. Returns what the pixels then show.
 */
export function weaveFrom(woven: ClothScene | null, pixels: Uint32Array, scene: ClothScene): ClothScene {
  const { width, height, samplesPerPixel, scale } = scene;
  const columns = woven ? ((scene.start - woven.start) * scale) / samplesPerPixel : 0;
  const by = Math.round(columns);
  if (!woven || Math.abs(columns - by) > 1e-3 || Math.abs(by) > width / 2 || scene.grid.thinned || SAME.some((key) => scene[key] !== woven[key])) {
    paintCloth(pixels, scene);
    return scene;
  }
  // On the raster's own columns, so that many small moves don't add up to a part of one.
  const shown = { ...scene, start: woven.start + (by * samplesPerPixel) / scale };
  if (by === 0) return woven;
  // One move for all rows; what runs over their ends lies in the columns that are drawn anew.
  if (by > 0) pixels.copyWithin(0, by, width * height);
  else pixels.copyWithin(-by, 0, width * height + by);
  if (by > 0) paintCloth(pixels, shown, width - by, width);
  else paintCloth(pixels, shown, 0, -by);
  return shown;
}

function lanesBottom(lanes: readonly LaneBox[]): number {
  const last = lanes.at(-1);
  return last ? last.top + last.height : 0;
}

const flat = new WeakMap<Lane, boolean>();
/** Whether no clip of a lane lies on another: they are drawn from left to right then, whatever part is in view. */
function isFlat(lane: Lane): boolean {
  let known = flat.get(lane);
  if (known === undefined) {
    known = lane.clips.every((c) => c.layer === 0);
    flat.set(lane, known);
  }
  return known;
}

function paintLane(pixels: Uint32Array, scene: ClothScene, box: LaneBox, top: number, bottom: number, from: number, to: number): void {
  const { doc, width, height, scale, start, samplesPerPixel, palette, gridColumns } = scene;
  const perColumn = samplesPerPixel / scale;
  const lane = doc.lanes.get(box.trackId);
  if (!lane) return;
  // A column more on each side: the shortest clip fills one.
  const visible = lane.within(Math.floor(start + (from - 1) * perColumn), Math.ceil(start + (to + 1) * perColumn));
  const flat = isFlat(lane);
  const layered = flat ? visible : [...visible].sort((a, b) => a.layer - b.layer);
  const full = [top + Math.round(CLOTH_TOP * scale), bottom - Math.round((RAIL + 1) * scale)] as const;
  const placed = ([y0, y1]: readonly [number, number]): StripPlace => ({
    pixels,
    width,
    gridColumns,
    top: y0,
    bottom: y1,
    topRow: Math.max(0, y0),
    endRow: Math.min(height, y1),
    waveTop: y0 + waveInset((y1 - y0) / scale) * scale,
    apart: Math.max(3, Math.round(4 * scale)),
    warpFrom: -Math.round(start / perColumn),
  });
  let place = placed(full);
  const muted = scene.mutedTracks.has(box.trackId);
  const own = dyed(palette, palette.dyes[box.track.color], muted);
  const inOrder = !scene.fanned && flat;
  const columnOf = (clip: Clip): number => Math.max(from, Math.round((clip.start - start) / perColumn));
  // What is laid but not painted yet: columns `begun` to `laid`, of clips that end by `end`.
  let begun = from;
  let laid = from;
  let end = 0;
  let nextX = layered.length ? columnOf(layered[0]) : 0;
  for (let i = 0; i < layered.length; i++) {
    const clip = layered[i];
    const stop = clipEnd(clip);
    const x0 = nextX;
    if (i + 1 < layered.length) nextX = columnOf(layered[i + 1]);
    const apart = inOrder && clip.start >= end;
    // Of clips so short that several begin in one column only the last is seen; the others need not be laid at all.
    if (apart && nextX === x0 && i + 1 < layered.length && layered[i + 1].start >= stop && stop - start < (x0 + 0.5) * perColumn) continue;
    const band = scene.fanned ? bandOf(lane, clip, true, ...full) : full;
    const moved = band[0] !== place.top || band[1] !== place.bottom;
    // A clip that lies over another one goes over its pixels; one that only shares a column with the clip before takes the column.
    if (moved || (x0 < laid && !apart)) {
      strip.paint(place, begun, laid);
      if (moved) place = placed(band);
      begun = x0;
      laid = x0;
    }
    end = Math.max(end, stop);
    const colors = clip.color || clip.mute ? dyed(palette, palette.dyes[clip.color ?? box.track.color], clip.mute || muted) : own;
    laid = Math.max(laid, layClip(scene, clip, colors, place, x0, to));
  }
  strip.paint(place, begun, laid);
}

/** The row at which a gain cuts the cloth. */
const cutAt = ({ top, bottom }: StripPlace, gain: number): number => Math.round(top + (1 - Math.min(1, gain)) * (bottom - top));

/** The recording asked for last: clips beside each other are mostly of the same one. */
let lastOf: Document["sources"] | null = null;
let lastSource: SourceInfo | undefined;
function sourceOf({ sources }: Document, id: string): SourceInfo | undefined {
  if (lastOf !== sources || lastSource?.id !== id) [lastOf, lastSource] = [sources, sources.get(id)];
  return lastSource;
}

/** Lays a clip's columns from x0, its first or the first to be drawn, up to `to` into the strip; returns the column after the last. */
function layClip(scene: ClothScene, clip: Clip, colors: Dyed, place: StripPlace, x0: number, to: number): number {
  const { doc, scale, start, samplesPerPixel } = scene;
  const perColumn = samplesPerPixel / scale;
  const own0 = Math.round((clip.start - start) / perColumn);
  const own1 = Math.max(own0 + 1, Math.round((clipEnd(clip) - start) / perColumn));
  const x1 = Math.min(to, own1);
  const n = x1 - x0;
  if (n <= 0 || place.bottom <= place.top) return Math.min(x0, to);
  const first = start + x0 * perColumn;
  const faded = fillGains(doc, clip, first, perColumn, n);
  for (let i = 0; i < n; i++) strip.lay(x0 + i, faded ? cutAt(place, gains[i]) : place.top, colors);
  const source = sourceOf(doc, clip.sourceId);
  if (source && perColumn > 0.5) {
    const factor = gainFactor(clip.gain) * magnifyOf(scene, clip.trackId);
    const parts = Math.min(WAVES, source.channels);
    const { waveTop } = place;
    const half = (place.bottom - waveTop) / parts / 2 - 1;
    for (let c = 0; c < parts; c++) {
      fillPlayed(columns, clip, source, c, clip.offset + (first - clip.start), perColumn, n);
      if (clip.envelopes?.gain) scaleColumns(clip, source.length, clip.offset + (first - clip.start), perColumn, n);
      layWave(c * strip.width + x0, n, waveTop + ((place.bottom - waveTop) * c) / parts + half + 1, half, factor, faded);
    }
  }
  // The line around the strip: along its top but for curves that are drawn smoothly above, and down its sides where they are in view.
  const thick = Math.max(1, Math.round(scale));
  const wide = SMOOTH_CURVE * samplesPerPixel;
  const left = clip.fadeIn.length >= wide ? Math.max(x0, Math.ceil((clip.start + clip.fadeIn.length - start) / perColumn)) : x0;
  const right = clip.fadeOut.length >= wide ? Math.min(x1, Math.floor((clipEnd(clip) - clip.fadeOut.length - start) / perColumn)) : x1;
  // Where the top steps from one column to the next, the line goes along the step; the column before the first may not be drawn now.
  let near = strip.cut[left];
  if (left === x0 && x0 > own0 && isFaded(clip, perColumn)) near = cutAt(place, gainAt(doc, clip, first - perColumn / 2));
  for (let x = left; x < right; x++) {
    const cut = strip.cut[x];
    strip.lineFrom[x] = Math.min(cut, near);
    strip.lineTo[x] = Math.max(cut + thick, near);
    near = cut;
  }
  if (own1 - own0 > 2)
    for (let k = 0; k < thick; k++) {
      if (own0 + k >= x0 && own0 + k < x1) strip.side[own0 + k] = 1;
      if (own1 - 1 - k >= x0 && own1 - 1 - k < x1) strip.side[own1 - 1 - k] = 1;
    }
  return x1;
}

/** The waveform as its gain envelope lets it through: each column by the line in its middle. */
function scaleColumns(clip: Clip, length: number, first: number, perColumn: number, n: number): void {
  for (let i = 0; i < n; i++) {
    const factor = clipEnvelopeFactor(clip, length, Math.round(first + (i + 0.5) * perColumn));
    columns.min[i] *= factor;
    columns.max[i] *= factor;
    columns.rms[i] *= factor;
  }
}

/** Lays the waveform in `columns`, around a middle row, from entry `at` of the strip on. */
function layWave(at: number, n: number, middle: number, half: number, factor: number, faded: boolean): void {
  const { min: mins, max: maxs, rms } = columns;
  const { up, down, loudUp, loudDown } = strip;
  for (let i = 0; i < n; i++) {
    const min = mins[i];
    if (Number.isNaN(min)) continue;
    const g = faded ? gains[i] * factor : factor;
    const high = maxs[i] * g;
    const low = min * g;
    const within = Math.min(rms[i] * g * half, half);
    // Rounded by cutting off: rows are never far below zero, and those are left out anyway.
    const a = (middle - Math.min(1, high) * half + 0.5) | 0;
    const b = (middle - Math.max(-1, low) * half + 0.5) | 0;
    up[at + i] = Math.min(a, b);
    down[at + i] = Math.max(a, b);
    loudUp[at + i] = (middle - within + 0.5) | 0;
    loudDown[at + i] = (middle + within + 0.5) | 0;
  }
}

/** The gain that a clip is drawn with at a sample, or at its first or last one beyond its edges. */
function gainAt(doc: Document, clip: Clip, sample: number): number {
  const follower = clip.fadeOut.length > 0 ? blendAfter(doc, clip) : undefined;
  return drawnGain(clip, follower, Math.min(clipEnd(clip) - 1, Math.max(clip.start, sample)));
}

/** Whether a clip has a fade that is as wide as half a column. */
const isFaded = (clip: Clip, perColumn: number): boolean => clip.fadeIn.length >= perColumn / 2 || clip.fadeOut.length >= perColumn / 2;

/** Gains of the columns; false when there is no fade among them, or none that is as wide as half a column. */
function fillGains(doc: Document, clip: Clip, first: number, perColumn: number, n: number): boolean {
  if (!isFaded(clip, perColumn)) return false;
  const inEnd = clip.start + clip.fadeIn.length;
  const outStart = clipEnd(clip) - clip.fadeOut.length;
  if (first >= inEnd && first + n * perColumn <= outStart) return false;
  const follower = clip.fadeOut.length > 0 ? blendAfter(doc, clip) : undefined;
  for (let i = 0; i < n; i++) {
    const at = Math.min(clipEnd(clip) - 1, Math.max(clip.start, first + (i + 0.5) * perColumn));
    gains[i] = at >= inEnd && at < outStart ? 1 : drawnGain(clip, follower, at);
  }
  return true;
}
