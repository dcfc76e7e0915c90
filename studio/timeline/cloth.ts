import { blendGains, fadeGain } from "@wet-thread/core/dsp/fades";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd, type Dye, gainFactor } from "@wet-thread/core/model/schema";
import { CLOTH_TOP, type LaneBox, laneBoxes, NAME_STRIP, RAIL } from "./geometry";
import { bandOf } from "./layers";
import { mix, type Palette, pixel } from "./theme";
import { type Columns, fillColumns, newColumns } from "./wave";

/** What the raster needs to know; all lengths in device pixels but for lane boxes. */
export interface ClothScene {
  readonly doc: Document;
  readonly palette: Palette;
  readonly width: number;
  readonly height: number;
  readonly scale: number;
  readonly start: number;
  readonly samplesPerPixel: number;
  readonly scrollY: number;
  /** Grid lines: strength 1 (fine) to 3 (bar) for each device column, 0 for none. */
  readonly gridColumns: Uint8Array;
  readonly mutedTracks: ReadonlySet<string>;
  readonly gridStrength: number;
  readonly gridDye: Dye | null;
  readonly fanned: boolean;
  /** Waveforms are drawn this many times taller. */
  readonly magnify: number;
}

interface Dyed {
  readonly cloth: number;
  readonly clothGrid: number;
  readonly peak: number;
  readonly rms: number;
  readonly warp: number;
  readonly edge: number;
  readonly line: number;
}

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
/** The row at which each column's cloth begins. */
let tops = new Int32Array(4096);

/** A fade that is at least this wide, in CSS pixels, has its curve drawn smoothly above the raster; a narrower one is cut by pixels. */
export const SMOOTH_CURVE = 6;

/** The gain of a clip's fades and blends at a sample of the timeline; likeness is taken as middling, which no eye can tell. */
export function drawnGain(clip: Clip, follower: Clip | undefined, at: number): number {
  let g = 1;
  const i = at - clip.start;
  const j = clipEnd(clip) - 1 - at;
  if (i < clip.fadeIn.length)
    g *= clip.blend?.linked ? blendGains(clip.blend.law, clip.fadeIn, i, clip.fadeIn.length, 0.5).gainIn : fadeGain(clip.fadeIn, i);
  if (j < clip.fadeOut.length) {
    g *= follower?.blend?.linked
      ? blendGains(follower.blend.law, follower.fadeIn, clip.fadeOut.length - 1 - j, clip.fadeOut.length, 0.5).gainOut
      : fadeGain(clip.fadeOut, j);
  }
  return g;
}

/** Draws ground, grid, cloth and waveforms into pixels, with plain loops: the only way fast enough without a graphics device. */
export function paintCloth(pixels: Uint32Array, scene: ClothScene): void {
  const { doc, palette, width, height, scale, scrollY, gridColumns } = scene;
  const ground = pixel(palette.ground);
  const lineDye = scene.gridDye ? palette.dyes[scene.gridDye] : palette.line;
  const strong = (part: number): number => Math.min(1, part * scene.gridStrength);
  const lineColors = [
    0,
    pixel(mix(palette.ground, lineDye, strong(0.45))),
    pixel(mix(palette.ground, lineDye, strong(0.85))),
    pixel(mix(palette.ground, mix(lineDye, palette.ink3, 0.3), strong(1))),
  ];
  const rows = Math.min(height, Math.max(0, Math.round((lanesBottom(doc) - scrollY) * scale)));
  // One row of ground and grid, copied down.
  pixels.fill(ground, 0, width);
  for (let x = 0; x < width; x++) if (gridColumns[x]) pixels[x] = lineColors[gridColumns[x]];
  for (let y = 1; y < rows; y++) pixels.copyWithin(y * width, 0, width);
  pixels.fill(pixel(palette.surface), rows * width, height * width);
  for (const box of laneBoxes(doc)) {
    const top = Math.round((box.top - scrollY) * scale);
    const bottom = Math.round((box.top + box.height - scrollY) * scale);
    if (bottom <= 0 || top >= height) continue;
    paintLane(pixels, scene, box, top, bottom);
    if (bottom > 0 && bottom <= height) pixels.fill(pixel(palette.line), (bottom - 1) * width, bottom * width);
  }
}

