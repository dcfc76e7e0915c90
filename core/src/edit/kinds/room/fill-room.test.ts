import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Document, documentFrom, NEW_PIECE } from "../../../model/document";
import { playedId } from "../../../model/recipe/played-recording";
import { type Clip, clipEnd } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { noise, plainClip, plainTrack, RATE } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit } from "../../registry";

const LENGTH = 20 * RATE;
/** A voice that speaks in seconds 0–2, 5–7 and 10–12, loud; the room between, quiet. */
const SPEAKS = [0, 5, 10].map((s) => [s * RATE, (s + 2) * RATE] as const);
/** A mono clip in the middle is 3 dB lower on each side. */
const ROOM_RMS = (0.01 / Math.sqrt(3)) * Math.SQRT1_2;
const SOUND = noise(LENGTH, 5).map((x, i) => x * (SPEAKS.some(([a, b]) => i >= a && i < b) ? 0.8 : 0.01));
const piece = (clips: readonly Clip[]): Document =>
  documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: ["t0"] },
      tracks: [plainTrack("t0")],
      clips: [...clips],
      markers: [],
      sections: [],
    },
    new Map([["voice", { id: "voice", name: "Voice", length: LENGTH, channels: 1 }]]),
  );
/** What is said, a little of the room beside it, with gaps between. */
const said = (gap: number): Clip[] =>
  SPEAKS.map(([a, b], i) =>
    plainClip({
      id: `c${i}`,
      sourceId: "voice",
      start: i * (b - a + 4800 + gap),
      offset: Math.max(0, a - 2400),
      length: b - a + 4800 - (a === 0 ? 2400 : 0),
    }),
  );
const TENTH = RATE / 10;
const PASSAGES = [
  { sourceId: "voice", from: 21 * TENTH, to: 49 * TENTH },
  { sourceId: "voice", from: 71 * TENTH, to: 99 * TENTH },
];
const lane = (doc: Document): readonly Clip[] => doc.lanes.get("t0")?.clips ?? [];
const play = (doc: Document, from: number, length: number): Float32Array => {
  const [left, right] = [new Float32Array(length), new Float32Array(length)];
  new Renderer(doc, new MemoryReader(new Map([["voice", [SOUND]]]))).render(from, length, left, right);
  return left;
};
const fill = (doc: Document, over: object = {}) =>
  applyEdit(doc, {
    type: "fill-room",
    trackId: "t0",
    start: 0,
    end: clipEnd(lane(doc)[lane(doc).length - 1]),
    passages: PASSAGES,
    key: "room",
    ...over,
  }).doc;
const rms = (x: Float32Array): number => Math.sqrt(x.reduce((sum, v) => sum + v * v, 0) / x.length);
const emptyIn = (doc: Document): number[] => {
  let at = 0;
  return lane(doc).flatMap((c) => {
    const gap = c.start - at;
    at = Math.max(at, clipEnd(c));
    return gap > 0 ? [gap] : [];
  });
};
/** The longest stretch, in samples, that two pieces play alike within two seconds. */
function longestAgain(doc: Document): number {
  let longest = 0;
  const clips = lane(doc);
  for (const a of clips)
    for (const b of clips) {
      if (a.id >= b.id || playedId(a) !== playedId(b)) continue;
      const apart = Math.max(a.start, b.start) - Math.min(clipEnd(a), clipEnd(b));
      if (apart > 2 * RATE) continue;
      longest = Math.max(longest, Math.min(a.offset + a.length, b.offset + b.length) - Math.max(a.offset, b.offset));
    }
  return longest;
}

