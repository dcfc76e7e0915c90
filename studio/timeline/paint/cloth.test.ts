import { dataOf, documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import { NO_FADE } from "@wet-thread/core/model/schema";
import fc from "fast-check";
import { describe, expect, it, vi } from "vitest";
import { useSettings } from "@/state/kept/settings";
import { view } from "@/state/view/view";
import type { ClothScene } from "../model/cloth-scene";
import { laneBoxes } from "../model/geometry";
import { viewGrid } from "../model/grid-columns";
import { PALETTES, pixel } from "../model/theme";
import { zoneAt } from "../model/zones";
import { paintCloth, weaveFrom } from "./cloth";

// Recordings are loud from end to end here, and never fetched.
vi.mock(import("@/state/media/media"), async (original) => {
  const read = (_: string, __: number, ___: number, out: Float32Array, at: number, count: number): true => !!out.fill(0.5, at, at + count);
  return { ...(await original()), pageReader: { read }, peakTile: () => undefined };
});

/** A colour as it is read from unsigned pixels. */
const shade = (color: string): number => pixel(color) >>> 0;

const clip = (id: string, start: number, length: number) => ({
  id,
  trackId: "t",
  sourceId: "s",
  start,
  length,
  offset: 0,
  name: id,
  color: null,
  gain: 0,
  pan: 0,
  mute: false,
  layer: 0,
  fadeIn: NO_FADE,
  fadeOut: NO_FADE,
  blend: null,
  sync: null,
  bundle: null,
});
const doc = documentFrom(
  {
    sampleRate: 48_000,
    piece: { ...NEW_PIECE, trackOrder: ["t"] },
    tracks: [{ id: "t", name: "Loom", color: "indigo", height: 100, mute: false, solo: false, gain: 0, pan: 0, hidden: false, link: null }],
    clips: [clip("a", 1000, 4000), { ...clip("b", 6000, 2000), fadeIn: { length: 1000, shape: "straight", bend: 0 } }],
    markers: [],
    sections: [],
  },
  new Map(),
);
const scene: ClothScene = {
  doc,
  palette: PALETTES.day,
  width: 100,
  height: 120,
  scale: 1,
  start: 0,
  samplesPerPixel: 100,
  scrollY: 0,
  lanes: laneBoxes(doc),
  grid: viewGrid(doc, useSettings.getState(), 0, 100),
  gridColumns: new Uint8Array(100),
  mutedTracks: new Set(),
  gridStrength: 1,
  gridDye: null,
  fanned: false,
  magnify: 1,
  lentWaves: null,
};

describe("the cloth raster", () => {
  const pixels = new Uint32Array(100 * 120);
  paintCloth(pixels, scene);
  const at = (x: number, y: number): number => pixels[y * 100 + x];
  it("lays cloth where clips are, ground where none are, and nothing of a lane below the last", () => {
    expect(at(5, 40)).toBe(shade(PALETTES.day.ground));
    expect(at(30, 40)).not.toBe(shade(PALETTES.day.ground));
    expect(at(30, 40)).toBe(at(45, 40));
    expect(at(55, 40)).toBe(shade(PALETTES.day.ground));
    expect(at(30, 110)).toBe(shade(PALETTES.day.surface));
  });
  it("cuts the cloth along the fade", () => {
    const cloth = at(75, 60);
    const edge = (x: number): number => Array.from({ length: 84 }, (_, y) => y).findIndex((y) => at(x, y) === cloth);
    expect(edge(61)).toBeGreaterThan(edge(65));
    expect(edge(65)).toBeGreaterThan(edge(69));
  });
});

describe("marks of seams in the raster", () => {
  const rail = 92;
  const draw = (clips: ReturnType<typeof clip>[], samplesPerPixel: number): Uint32Array => {
    const made = documentFrom({ ...dataOf(doc), clips }, new Map([["s", { id: "s", name: "s", length: 100_000, channels: 1 }]]));
    const out = new Uint32Array(100 * 120);
    paintCloth(out, { ...scene, doc: made, lanes: laneBoxes(made), samplesPerPixel, palette: PALETTES.day });
    return out;
  };
  const faded = (id: string, start: number, length: number) => {
    const fade = { length: 200, shape: "power" as const, bend: 0 };
    return { ...clip(id, start, length), fadeIn: fade, fadeOut: fade };
  };
  const has = (pixels: Uint32Array, color: string, from: number, to: number): boolean =>
    Array.from({ length: 13 }, (_, i) => rail - 6 + i).some((y) => pixels.subarray(y * 100 + from, y * 100 + to).includes(shade(color)));
  const { ink2, dyes } = PALETTES.day;
  it("are a dot where both sides are faded and a diamond where an edge is bare", () => {
    const out = draw([faded("a", 1000, 2000), clip("b", 6000, 2000)], 100);
    expect([has(out, ink2, 7, 14), has(out, dyes.madder, 7, 14)]).toEqual([true, false]);
    expect([has(out, ink2, 57, 64), has(out, dyes.madder, 56, 65)]).toEqual([false, true]);
    expect(has(out, ink2, 40, 55) || has(out, dyes.madder, 40, 55)).toBe(false);
  });
  it("show the bare one of many that lie close together", () => {
    const many = Array.from({ length: 20 }, (_, i) => faded(`f${i}`, 20_000 + i * 700, 600));
    const bare = { ...many[9], fadeOut: NO_FADE };
    expect(has(draw(many, 1000), dyes.madder, 0, 100)).toBe(false);
    expect(has(draw([...many.slice(0, 9), bare, ...many.slice(10)], 1000), dyes.madder, 20, 35)).toBe(true);
  });
});

describe("moving the view along", () => {
  const piece = fc
    .array(
      fc.record({
        start: fc.nat(20_000),
        length: fc.oneof(fc.integer({ min: 1, max: 5000 }), fc.integer({ min: 1, max: 90 })),
        in: fc.nat(2000),
        out: fc.nat(2000),
        layer: fc.nat(2),
      }),
      {
        maxLength: 40,
      },
    )
    .map((list) =>
      list.map((c, i) => {
        const fade = (length: number) => ({ length: Math.min(length, Math.floor(c.length / 2)), shape: "power" as const, bend: 0 });
        return { ...clip(`c${i}`, c.start, c.length), fadeIn: fade(c.in), fadeOut: fade(c.out), layer: c.layer };
      }),
    );
  it("shows the very pixels that drawing all of it anew would", () => {
    fc.assert(
      fc.property(
        piece,
        fc.boolean(),
        fc.array(fc.integer({ min: -45, max: 45 }), { minLength: 1, maxLength: 4 }),
        fc.boolean(),
        (made, level, moves, fanned) => {
          const clips = level ? made.map((c) => ({ ...c, layer: 0 })) : made;
          const lanes = documentFrom({ ...dataOf(doc), clips }, new Map());
          const moved = new Uint32Array(100 * 120);
          let shown: ClothScene | null = null;
          let start = 5000;
          for (const by of [0, ...moves]) {
            start = Math.max(0, start + by * 100);
            const gridColumns = Uint8Array.from({ length: 100 }, (_, x) => ((start / 100 + x) % 8 === 0 ? 2 : 0));
            const now = { ...scene, doc: lanes, lanes: laneBoxes(lanes), start, fanned, gridColumns };
            shown = weaveFrom(shown, moved, now);
            const anew = new Uint32Array(100 * 120);
            paintCloth(anew, now);
            expect(moved.findIndex((v, i) => v !== anew[i])).toBe(-1);
          }
        },
      ),
      { numRuns: 400 },
    );
  });
});

describe("pointer zones", () => {
  const v = { ...view(), start: 0, samplesPerPixel: 100, scrollY: 0 };
  const kind = (x: number, y: number) => zoneAt(doc, v, x, y).kind;
  it("names the part of a clip under the pointer", () => {
    expect([kind(30, 20), kind(30, 60), kind(10, 60), kind(50, 60), kind(11, 7), kind(49, 7), kind(55, 50), kind(30, 150)]).toEqual([
      "name",
      "body",
      "start",
      "end",
      "fadeIn",
      "fadeOut",
      "lane",
      "below",
    ]);
  });
  it("finds the fade's end, and seams under the cloth", () => {
    expect(zoneAt(doc, { ...v, samplesPerPixel: 50 }, 140, 8).kind).toBe("fadeIn");
    expect(kind(60, 92)).toBe("seam");
  });
});
