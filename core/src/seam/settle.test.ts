import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyEdit } from "../edit/registry";
import { documentFrom, NEW_PIECE } from "../model/document";
import type { Clip } from "../model/schema";
import { MemoryReader } from "../render/reader";
import { noise, plainClip, plainTrack, RATE } from "../testing/arbitraries";
import { settlePlace } from "./settle";

/** A slow tone with a little noise over it. */
const tone = (length: number, period: number, phase: number, seed: number): Float32Array => {
  const hiss = noise(length, seed);
  return Float32Array.from({ length }, (_, i) => 0.5 * Math.sin((2 * Math.PI * (i + phase)) / period) + hiss[i] * 0.02);
};
function two(a: Float32Array, b: Float32Array, hits: readonly number[] = []) {
  const doc = documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: ["t0"] },
      tracks: [plainTrack("t0")],
      clips: [
        plainClip({ id: "l", sourceId: "a", start: 0, offset: 0, length: 5000 }),
        plainClip({ id: "r", sourceId: "b", start: 5000, offset: 4000, length: 5000 }),
      ],
      markers: [],
      sections: [],
    },
    new Map([
      ["a", { id: "a", name: "A", length: a.length, channels: 1, hits: [] }],
      ["b", { id: "b", name: "B", length: b.length, channels: 1, hits }],
    ]),
  );
  const reader = new MemoryReader(
    new Map([
      ["a", [a]],
      ["b", [b]],
    ]),
  );
  const clip = (id: string): Clip => doc.clips.get(id) as Clip;
  return { doc, reader, parting: { left: clip("l"), right: clip("r"), splice: 5000 } };
}

/** The normalised correlation over a blend, as the page says it. */
function alike(a: Float32Array, b: Float32Array, splice: number, shift: number, length: number): number {
  let [xy, xx, yy] = [0, 0, 0];
  for (let i = 0; i < length; i++) {
    const at = splice - Math.floor(length / 2) + i;
    const [x, y] = [a[at], b[4000 + at - 5000 - shift]];
    xy += x * y;
    xx += x * x;
    yy += y * y;
  }
  return xy / Math.sqrt(xx * yy);
}

describe("settling a seam", () => {
  it("takes the place, and the shift, where both sides are most alike, within a hundredth", () => {
    fc.assert(
      fc.property(fc.integer({ min: 60, max: 400 }), fc.integer({ min: 0, max: 400 }), fc.boolean(), (period, phase, shifts) => {
        const [a, b] = [tone(12_000, period, 0, 3), tone(12_000, period * 1.01, phase, 4)];
        const { doc, reader, parting } = two(a, b);
        const how = { reach: 240, length: 192, shifts };
        const found = settlePlace(doc, parting, how, reader);
        if (!found) throw new Error("not settled");
        let most = -1;
        for (let s = -240; s <= 240; s += 3)
          for (let d = shifts ? -240 : 0; d <= (shifts ? 240 : 0); d += 3) most = Math.max(most, alike(a, b, 5000 + s, d, 192));
        expect(found.likeness).toBeGreaterThan(most - 0.011);
        expect(found.likeness).toBeCloseTo(alike(a, b, found.splice, found.shift, 192), 6);
        expect(found.before).toBeCloseTo(alike(a, b, 5000, 0, 192), 6);
        expect(found.likeness).toBeGreaterThanOrEqual(found.before - 1e-12);
        expect(Math.abs(found.splice - 5000)).toBeLessThanOrEqual(240);
        if (!shifts) expect(found.shift).toBe(0);
        // It can be done: a blend there, as long as it was asked for.
        const done = applyEdit(doc, { type: "set-blend", clipId: "r", with: "l", splice: found.splice, length: 192, place: "centred" }).doc;
        expect(done.clips.get("r")?.fadeIn.length).toBe(192);
      }),
      { numRuns: 25 },
    );
  });
  it("moves no attack: not into the blend, not out of what is heard, and shifts nothing that holds one", () => {
    const [a, b] = [tone(12_000, 200, 0, 3), tone(12_000, 200, 90, 4)];
    // Hits of the later recording 40 samples after the splice, and in the middle of its clip.
    const { doc, reader, parting } = two(a, b, [4040, 6000]);
    const found = settlePlace(doc, parting, { reach: 240, length: 64, shifts: true }, reader);
    expect(found?.shift).toBe(0);
    expect((found?.splice ?? 0) + 32).toBeLessThanOrEqual(5040);
  });
  it("says nothing while samples are not at hand", () => {
    const { doc, parting } = two(tone(12_000, 200, 0, 3), tone(12_000, 200, 90, 4));
    expect(settlePlace(doc, parting, { reach: 100, length: 64, shifts: false }, new MemoryReader(new Map()))).toBeUndefined();
  });
});