describe("fill with room", () => {
  it.each([0.05, 0.4, 1.7, 4.5])("fills gaps of %d s with blends between all of it, at the level of the pauses, words as they were", (seconds) => {
    const doc = piece(said(Math.round(seconds * RATE)));
    const before = lane(doc);
    const after = fill(doc);
    expect(emptyIn(after)).toEqual([]);
    const room = lane(after).filter((c) => c.name === "Room");
    expect(room.length).toBeGreaterThanOrEqual(2);
    expect(room.every((c) => c.blend !== null)).toBe(true);
    for (const c of before) {
      const now = after.clips.get(c.id) as Clip;
      expect([now.start, now.offset, now.length]).toEqual([c.start, c.offset, c.length]);
      // The word itself, to the bit: the blends lie in the room beside it.
      const [from, length] = [c.start + 2400, c.length - 4800];
      expect(play(after, from, length)).toEqual(play(doc, from, length));
    }
    for (let i = 1; i < before.length; i++) {
      const [a, b] = [clipEnd(before[i - 1]), before[i].start];
      const step = Math.min(b - a, 0.1 * RATE);
      for (let at = a; at + step <= b; at += step) {
        const level = 20 * Math.log10(rms(play(after, at, step)) / ROOM_RMS);
        expect(Math.abs(level), `level at ${at}`).toBeLessThan(1);
      }
    }
    expect(longestAgain(after)).toBeLessThan(0.05 * RATE);
  });

  it("leaves no gap and says nothing twice within two seconds, whatever the gap, the pauses and the blends; or is refused, naming what they hold", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 7 * RATE }),
        fc.integer({ min: 0.06 * RATE, max: 2.8 * RATE }),
        fc.integer({ min: 1, max: 4800 }),
        (gap, held, blendLength) => {
          const doc = piece(said(gap));
          try {
            const after = fill(doc, { passages: PASSAGES.map((p) => ({ ...p, to: p.from + held })), blendLength });
            expect(emptyIn(after)).toEqual([]);
            expect(longestAgain(after)).toBeLessThan(0.05 * RATE);
          } catch (error) {
            expect(error).toBeInstanceOf(EditError);
            expect((error as Error).message).toMatch(/The pauses hold .* of room; a gap of .* needs more/);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  it("does not blend into what is muted, and leaves a blend that is there", () => {
    const muted = said(RATE).map((c, i) => (i === 0 ? { ...c, mute: true } : c));
    const after = fill(piece(muted));
    expect(after.clips.get("c0")).toEqual(muted[0]);
    expect(emptyIn(after)).toEqual([]);
    expect(after.clips.get("c1")?.blend?.with).toBeDefined();
  });

  it("weaves a long gap quickly, and refuses one of more pieces than anyone means", () => {
    const doc = piece(said(RATE));
    const long = fill(doc, { start: 40 * RATE, end: 640 * RATE });
    expect(lane(long).filter((c) => c.name === "Room").length).toBeGreaterThan(200);
    const short = PASSAGES.flatMap((p) => Array.from({ length: 10 }, (_, i) => ({ ...p, from: p.from + i * 12_000, to: p.from + (i + 1) * 12_000 })));
    expect(() => fill(doc, { start: 40 * RATE, end: 4000 * RATE, passages: short })).toThrow(/would take more than 5000 pieces/);
  });

  it("brings passages to a level by their gain, and goes into a span where nothing else is", () => {
    const after = fill(piece(said(RATE)), { passages: PASSAGES.map((p) => ({ ...p, gain: -6 })), start: 20 * RATE, end: 21 * RATE });
    expect(20 * Math.log10(rms(play(after, 20 * RATE + 4800, RATE - 9600)) / ROOM_RMS)).toBeCloseTo(-6, 0);
  });

  it("refuses what is not there, in words", () => {
    const doc = piece(said(RATE));
    for (const [over, message] of [
      [{ passages: [] }, /quiet passage/],
      [{ passages: [{ sourceId: "none", from: 0, to: 10 }] }, /no recording "none"/],
      [{ passages: [{ sourceId: "voice", from: 0, to: LENGTH + 1 }] }, /a passage ends after it/],
      [{ passages: [{ sourceId: "voice", from: 0, to: 9, channels: [1] }] }, /no channel 1/],
      [{ start: 0, end: RATE }, /no gap/],
      [{ trackId: "t9" }, /track/],
    ] as const)
      expect(() => fill(doc, over), message.source).toThrow(message);
  });
});