function lanesBottom(doc: Document): number {
  const last = laneBoxes(doc).at(-1);
  return last ? last.top + last.height : 0;
}

function paintLane(pixels: Uint32Array, scene: ClothScene, box: LaneBox, top: number, bottom: number): void {
  const { doc, width, scale, start, samplesPerPixel, palette } = scene;
  const perColumn = samplesPerPixel / scale;
  const lane = doc.lanes.get(box.trackId);
  if (!lane) return;
  const visible = lane.within(Math.floor(start), Math.ceil(start + width * perColumn) + 1);
  const layered = visible.some((c) => c.layer > 0) ? [...visible].sort((a, b) => a.layer - b.layer) : visible;
  const y0 = top + Math.round(CLOTH_TOP * scale);
  const y1 = bottom - Math.round((RAIL + 1) * scale);
  for (const clip of layered) {
    const dye = palette.dyes[clip.color ?? box.track.color];
    const [from, to] = bandOf(lane, clip, scene.fanned, y0, y1);
    paintClip(pixels, scene, clip, dyed(palette, dye, clip.mute || scene.mutedTracks.has(box.trackId)), from, to);
  }
}

function paintClip(pixels: Uint32Array, scene: ClothScene, clip: Clip, colors: Dyed, y0: number, y1: number): void {
  const { doc, width, height, scale, start, samplesPerPixel, gridColumns } = scene;
  const perColumn = samplesPerPixel / scale;
  const source = doc.sources.get(clip.sourceId);
  const x0 = Math.max(0, Math.round((clip.start - start) / perColumn));
  const x1 = Math.min(width, Math.max(x0 + 1, Math.round((clipEnd(clip) - start) / perColumn)));
  const n = x1 - x0;
  if (n <= 0 || y1 <= y0) return;
  if (columns.min.length < n) {
    columns = newColumns(2 * n);
    gains = new Float32Array(2 * n);
    tops = new Int32Array(2 * n);
  }
  const first = start + x0 * perColumn;
  const faded = fillGains(doc, clip, first, perColumn, n);
  const topRow = Math.max(0, y0);
  const endRow = Math.min(height, y1);
  if (faded) paintCut(pixels, scene, colors, x0, n, y0, y1, topRow, endRow);
  else {
    for (let row = topRow * width; row < endRow * width; row += width) fillRow(pixels, colors.cloth, row + x0, row + x1);
    for (let x = x0; x < x1; x++)
      if (gridColumns[x]) for (let at = topRow * width + x; at < endRow * width; at += width) pixels[at] = colors.clothGrid;
  }
  if (source && perColumn > 0.5) {
    const factor = gainFactor(clip.gain) * scene.magnify;
    const parts = Math.min(2, source.channels);
    const waveTop = y0 + waveInset((y1 - y0) / scale) * scale;
    for (let c = 0; c < parts; c++) {
      fillColumns(columns, clip.sourceId, source.channels, c, source.length, clip.offset + (first - clip.start), perColumn, n);
      const a = waveTop + ((y1 - waveTop) * c) / parts;
      const half = (y1 - waveTop) / parts / 2 - 1;
      const middle = a + half + 1;
      paintWave(pixels, width, x0, n, middle, half, factor, faded, colors, topRow, endRow);
    }
  }
  // Selvedge: the woven edges of the strip.
  if (endRow === y1) fillRow(pixels, colors.edge, (y1 - 1) * width + x0, (y1 - 1) * width + x1);
  if (!faded) for (let i = 0; i < n; i++) tops[i] = y0;
  paintEdges(pixels, scene, clip, colors.line, x0, n, topRow, endRow);
}

/** Part of a row in one colour. A call of the built-in costs more than a short loop. */
function fillRow(pixels: Uint32Array, color: number, from: number, to: number): void {
  if (to - from > 48) pixels.fill(color, from, to);
  else for (let at = from; at < to; at++) pixels[at] = color;
}

