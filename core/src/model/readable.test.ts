import { expect, it } from "vitest";
import { plainClip } from "../testing/arbitraries";
import { unreadable } from "./readable";
import { Clip, NO_FADE } from "./schema";

const clip: Clip = {
  ...plainClip({ id: "c", sourceId: "s", start: 1000, offset: 2, length: 100 }),
  blend: { with: "b", law: "auto", place: "centred", splice: 1004, linked: true },
};

it("tells of every field of a clip that could not be read back, in a clip that changed, in a copy and in a new one", () => {
  const moved = { ...clip, start: 7, offset: 3, length: 90, fadeIn: { ...NO_FADE, length: 5 }, blend: clip.blend && { ...clip.blend, splice: 9 } };
  expect(unreadable({ kind: "clip", id: "c", before: clip, after: moved })).toBeNull();
  expect(unreadable({ kind: "clip", id: "d", before: null, after: { ...moved, id: "d" } }, clip)).toBeNull();
  for (const key of Object.keys(Clip.shape)) {
    const after = { ...moved, [key]: [["no such thing"]] } as unknown as Clip;
    expect(unreadable({ kind: "clip", id: "c", before: clip, after }), key).not.toBeNull();
    expect(unreadable({ kind: "clip", id: "c", before: null, after }, clip), key).not.toBeNull();
    expect(unreadable({ kind: "clip", id: "c", before: null, after }), key).not.toBeNull();
  }
  // An id that is not the one it is kept under, or that is none.
  expect(unreadable({ kind: "clip", id: "d", before: clip, after: moved })).not.toBeNull();
  const long = "d".repeat(200);
  expect(unreadable({ kind: "clip", id: long, before: null, after: { ...moved, id: long } }, clip)).not.toBeNull();
});
