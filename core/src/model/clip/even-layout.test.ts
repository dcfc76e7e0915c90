import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { documents } from "../../testing/arbitraries";
import { Clip, JUST_LAID } from "../schema";
import { evenClip } from "./even-layout";

const full: Required<Clip> = {
  id: "c",
  trackId: "t",
  sourceId: "s",
  start: 1,
  length: 100,
  offset: 2,
  name: "Bell",
  color: "woad",
  gain: -3,
  pan: 0.5,
  bundle: "b",
  ...JUST_LAID,
  channels: [0],
  bars: { bar: 1, beat: 2, tick: 3 },
  envelopes: { gain: [{ at: 4, value: -6 }] },
  recipe: { reverse: true },
  conform: { bpm: 90, first: 0 },
  hits: { sensitivity: 0.2 },
  take: "lane",
};

describe("a clip put down evenly", () => {
  it("has every field that a clip may have", () => {
    expect(Object.keys(full).sort()).toEqual(Object.keys(Clip.shape).sort());
    expect(evenClip(full)).toEqual(full);
    expect(Clip.parse(evenClip(full))).toEqual(Clip.parse(full));
  });

  it("has none that it did not have", () => {
    fc.assert(
      fc.property(documents, (doc) => {
        for (const clip of doc.clips.values()) expect(evenClip(clip)).toStrictEqual(clip);
      }),
    );
    expect(evenClip(full, { take: undefined, start: 7 })).toStrictEqual({ ...evenClip(full, { take: undefined }), start: 7 });
    const { take: _, ...plain } = full;
    expect("take" in evenClip({ ...plain, take: undefined })).toBe(false);
  });
});
