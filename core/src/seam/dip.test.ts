import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyEdits, type Edit } from "../edit/registry";
import { type Document, documentFrom, NEW_PIECE } from "../model/document";
import type { SourceInfo } from "../model/schema";
import { MemoryReader } from "../render/reader";
import { noise, plainClip, plainTrack, RATE } from "../testing/arbitraries";
import { measureSeam, quietEdges } from "./measure";
import { allSeams } from "./seams";

/** Flat room at a level, with words that begin and end where they are told to. */
function spoken(level: number, words: readonly (readonly [number, number])[], seed: number): Float32Array {
  const rms = 0.7 / Math.sqrt(3);
  const room = noise(96_000, seed).map((v) => (v * 10 ** (level / 20)) / rms);
  const loud = noise(96_000, seed + 9);
  for (const [from, to] of words) for (let i = Math.max(0, from); i < Math.min(to, 96_000); i++) room[i] += loud[i] * 0.2;
  return room;
}

function staged(a: Float32Array, b: Float32Array): { doc: Document; reader: MemoryReader } {
  const sources = new Map<string, SourceInfo>([a, b].map((_, i) => [`s${i}`, { id: `s${i}`, name: "s", length: 96_000, channels: 1 }]));
  const doc = documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: ["t0"] },
      tracks: [plainTrack("t0")],
      clips: [
        plainClip({ id: "a", sourceId: "s0", start: 0, length: 48_000, offset: 0 }),
        plainClip({ id: "b", sourceId: "s1", start: 48_000, length: 40_000, offset: 48_000 }),
      ],
      markers: [],
      sections: [],
    },
    sources,
  );
  return {
    doc,
    reader: new MemoryReader(
      new Map([
        ["s0", [a]],
        ["s1", [b]],
      ]),
    ),
  };
}

const dipOf = ({ doc, reader }: ReturnType<typeof staged>, ...edits: Edit[]): number | null => {
  const done = edits.length > 0 ? applyEdits(doc, edits).doc : doc;
  const seam = allSeams(done).find((s) => s.left?.id === "a" && s.right?.id === "b");
  if (!seam) throw new Error("no seam");
  return measureSeam(done, seam, reader, quietEdges(done, reader)).dip;
};
const smooth = (how: string, length = 192): Edit => ({ type: "smooth", seams: [{ left: "a", right: "b", position: 48_000 }], length, how });

describe("the level through a seam", () => {
  it("is none beside words that begin or end 5 to 200 ms away, at whatever level the room lies", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 240, max: 9600 }),
        fc.integer({ min: 240, max: 9600 }),
        fc.constantFrom(-59, -50, -40),
        fc.nat(1000),
        (before, after, level, seed) => {
          const stage = staged(spoken(level, [[20_000, 48_000 - before]], seed + 1), spoken(level, [[48_000 + after, 80_000]], seed + 7001));
          for (const edits of [[], [{ type: "set-blend", clipId: "b", length: 960, law: "power" } as Edit]])
            expect(Math.abs(dipOf(stage, ...edits) ?? 0)).toBeLessThan(1.5);
        },
      ),
      { numRuns: 60 },
    );
  });
  it("is told where it is planted, from 1.5 dB on", () => {
    const stage = staged(spoken(-20, [], 3), spoken(-20, [], 4));
    // Two unlike sides, each at half: three decibels less.
    expect(dipOf(stage, { type: "set-blend", clipId: "b", length: 2400, law: "gain", shape: "straight" })).toBeLessThan(-2.2);
    expect(Math.abs(dipOf(stage, { type: "set-blend", clipId: "b", length: 2400, law: "power" }) ?? 9)).toBeLessThan(1.2);
    expect(dipOf(stage, smooth("fades", 480))).toBeLessThan(-6);
    for (const db of [-2, -4, -8]) {
      const drawn = dipOf(stage, smooth("fades", 48), {
        type: "set-fade",
        clipIds: ["b"],
        edge: "in",
        length: Math.round(-db * 100),
        shape: "straight",
      });
      expect(drawn).toBeLessThan(-1.5);
    }
  });
  it("is none in material below −60 dB, and where nothing fades", () => {
    expect(dipOf(staged(spoken(-70, [], 3), spoken(-70, [], 4)), smooth("fades", 480))).toBeNull();
    expect(dipOf(staged(spoken(-20, [], 3), spoken(-26, [], 4)))).toBeCloseTo(0, 6);
  });
  it("goes by the clips alone, whatever rides over their track", () => {
    const stage = staged(spoken(-20, [], 3), spoken(-20, [], 4));
    expect(dipOf(stage, { type: "set-ride", trackIds: ["t0"], points: [{ at: 0, value: -20 }] })).toBeCloseTo(0, 6);
  });
});
