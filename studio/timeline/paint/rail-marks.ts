import { firstAtOrAfter } from "@wet-thread/core/base/sorted";
import type { Seam, SeamClass } from "@wet-thread/core/seam/seams";
import type { ClothScene } from "../model/cloth-scene";
import { type LaneBox, RAIL } from "../model/geometry";
import { classesOf, laneSeams } from "../model/seam-classes";
import { type Palette, pixel } from "../model/theme";

// Thousands of marks are in view at once on a large piece, so they are part of the raster: as canvas shapes they take longer than all else.

/** Marks nearer than this, in pixels, become one: the worst of them, so that a raw seam is never hidden by a smooth one. */
const APART = 4;
/** Dots are small in lanes whose seams lie nearer than this to each other, in pixels. */
const MANY = 14;
const WORST: Readonly<Record<SeamClass, number>> = { raw: 3, blended: 2, smooth: 1, unbroken: 0 };

/** Which colour of a mark covers a place, in pixels from its middle; the last that does counts. */
type Shape = readonly { readonly ink: keyof Pick<Palette, "ink" | "ink2" | "ink3" | "raised"> | "madder"; covers(x: number, y: number): boolean }[];
const diamond = (x: number, y: number): number => (Math.abs(x) + Math.abs(y) - 5) / Math.SQRT2;
const SHAPES: Readonly<Record<SeamClass | "small", Shape>> = {
  unbroken: [{ ink: "ink3", covers: (x, y) => Math.abs(x) <= 0.5 && Math.abs(y) <= 5 }],
  smooth: [{ ink: "ink2", covers: (x, y) => x * x + y * y <= 2.75 ** 2 }],
  blended: [
    {
      ink: "ink",
      covers: (x, y) => Math.abs(Math.abs(x) - Math.abs(y)) <= 0.75 * Math.SQRT2 && Math.max(Math.abs(x), Math.abs(y)) <= 3.5 + 0.5,
    },
  ],
  // In place of the dot where there are many: dots don't run into each other then.
  small: [{ ink: "ink2", covers: (x, y) => x * x + y * y <= 1.6 ** 2 }],
  raw: [
    { ink: "raised", covers: (x, y) => diamond(x, y) <= 0 },
    { ink: "madder", covers: (x, y) => Math.abs(diamond(x, y)) <= 0.75 },
  ],
};
/** The farthest that any shape goes from its middle, in pixels. */
const REACH = 6.5;
/** Places looked at in a pixel, each way. */
const FINE = 4;

/** A mark as pixels: where each lies from its middle, its colour, and how much of it covers what was there, in 256ths. */
interface Sprite {
  readonly xs: Int8Array;
  readonly ys: Int8Array;
  readonly color: Int32Array;
  readonly cover: Uint16Array;
  readonly reach: number;
}

function spriteOf(shape: Shape, palette: Palette, scale: number): Sprite {
  const [x, y, color, cover]: number[][] = [[], [], [], []];
  const reach = Math.ceil(REACH * scale);
  for (let py = -reach; py <= reach; py++) {
    for (let px = -reach; px <= reach; px++) {
      const parts = [0, 0, 0];
      let covered = 0;
      for (let k = 0; k < FINE * FINE; k++) {
        const at = (p: number, part: number): number => (p - 0.5 + (part + 0.5) / FINE) / scale;
        const last = shape.findLast((s) => s.covers(at(px, k % FINE), at(py, Math.floor(k / FINE))));
        if (!last) continue;
        covered++;
        const rgb = pixel(last.ink === "madder" ? palette.dyes.madder : palette[last.ink]);
        for (let c = 0; c < 3; c++) parts[c] += (rgb >>> (8 * c)) & 255;
      }
      if (!covered) continue;
      x.push(px);
      y.push(py);
      cover.push(Math.round((256 * covered) / (FINE * FINE)));
      color.push(parts.reduce((sum, p, c) => sum | (Math.round(p / covered) << (8 * c)), 0xff000000));
    }
  }
  return { xs: Int8Array.from(x), ys: Int8Array.from(y), color: Int32Array.from(color), cover: Uint16Array.from(cover), reach };
}

