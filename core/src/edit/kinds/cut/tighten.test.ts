import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Document, documentFrom, NEW_PIECE, timebaseOf } from "../../../model/document";
import { playedPlace } from "../../../model/recipe/played-recording";
import { type Clip, clipEnd } from "../../../model/schema";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { noise, plainClip, plainTrack, RATE } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit } from "../../registry";
import { offsetsOf, tightened } from "../../remaking/tightening";

/** At 120 a quarter note is 24,000 samples, a sixteenth 6,000: hits near the sixteenths, early and late. */
const OFF = [0, 700, -500, 300, -900, 1200, 40, -40, 2000, -650, 0, 810];
const HITS = OFF.map((off, i) => 12_000 + 6000 * i + off);
const LENGTH = 120_000;
const SOUND = noise(LENGTH, 9);

function piece(tracks: readonly string[], clips: readonly Clip[], link: string | null = null): Document {
  return documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, trackOrder: [...tracks] },
      tracks: tracks.map((id) => ({ ...plainTrack(id), link })),
      clips: [...clips],
      markers: [],
      sections: [],
    },
    new Map([["loom", { id: "loom", name: "Loom", length: LENGTH, channels: 1, hits: HITS }]]),
  );
}
const loom = (over: Partial<Clip> & Pick<Clip, "id">): Clip => plainClip({ sourceId: "loom", start: 6000, offset: 6000, length: 90_000, ...over });
const play = (doc: Document): Float32Array => {
  const [left, right] = [new Float32Array(LENGTH), new Float32Array(LENGTH)];
  new Renderer(doc, new MemoryReader(new Map([["loom", [SOUND]]]))).render(0, LENGTH, left, right);
  return left;
};
const lane = (doc: Document, id = "t0"): readonly Clip[] => doc.lanes.get(id)?.clips ?? [];
const grid = { kind: "note", division: 16 };
const run = (doc: Document, how: object = {}) => applyEdit(doc, { type: "tighten", clipIds: ["c0"], grid, lead: 192, key: "tight", ...how }).doc;
/** Where a sample of the recording is played on a track; undefined where it is not. */
const heardAt = (doc: Document, sample: number, id = "t0"): number | undefined => {
  const clip = lane(doc, id).find((c) => sample >= c.offset + (c.blend ? c.fadeIn.length : 0) && sample < c.offset + c.length);
  return clip && clip.start + sample - clip.offset;
};

describe("tightening by cutting", () => {
  const doc = piece(["t0"], [loom({ id: "c0" })]);
  const inClip = HITS.filter((h) => h >= 6000 && h < 96_000);
  it("puts each hit where the formula says, to the sample", () => {
    for (const [strength, leave, reach] of [
      [1, 0, 100_000],
      [0.8, 240, 1500],
      [0.33, 50, 900],
    ]) {
      const after = run(doc, { strength, leave, reach });
      for (const h of inClip) {
        const line = 6000 * Math.round(h / 6000);
        const distance = Math.abs(line - h);
        const to = distance <= reach && distance > leave ? Math.round(h + strength * (line - h)) : h;
        expect(heardAt(after, h), `hit at ${h}`).toBe(to);
      }
    }
  });
  it("leaves no hole where the recording can fill it, no raw edge but before an attack, and the clip's own edges where they were", () => {
    const after = run(doc, { blendLength: 96 });
    const clips = lane(after);
    let gaps = 0;
    expect([clips[0].start, clipEnd(clips[clips.length - 1])]).toEqual([6000, 96_000]);
    clips.slice(1).forEach((c, i) => {
      const before = clips[i];
      if (clipEnd(before) === c.start) return;
      if (c.blend) return expect(c.blend.splice).toBe(clipEnd(before));
      // A gap is left only where the piece before was pulled out as near to the attack that follows in its recording as it may: a millisecond.
      gaps++;
      const end = before.offset + before.length;
      expect((HITS.find((h) => h >= end) as number) - end).toBe(RATE / 1000);
      expect(before.fadeOut.length).toBeGreaterThan(0);
    });
    expect(gaps).toBeGreaterThan(0);
  });
  it("plays the recording's own samples from a cut to 40 ms after its attack, or to the next cut", () => {
    const after = run(doc, { blendLength: 500 });
    const out = play(after);
    const own = Math.ceil(0.04 * RATE);
    for (const h of inClip) {
      const at = heardAt(after, h) as number;
      const next = inClip.find((x) => x > h);
      const end = Math.min(h + own, next === undefined ? 96_000 : next - 192);
      for (let s = Math.max(h - 192, 6001); s < end - Math.max(0, h - at); s += 3)
        expect(out[at + s - h], `${s - h} after the hit at ${h}`).toBe(SOUND[s]);
    }
  });
  it("never lets an attack be heard twice: no piece is pulled out over the one that follows in its recording", () => {
    const after = run(doc, { strength: 1 });
    for (const clip of lane(after)) {
      const full = [clip.offset + (clip.blend ? clip.fadeIn.length : clip.fadeIn.length), clip.offset + clip.length];
      for (const other of lane(after)) {
        if (other === clip) continue;
        for (const h of inClip) {
          const twice = h >= full[0] && h < full[1] && h >= other.offset + other.fadeIn.length && h < other.offset + other.length;
          expect(twice).toBe(false);
        }
      }
    }
  });
  it("cuts and moves what is linked alike", () => {
    const linked = piece(["t0", "t1"], [loom({ id: "c0" }), loom({ id: "d0", trackId: "t1", gain: -6 })], "looms");
    const after = run(linked, { strength: 0.8 });
    const places = (id: string) => lane(after, id).map((c) => [c.start, c.length, c.offset]);
    expect(places("t1")).toEqual(places("t0"));
    expect(lane(applyEdit(linked, { type: "tighten", clipIds: ["c0"], grid, links: false, key: "tight" }).doc, "t1")).toHaveLength(1);
  });
  it("is refused in words where there is nothing to do", () => {
    expect(() => run(doc, { reach: 1, leave: 5 })).toThrow(/stays where it is/);
    expect(() => run(piece(["t0"], [loom({ id: "c0", offset: 100_000, length: 1000 })]))).toThrow(/no hits/);
    expect(() => run(doc, { swing: 3 })).toThrow(EditError);
    expect(() => run(doc, { grid: { kind: "note", division: 3 } })).toThrow(EditError);
  });
});