/** Cloth that is cut along the gain curve, with bare warp threads where it is cut away. */
function paintCut(
  pixels: Uint32Array,
  { width, scale, gridColumns }: ClothScene,
  colors: Dyed,
  x0: number,
  n: number,
  y0: number,
  y1: number,
  topRow: number,
  endRow: number,
): void {
  const apart = Math.max(3, Math.round(4 * scale));
  for (let i = 0; i < n; i++) {
    const x = x0 + i;
    const cut = Math.round(y0 + (1 - Math.min(1, gains[i])) * (y1 - y0));
    const color = gridColumns[x] ? colors.clothGrid : colors.cloth;
    tops[i] = cut;
    if (cut > topRow && x % apart === 0)
      for (let at = topRow * width + x, end = Math.min(cut, endRow) * width; at < end; at += width) pixels[at] = colors.warp;
    for (let at = Math.max(topRow, cut) * width + x, end = endRow * width; at < end; at += width) pixels[at] = color;
  }
}

/** The waveform of the columns: the peaks pale, the RMS within them at full strength. */
function paintWave(
  pixels: Uint32Array,
  width: number,
  x0: number,
  n: number,
  middle: number,
  half: number,
  factor: number,
  faded: boolean,
  colors: Dyed,
  topRow: number,
  endRow: number,
): void {
  const { min: mins, max: maxs, rms } = columns;
  const { peak, rms: core } = colors;
  for (let i = 0; i < n; i++) {
    const min = mins[i];
    if (Number.isNaN(min)) continue;
    const g = faded ? gains[i] * factor : factor;
    const high = maxs[i] * g;
    const low = min * g;
    const loud = rms[i] * g * half;
    // Rounded by cutting off: rows are never far below zero, and those are left out anyway.
    const up = (middle - Math.min(1, high) * half + 0.5) | 0;
    const down = (middle - Math.max(-1, low) * half + 0.5) | 0;
    const within = Math.min(loud, half);
    const loudUp = (middle - within + 0.5) | 0;
    const loudDown = (middle + within + 0.5) | 0;
    const end = Math.min(endRow - 1, Math.max(up, down));
    for (let y = Math.max(topRow, up), at = y * width + x0 + i; y <= end; y++, at += width) pixels[at] = y >= loudUp && y <= loudDown ? core : peak;
  }
}

/** The line around the strip: along its top but for curves that are drawn smoothly above, and down its sides where they are in view. */
function paintEdges(
  pixels: Uint32Array,
  { width, scale, start, samplesPerPixel }: ClothScene,
  clip: Clip,
  line: number,
  x0: number,
  n: number,
  topRow: number,
  endRow: number,
): void {
  const perColumn = samplesPerPixel / scale;
  const thick = Math.max(1, Math.round(scale));
  const column = (sample: number): number => (sample - start) / perColumn - x0;
  const wide = SMOOTH_CURVE * scale * perColumn;
  const from = clip.fadeIn.length >= wide ? Math.max(0, Math.ceil(column(clip.start + clip.fadeIn.length))) : 0;
  const to = clip.fadeOut.length >= wide ? Math.min(n, Math.floor(column(clipEnd(clip) - clip.fadeOut.length))) : n;
  for (let i = from; i < to; i++) {
    // Where the top steps from one column to the next, the line goes along the step.
    const near = i > from ? tops[i - 1] : tops[i];
    const end = Math.min(endRow, Math.max(tops[i] + thick, near));
    for (let y = Math.max(topRow, Math.min(tops[i], near)); y < end; y++) pixels[y * width + x0 + i] = line;
  }
  const side = (at: number, top: number): void => {
    for (let k = 0; k < thick; k++) for (let y = Math.max(topRow, top); y < endRow; y++) if (at + k < width) pixels[y * width + at + k] = line;
  };
  if (clip.start >= start && n > 2) side(x0, tops[0]);
  if ((clipEnd(clip) - start) / perColumn <= width && n > 2) side(x0 + n - thick, tops[n - 1]);
}

/** Gains of the columns; false when there is no fade among them, or none that is as wide as half a column. */
function fillGains(doc: Document, clip: Clip, first: number, perColumn: number, n: number): boolean {
  if (clip.fadeIn.length < perColumn / 2 && clip.fadeOut.length < perColumn / 2) return false;
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
