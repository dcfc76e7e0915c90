import { documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import { plainClip, plainTrack, RATE } from "@wet-thread/core/testing/arbitraries";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { footed, hidingClips, shownHits } from "./hit-marks";

const LENGTH = 480_000;
const found = Array.from({ length: 2000 }, (_, i) => ({ at: 240 * i + ((i * 37) % 100), strength: ((i * 7) % 11) / 10 }));
const doc = documentFrom(
  {
    sampleRate: RATE,
    piece: { ...NEW_PIECE, trackOrder: ["t0"] },
    tracks: [plainTrack("t0")],
    clips: [
      plainClip({ id: "low", sourceId: "loom", start: 1000, offset: 0, length: LENGTH, hits: { sensitivity: 1 } }),
      plainClip({ id: "high", sourceId: "loom", start: 50_000, offset: 0, length: 10_000, layer: 1 }),
    ],
    markers: [],
    sections: [],
  },
  new Map([["loom", { id: "loom", name: "Loom", length: LENGTH, channels: 1, hits: found.map((h) => h.at), found }]]),
);
const clip = (id: string) => {
  const one = doc.clips.get(id);
  if (!one) throw new Error("no clip");
  return one;
};

describe("hits on the cloth", () => {
  it("are the same ones wherever the view stands, and all of them close up", () => {
    fc.assert(
      fc.property(fc.double({ min: 0.1, max: 3000, noNaN: true }), fc.integer({ min: 0, max: 400_000 }), (samplesPerPixel, start) => {
        const [end, width] = [start + 800 * samplesPerPixel, 800];
        const inView = (list: readonly { at: number }[]): number[] => list.map((h) => h.at).filter((at) => at >= start && at < end);
        const here = shownHits(doc, clip("low"), { start, width, samplesPerPixel });
        const whole = shownHits(doc, clip("low"), { start: 0, width: (LENGTH + 2000) / samplesPerPixel, samplesPerPixel });
        expect(inView(here)).toEqual(inView(whole));
        if (samplesPerPixel < 30) expect(whole).toHaveLength(found.length);
      }),
    );
  });
  it("have a foot where they stand alone, the first and the last among them", () => {
    const hits = [100, 5000, 5010, 90_001].map((at) => ({ at, strength: 1 }));
    for (const samplesPerPixel of [1, 33.3, 0.1 + 0.2])
      expect(footed(hits, samplesPerPixel).map((h) => h.at)).toEqual(expect.arrayContaining([100, 90_001]));
    expect(footed(hits, 10).map((h) => h.at)).toEqual([100, 90_001]);
    expect(footed(hits.slice(0, 1), 10)).toHaveLength(1);
  });
  it("lie beneath what is heard in their place", () => {
    expect(hidingClips(doc, clip("low")).map((c) => c.id)).toEqual(["high"]);
    expect(hidingClips(doc, clip("high"))).toEqual([]);
  });
});
