import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { ownWindow, playedId, playedPlace, playedSource } from "../../../model/recipe/played-recording";
import { type Clip, clipEnd } from "../../../model/schema";
import { unbroken } from "../../../seam/continuity";
import { documentOf, plainClip, SOURCES } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdit, type Edit } from "../../registry";

const lone = (over: Partial<Clip> = {}): Document => documentOf(2, [plainClip({ id: "a", start: 2000, offset: 1000, length: 3000, ...over })]);
const after = (doc: Document, edit: Edit): Document => applyEdit(doc, { key: "silk", ...edit }).doc;
const clipOf = (doc: Document, id = "a"): Clip => doc.clips.get(id) as Clip;

describe("stretching", () => {
  it("makes a clip exactly as long as was asked, its start where it was, and its recording's moments in it", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 400, max: 20_000 }),
        fc.integer({ min: 0, max: 3000 }),
        fc.integer({ min: 1, max: 3000 }),
        (length, offset, had) => {
          if (length > 8 * had || had > 8 * length) return;
          const clip = clipOf(after(lone({ offset, length: had }), { type: "stretch", clipIds: ["a"], length }));
          expect([clip.start, clip.length]).toEqual([2000, length]);
          if (length === had) expect(clip.recipe).toBeUndefined();
          else expect((clip.recipe?.stretch?.from ?? 0) * length).toBe((clip.recipe?.stretch?.to ?? 0) * had);
          expect(clip.offset).toBe(Math.floor((offset * length) / had + 0.5));
          const made = playedSource(SOURCES, clip);
          expect(made?.length).toBe(Math.floor((6000 * length) / had + 0.5));
          const window = ownWindow({ length: 6000 }, clip);
          if (length >= had) expect(window).toEqual({ from: offset, to: offset + had });
          // Shorter, an edge can't say more than its own sample does.
          else expect(Math.abs(window.from - offset)).toBeLessThanOrEqual(had / length);
        },
      ),
    );
  });
  it("is taken off again: the same window of the recording, wherever it made it longer", () => {
    fc.assert(
      fc.property(fc.integer({ min: 3001, max: 24_000 }), fc.constantFrom("smooth", "hits", "tape"), fc.boolean(), (length, kind, reverse) => {
        const before = reverse ? after(lone(), { type: "reverse", clipIds: ["a"] }) : lone();
        const doc = after(before, { type: "stretch", clipIds: ["a"], length, kind });
        expect(clipOf(after(doc, { type: "as-recorded", clipIds: ["a"] }))).toEqual(clipOf(before));
        expect(clipOf(after(doc, { type: "stretch", clipIds: ["a"], factor: 1 }))).toEqual(clipOf(before));
      }),
    );
  });
  it("says the same in the same way: two ways to one ratio play the same recording", () => {
    const [a, b] = [
      clipOf(after(lone(), { type: "stretch", clipIds: ["a"], length: 4500 })),
      clipOf(after(lone(), { type: "stretch", clipIds: ["a"], ratio: { from: 200, to: 300 } })),
    ];
    expect(playedId(a)).toBe(playedId(b));
    expect(playedId(clipOf(after(lone(), { type: "stretch", clipIds: ["a"], factor: 1.5 })))).toBe(playedId(a));
    expect(playedId(clipOf(after(lone(), { type: "stretch", clipIds: ["a"], factor: 1.5, kind: "tape" })))).not.toBe(playedId(a));
  });
  it("joins neighbours unbroken that were cut before or after", () => {
    const cut = (doc: Document): Document => after(doc, { type: "split", clipIds: ["a"], at: 3100 });
    const before = after(cut(lone()), { type: "stretch", clipIds: ["a", "silk.1"], factor: 1.7, neighbours: "ripple" });
    const [one, two] = before.lanes.get("t0")?.clips ?? [];
    expect(unbroken(one, two)).toBe(true);
    expect(one.length + two.length).toBe(clipOf(after(lone(), { type: "stretch", clipIds: ["a"], factor: 1.7 })).length);
  });
  it("moves the edge that is asked for, and what is later where neighbours ripple", () => {
    const doc = documentOf(1, [plainClip({ id: "a", start: 4000, length: 1000 }), plainClip({ id: "b", start: 6000, length: 500 })]);
    expect(clipOf(after(doc, { type: "stretch", clipIds: ["a"], length: 1500, edge: "start" }))).toMatchObject({ start: 3500, length: 1500 });
    const rippled = after(doc, { type: "stretch", clipIds: ["a"], length: 1500, neighbours: "ripple" });
    expect([clipOf(rippled).start, clipOf(rippled, "b").start]).toEqual([4000, 6500]);
    expect(clipOf(after(doc, { type: "stretch", clipIds: ["a"], length: 3000, overlap: "cover" }), "b")).toBeUndefined();
  });
  it("stretches linked clips in step", () => {
    let doc = documentOf(2, [
      plainClip({ id: "a", start: 1000, length: 2000 }),
      plainClip({ id: "b", trackId: "t1", sourceId: "stereo", start: 1000, length: 2000, offset: 100 }),
    ]);
    doc = after(doc, { type: "set-track", trackIds: ["t0", "t1"], link: "looms" });
    const next = after(doc, { type: "stretch", clipIds: ["a"], length: 3000, kind: "hits" });
    expect(clipOf(next, "b")).toMatchObject({ start: 1000, length: 3000, offset: 150, recipe: { stretch: { kind: "hits", from: 2, to: 3 } } });
    expect(clipOf(after(doc, { type: "stretch", clipIds: ["a"], length: 3000, links: false }), "b").recipe).toBeUndefined();
  });
  it("refuses what lies beyond eight times, in words", () => {
    expect(() => after(lone(), { type: "stretch", clipIds: ["a"], length: 24_001 })).toThrow(/at most 8 times/);
    expect(() => after(lone(), { type: "stretch", clipIds: ["a"], length: 374 })).toThrow(EditError);
    expect(() => after(lone(), { type: "stretch", clipIds: ["a"] })).toThrow(/kind/);
    expect(() => after(lone(), { type: "as-recorded", clipIds: ["a"] })).toThrow(/as they were/);
  });
});

