import { describe, expect, it } from "vitest";
import { applyChanges, documentFrom, NEW_PIECE } from "../model/document";
import type { SourceInfo } from "../model/schema";
import { noise, plainClip, plainTrack, RATE } from "../testing/arbitraries";
import { attacksOnly } from "./attacks";
import { MemoryReader } from "./reader";
import { Renderer } from "./renderer";

const LENGTH = 2 * RATE;
const HITS = [4800, 30_000, 31_000, 80_000];
const sources = new Map<string, SourceInfo>([["drum", { id: "drum", name: "Drum", length: LENGTH, channels: 1, hits: HITS }]]);
const piece = documentFrom(
  {
    sampleRate: RATE,
    piece: { ...NEW_PIECE, trackOrder: ["t0"] },
    tracks: [plainTrack("t0")],
    clips: [
      plainClip({ id: "a", sourceId: "drum", start: 0, offset: 0, length: 60_000 }),
      plainClip({ id: "b", sourceId: "drum", start: 60_000, offset: 60_000, length: LENGTH - 60_000 }),
    ],
    markers: [],
    sections: [],
  },
  sources,
);
const reader = new MemoryReader(new Map([["drum", [noise(LENGTH, 9)]]]));
const heard = (doc: typeof piece): Float32Array => {
  const left = new Float32Array(LENGTH);
  new Renderer(doc, reader).render(0, LENGTH, left, new Float32Array(LENGTH));
  return left;
};

describe("attacks only", () => {
  it("hears each attack as it is, and silence between them", () => {
    const [whole, only] = [heard(piece), heard(attacksOnly(piece, piece.clips.values()))];
    for (const hit of HITS) for (let i = hit; i < hit + 400; i++) expect(only[i]).toBe(whole[i]);
    const near = (i: number): boolean => HITS.some((h) => i >= h - 96 && i < h + 2880);
    for (let i = 0; i < LENGTH; i++) if (!near(i)) expect(only[i]).toBe(0);
  });
  it("of the clips that are named, and leaves the others", () => {
    const b = piece.clips.get("b");
    const only = heard(attacksOnly(piece, b ? [b] : []));
    const whole = heard(piece);
    for (let i = 0; i < 60_000; i++) expect(only[i]).toBe(whole[i]);
    expect(only[70_000]).toBe(0);
    expect(piece.clips.get("b")).toBe(b);
  });
  it("of layers as they are heard: what lies beneath stays hidden, and a hidden attack silent", () => {
    const over = plainClip({ id: "over", sourceId: "drum", start: 20_000, offset: 60_000, length: 30_000, layer: 1 });
    const layered = applyChanges(piece, [{ kind: "clip", id: "over", before: null, after: over }]);
    const [whole, only] = [heard(layered), heard(attacksOnly(layered, layered.clips.values()))];
    // The upper clip's own hit; those of the lower one at 30,000 and 31,000 lie beneath it.
    for (let i = 40_000; i < 40_400; i++) expect(only[i]).toBe(whole[i]);
    for (let i = 20_100; i < 39_900; i++) expect(only[i]).toBe(0);
    const [upper] = [heard(attacksOnly(layered, [over]))];
    for (let i = 20_100; i < 39_900; i++) expect(upper[i]).toBe(0);
    expect(upper[10_000]).toBe(whole[10_000]);
  });
});