/** Sprites that were needed so far, by palette, scale and shape. */
const sprites = new WeakMap<Palette, Map<string, Sprite>>();
function spriteFor(kind: keyof typeof SHAPES, palette: Palette, scale: number): Sprite {
  let ofPalette = sprites.get(palette);
  if (!ofPalette) {
    ofPalette = new Map();
    sprites.set(palette, ofPalette);
  }
  const key = `${kind} ${scale}`;
  let found = ofPalette.get(key);
  if (!found) {
    found = spriteOf(SHAPES[kind], palette, scale);
    ofPalette.set(key, found);
  }
  return found;
}

/** A colour laid over another, `part` 256ths of it. Red and blue are mixed in one go, green between them. */
function laid(under: number, over: number, part: number): number {
  const ends = ((Math.imul(under & 0xff00ff, 256 - part) + Math.imul(over & 0xff00ff, part)) >>> 8) & 0xff00ff;
  const middle = ((Math.imul(under & 0xff00, 256 - part) + Math.imul(over & 0xff00, part)) >>> 8) & 0xff00;
  return 0xff000000 | ends | middle;
}

/** A sprite around column x of a row, in columns [from, to). */
function putSprite(pixels: Int32Array, width: number, height: number, sprite: Sprite, x: number, row: number, from: number, to: number): void {
  const { xs, ys, color, cover, reach } = sprite;
  const inside = x - reach >= from && x + reach < to && row - reach >= 0 && row + reach < height;
  const middle = row * width + x;
  for (let i = 0; i < xs.length; i++) {
    if (!inside) {
      const [column, y] = [x + xs[i], row + ys[i]];
      if (column < from || column >= to || y < 0 || y >= height) continue;
    }
    const at = middle + ys[i] * width + xs[i];
    pixels[at] = cover[i] === 256 ? color[i] : laid(pixels[at], color[i], cover[i]);
  }
}

const allPositions = new WeakMap<readonly Seam[], Float64Array>();
/** Where a lane's seams are, as bare numbers: thousands of them are gone through for each drawing. */
function positionsOf(seams: readonly Seam[]): Float64Array {
  let known = allPositions.get(seams);
  if (!known) {
    known = Float64Array.from(seams, (s) => s.position);
    allPositions.set(seams, known);
  }
  return known;
}

/** Draws the marks of a lane's seams into columns [from, to). */
export function paintMarks(pixels: Uint32Array, scene: ClothScene, box: LaneBox, from: number, to: number): void {
  const { doc, palette, width, height, scale, start, samplesPerPixel, scrollY } = scene;
  const middle = Math.round((box.top + box.height - scrollY - RAIL / 2 - 1) * scale);
  const reach = Math.ceil(REACH * scale);
  if (middle + reach < 0 || middle - reach >= height) return;
  const perColumn = samplesPerPixel / scale;
  // Marks share cells of the piece, not of the view, so that they stand still while it moves along.
  const cell = APART * samplesPerPixel;
  const cellOf = (column: number): number => Math.floor((start + column * perColumn) / cell);
  const [first, last] = [cellOf(from - reach - 1), cellOf(to + reach + 1)];
  const seams = laneSeams(doc, box.trackId);
  const positions = positionsOf(seams);
  const classes = classesOf(doc, seams);
  const signed = new Int32Array(pixels.buffer, pixels.byteOffset, pixels.length);
  let low = firstAtOrAfter(positions, first * cell);
  const span = seams.length ? positions[seams.length - 1] - positions[0] : 0;
  const dot = span < seams.length * MANY * samplesPerPixel ? "small" : "smooth";
  const own: Partial<Record<SeamClass, Sprite>> = {};
  while (low < seams.length) {
    const end = (Math.floor(positions[low] / cell) + 1) * cell;
    if (end > (last + 1) * cell) break;
    let worst = low;
    let kind = classes.of(low);
    for (low++; low < seams.length && positions[low] < end; low++) {
      const also = classes.of(low);
      if (WORST[also] > WORST[kind]) [worst, kind] = [low, also];
    }
    const x = Math.round((positions[worst] - start) / perColumn);
    let sprite = own[kind];
    if (!sprite) {
      sprite = spriteFor(kind === "smooth" ? dot : kind, palette, scale);
      own[kind] = sprite;
    }
    putSprite(signed, width, height, sprite, x, middle, from, to);
  }
}