describe("where hits go", () => {
  const base = timebaseOf(piece(["t0"], []));
  const how = { step: { kind: "note", division: 16, feel: "straight" } as const, swing: 0, strength: 1, reach: 1e9, leave: 0 };
  it("keeps their order, moves at most one to a line, and none but by a part of its way", () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 200_000 }), { minLength: 1, maxLength: 40 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (list, strength, swing) => {
          const hits = [...list].sort((a, b) => a - b);
          const plan = tightened(hits, base, { ...how, strength, swing });
          plan.forEach((h, i) => {
            if (i > 0) expect(h.to).toBeGreaterThan(plan[i - 1].to);
            expect(Math.abs(h.to - h.at)).toBeLessThanOrEqual(Math.abs(h.line - h.at) * strength + 1);
          });
          const lines = plan.filter((h) => h.to !== h.at).map((h) => h.line);
          expect(new Set(lines).size).toBe(lines.length);
          if (strength === 1) expect(offsetsOf(plan, "after").spread).toBeLessThanOrEqual(offsetsOf(plan, "before").spread + 1);
        },
      ),
    );
  });
  it("swings every second line of a bar by half a step at most", () => {
    const at = (swing: number, hit: number) => tightened([hit], base, { ...how, swing })[0].line;
    expect([at(0, 6100), at(0.5, 7400), at(1, 8900), at(1, 12_100)]).toEqual([6000, 7500, 9000, 12_000]);
    // Bars have sixteen of them: the first of the next bar is not swung.
    expect(at(1, 96_050)).toBe(96_000);
    expect(at(1, 104_900)).toBe(105_000);
  });
});

describe("tightening by stretching", () => {
  const doc = piece(["t0"], [loom({ id: "c0" })]);
  const inClip = HITS.filter((h) => h > 6000 && h < 96_000);
  it("puts each hit where cutting would, without a cut, and leaves the clip's edges where they were", () => {
    for (const strength of [1, 0.6]) {
      const after = run(doc, { strength, how: "stretching" });
      const [clip] = lane(after);
      expect(lane(after)).toHaveLength(1);
      expect([clip.start, clip.length, clip.recipe?.warp?.kind]).toEqual([6000, 90_000, "hits"]);
      const plan = tightened(inClip, timebaseOf(doc), {
        step: { kind: "note", division: 16, feel: "straight" },
        strength,
        swing: 0,
        reach: 1e9,
        leave: 0,
      });
      for (const { at, to } of plan) expect(clip.start + playedPlace({ length: LENGTH }, clip, at) - clip.offset).toBe(to);
    }
  });
  it("moves linked tracks by the same samples", () => {
    const linked = piece(["t0", "t1"], [loom({ id: "c0" }), loom({ id: "c1", trackId: "t1", offset: 9000, length: 90_000 })], "looms");
    const after = run(linked, { how: "stretching" });
    const [a, b] = [lane(after)[0], lane(after, "t1")[0]];
    for (const h of inClip.filter((x) => x < 90_000)) {
      const place = playedPlace({ length: LENGTH }, a, h) - a.offset;
      expect(playedPlace({ length: LENGTH }, b, h + 3000) - b.offset).toBe(place);
    }
  });
});
