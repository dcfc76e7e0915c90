import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { sfzOf } from "../interchange/sfz";
import { MOST_SLICES, Slice, slicesOf, tapeLength } from "../model/slices";
import { documentOf, PCM, plainClip } from "../testing/arbitraries";
import { MemoryReader } from "./reader";
import { Renderer } from "./renderer";
import { playedSlice, slicePiece } from "./slices";

const stage = (hits: readonly number[] = []) => {
  const doc = documentOf(1, [
    plainClip({ id: "a", name: "Loom", start: 1000, length: 3000, offset: 200, gain: -6, fadeIn: { length: 500, shape: "power", bend: 0 } }),
    plainClip({ id: "b", name: "Bell", start: 5000, length: 400, offset: 0 }),
  ]);
  return { ...doc, sources: new Map([...doc.sources].map(([id, s]) => [id, { ...s, hits }])) };
};
const rendered = (doc: ReturnType<typeof documentOf>, from: number, count: number): Float32Array => {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  new Renderer(doc, new MemoryReader(PCM)).render(from, count, left, right);
  return left;
};

describe("slices", () => {
  it("are clips whole, or from hit to hit without what comes before the first", () => {
    const doc = stage([300, 900, 1500]);
    const clips = [...doc.clips.values()];
    expect(slicesOf(doc, clips, "clips").slices.map((s) => [s.name, s.start, s.end])).toEqual([
      ["Loom", 1000, 4000],
      ["Bell", 5000, 5400],
    ]);
    // Of the recording's hits, 300 lies in both windows.
    expect(slicesOf(doc, clips, "hits").slices.map((s) => [s.name, s.start, s.end])).toEqual([
      ["Loom 1", 1100, 1700],
      ["Loom 2", 1700, 2300],
      ["Loom 3", 2300, 4000],
      ["Bell", 5300, 5400],
    ]);
  });

  it("are as many as there are keys, and the rest is counted", () => {
    const doc = stage(Array.from({ length: 70 }, (_, i) => 210 + i * 40));
    const { slices, count } = slicesOf(doc, [...doc.clips.values()], "hits");
    expect(count).toBeGreaterThanOrEqual(70);
    const many = slicesOf(stage(Array.from({ length: 93 }, (_, i) => 205 + i * 32)), [...doc.clips.values()], "hits");
    expect([slices.length <= MOST_SLICES, many.slices.length]).toEqual([true, MOST_SLICES]);
    expect(many.count).toBeGreaterThan(MOST_SLICES);
  });

  it("sound as the clip does, without its fades", () => {
    const doc = stage();
    const slice = Slice.parse({ clipId: "a", start: 2000, end: 2600 });
    const piece = slicePiece(doc, slice);
    expect(piece && rendered(piece, 0, 600)).toEqual(rendered(doc, 2000, 600));
    expect(slicePiece(doc, { ...slice, end: 4001 })).toBeNull();
    expect(slicePiece(doc, { ...slice, clipId: "gone" })).toBeNull();
  });

  it("are turned round, louder, and as long as tape makes them", () => {
    const x = Float32Array.from({ length: 4000 }, (_, i) => Math.sin(i / 20));
    const [back] = playedSlice([x], { reverse: true, cents: 0, gain: -20 }, 48_000);
    for (let i = 0; i < 3000; i += 7) expect(back[i]).toBeCloseTo(x[3999 - i] / 10, 6);
    expect(Math.abs(back[3999])).toBeLessThan(0.001);
    fc.assert(
      fc.property(fc.integer({ min: -2400, max: 2400 }), (cents) => {
        const [played] = playedSlice([x], { reverse: false, cents, gain: 0 }, 48_000);
        expect(played.length).toBe(tapeLength(4000, cents));
        // The sine is the same sine, faster or slower; what lies at the ends is left out.
        const ratio = 4000 / played.length;
        for (let i = 300; i < played.length - 400; i += 97) expect(played[i]).toBeCloseTo(Math.sin((i * ratio) / 20), 2);
      }),
      { numRuns: 30 },
    );
  });

  it("as SFZ lie on keys from 36 up, with their gain and pitch", () => {
    const text = sfzOf("Kit", [
      { file: "01 Loom.wav", gain: 0, cents: 0 },
      { file: "02 Bell.wav", gain: -3.5, cents: -250 },
    ]);
    const regions = text.split("<region>").slice(1);
    expect(regions).toHaveLength(2);
    expect(regions[0].trim().split("\n")).toEqual(["sample=01 Loom.wav", "lokey=36", "hikey=36", "pitch_keycenter=36"]);
    expect(regions[1].trim().split("\n")).toEqual([
      "sample=02 Bell.wav",
      "lokey=37",
      "hikey=37",
      "pitch_keycenter=37",
      "volume=-3.5",
      "transpose=-2",
      "tune=-50",
    ]);
  });
});