describe("pitch", () => {
  it("keeps length and place, is added to a stretch, and is taken off by 0", () => {
    const doc = after(lone(), { type: "set-pitch", clipIds: ["a"], cents: -200 });
    expect(clipOf(doc)).toMatchObject({ start: 2000, length: 3000, offset: 1000, recipe: { pitch: -200 } });
    const both = after(doc, { type: "stretch", clipIds: ["a"], length: 6000, kind: "hits" });
    expect(clipOf(both).recipe).toEqual({ stretch: { kind: "hits", from: 1, to: 2 }, pitch: -200 });
    expect(clipOf(after(both, { type: "set-pitch", clipIds: ["a"], cents: 0 })).recipe).toEqual({ stretch: { kind: "hits", from: 1, to: 2 } });
    expect(clipOf(after(doc, { type: "set-pitch", clipIds: ["a"], cents: 0 }))).toEqual(clipOf(lone()));
  });
});

describe("warping", () => {
  const points = [
    { from: 1500, to: 500 },
    { from: 2500, to: 1900 },
    { from: 3500, to: 2500 },
  ];
  it("puts moments of the recording where they are tied; outside the points nothing is stretched", () => {
    const clip = clipOf(after(lone(), { type: "warp", clipIds: ["a"], points }));
    for (const p of points) expect(playedPlace({ length: 6000 }, clip, p.from) - clip.offset).toBe(p.to);
    expect([clip.start, clip.offset, clip.length]).toEqual([2000, 1000, 3000]);
    expect(playedPlace({ length: 6000 }, clip, 1200) - clip.offset).toBe(200);
    expect(playedPlace({ length: 6000 }, clip, 3900) - clip.offset).toBe(2900);
  });
  it("does so backwards too, and going there and back is nothing", () => {
    const turned = after(lone(), { type: "reverse", clipIds: ["a"] });
    const back = points.map((p) => ({ from: 5000 - p.from, to: p.to })).reverse();
    const clip = clipOf(after(turned, { type: "warp", clipIds: ["a"], points: back }));
    expect(clip).toMatchObject({ start: 2000, recipe: { reverse: true } });
    // Backwards an edge of the recording lies between samples: the sample before it is the one that comes after.
    for (const p of back) expect(playedPlace({ length: 6000 }, clip, p.from) - clip.offset).toBe(p.to - 1);
    expect(
      clipOf(after(after(turned, { type: "warp", clipIds: ["a"], points: back }), { type: "warp", clipIds: ["a"], points: null })),
    ).toMatchObject({
      start: 2000,
      recipe: { reverse: true },
    });
  });
  it("goes on in what is stretched: a warped clip keeps its points where they lie in it", () => {
    const warped = after(lone(), { type: "warp", clipIds: ["a"], points });
    const clip = clipOf(after(warped, { type: "stretch", clipIds: ["a"], length: 4500 }));
    expect(clip.length).toBe(4500);
    for (const p of points) expect(Math.abs(playedPlace({ length: 6000 }, clip, p.from) - clip.offset - p.to * 1.5)).toBeLessThanOrEqual(1);
    expect(problems(after(warped, { type: "stretch", clipIds: ["a"], length: 4500 }))).toEqual([]);
  });
  it("is done on linked tracks at the same places of the timeline", () => {
    let doc = documentOf(2, [
      plainClip({ id: "a", start: 2000, offset: 1000, length: 3000 }),
      plainClip({ id: "b", trackId: "t1", sourceId: "stereo", start: 2000, length: 3000, offset: 4000 }),
    ]);
    doc = after(doc, { type: "set-track", trackIds: ["t0", "t1"], link: "looms" });
    const next = after(doc, { type: "warp", clipIds: ["a"], points });
    const [a, b] = [clipOf(next), clipOf(next, "b")];
    for (const p of points) {
      expect(playedPlace({ length: 6000 }, a, p.from) - a.offset).toBe(p.to);
      expect(playedPlace({ length: 9000 }, b, p.from + 3000) - b.offset).toBe(p.to);
    }
  });
  it("refuses pieces beyond eight times and points out of order", () => {
    const tie = (a: number, b: number) => [
      { from: 1000, to: 0 },
      { from: a, to: b },
    ];
    expect(() => after(lone(), { type: "warp", clipIds: ["a"], points: tie(1100, 1000) })).toThrow(/8 times/);
    expect(() => after(lone(), { type: "warp", clipIds: ["a"], points: tie(1100, -5) })).toThrow(/one after the other/);
    expect(() => after(lone(), { type: "warp", clipIds: ["a"], points: tie(7000, 6000) })).toThrow(/beyond the end/);
  });
});

describe("envelopes through a stretch", () => {
  it("stay with the sound they were drawn for, there and back", () => {
    const line = [
      { at: 1000, value: 0 },
      { at: 2000, value: -12 },
    ];
    const doc = after(lone(), { type: "set-envelope", clipIds: ["a"], points: line });
    const stretched = after(doc, { type: "stretch", clipIds: ["a"], length: 6000 });
    expect(clipOf(stretched).envelopes).toEqual({ gain: line });
    const drawn = after(stretched, { type: "set-envelope", clipIds: ["a"], points: line.map((p) => ({ ...p, at: 2 * p.at })) });
    expect(clipOf(drawn).envelopes).toEqual({ gain: line });
    expect(clipOf(after(stretched, { type: "as-recorded", clipIds: ["a"] }))).toEqual(clipOf(doc));
  });
  it("are heard at the stretched places", () => {
    const doc = after(lone(), { type: "stretch", clipIds: ["a"], length: 6000 });
    const clip = clipOf(doc);
    expect(clipEnd(clip)).toBe(8000);
    expect(playedPlace({ length: 6000 }, clip, 1500)).toBe(3000);
  });
});
