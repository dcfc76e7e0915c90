import { documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import { NO_FADE } from "@wet-thread/core/model/schema";
import { describe, expect, it } from "vitest";
import { view } from "@/state/view";
import { type ClothScene, paintCloth } from "./cloth";
import { PALETTES, pixel } from "./theme";
import { zoneAt } from "./zones";

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
  gridColumns: new Uint8Array(100),
  mutedTracks: new Set(),
  gridStrength: 1,
  gridDye: null,
  fanned: false,
  magnify: 1,
};

describe("the cloth raster", () => {
  const pixels = new Uint32Array(100 * 120);
  paintCloth(pixels, scene);
  const at = (x: number, y: number): number => pixels[y * 100 + x];
  it("lays cloth where clips are, ground where none are, and nothing of a lane below the last", () => {
    expect(at(5, 40)).toBe(pixel(PALETTES.day.ground));
    expect(at(30, 40)).not.toBe(pixel(PALETTES.day.ground));
    expect(at(30, 40)).toBe(at(45, 40));
    expect(at(55, 40)).toBe(pixel(PALETTES.day.ground));
    expect(at(30, 110)).toBe(pixel(PALETTES.day.surface));
  });
  it("cuts the cloth along the fade", () => {
    const cloth = at(75, 60);
    const edge = (x: number): number => Array.from({ length: 84 }, (_, y) => y).findIndex((y) => at(x, y) === cloth);
    expect(edge(61)).toBeGreaterThan(edge(65));
    expect(edge(65)).toBeGreaterThan(edge(69));
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
