import { describe, expect, it } from "vitest";
import { type Document, dataOf } from "../../model/document";
import { clipEnd } from "../../model/schema";
import { documentOf, plainClip } from "../../testing/arbitraries";
import { applyEdits, type Edit } from "../registry";
import { bundleClips, objectOf, withBundles } from "./members";

const run = (doc: Document, ...edits: Edit[]) => applyEdits(doc, edits).doc;
const spans = (doc: Document, bundleId: string) =>
  bundleClips(doc, bundleId)
    .map((c) => [c.trackId, c.start, clipEnd(c)])
    .sort((a, b) => (a[1] as number) - (b[1] as number));
const clips = () =>
  documentOf(3, [
    plainClip({ id: "a", start: 0, length: 100, offset: 500 }),
    plainClip({ id: "b", start: 200, length: 100, offset: 900 }),
    plainClip({ id: "x", trackId: "t1", start: 50, length: 100 }),
  ]);
const bundled = () => run(clips(), { type: "bundle", clipIds: ["a", "b", "x"], name: "Pack", key: "pack" });

describe("a bundle", () => {
  it("is one object outside and its clips inside; released, they are on their own", () => {
    const doc = bundled();
    expect([...withBundles(doc, ["a"], null)].sort()).toEqual(["a", "b", "x"]);
    expect([...withBundles(doc, ["a"], "pack.1")]).toEqual(["a"]);
    expect(dataOf(run(doc, { type: "release", bundleId: "pack.1" }))).toEqual(dataOf(clips()));
  });
  it("moves its anchor with its clips, and is gone with the last of them", () => {
    const moved = run(bundled(), { type: "move", clipIds: ["a", "b", "x"], by: 70, tracks: 1 });
    expect(moved.bundles.get("pack.1")).toMatchObject({ start: 70, trackId: "t1" });
    expect(run(bundled(), { type: "delete", clipIds: ["a", "b", "x"] }).bundles.size).toBe(0);
  });
  it("nests, and comes apart one level at a time", () => {
    const nested = run(clips(), { type: "bundle", clipIds: ["a", "b"], key: "inner" }, { type: "bundle", clipIds: ["a", "b", "x"], key: "outer" });
    expect(nested.bundles.get("inner.1")?.parent).toBe("outer.1");
    expect(objectOf(nested, nested.clips.get("a") as never, null)?.id).toBe("outer.1");
    expect(objectOf(nested, nested.clips.get("a") as never, "outer.1")?.id).toBe("inner.1");
    const half = run(nested, { type: "release", bundleId: "outer.1" });
    expect([half.clips.get("a")?.bundle, half.clips.get("x")?.bundle]).toEqual(["inner.1", null]);
    expect(() => run(nested, { type: "bundle", clipIds: ["a", "x"] })).toThrow(/Only a part/);
  });
  it("is divided where it is split as a whole", () => {
    const cut = run(bundled(), { type: "split", clipIds: ["a", "x"], at: 75, key: "half" });
    expect(cut.bundles.size).toBe(2);
    const inside = run(bundled(), { type: "split", clipIds: ["a", "x"], at: 75, inside: "pack.1" });
    expect(inside.bundles.size).toBe(1);
    expect(bundleClips(inside, "pack.1")).toHaveLength(5);
  });
});

describe("linked copies of a bundle", () => {
  const twins = () => run(bundled(), { type: "copy", clipIds: ["a", "b", "x"], by: 1000, bundles: "linked", key: "twin" });
  it("follow each other, whichever is edited, each at its own place", () => {
    const doc = twins();
    expect(spans(doc, "twin.1")).toEqual([
      ["t0", 1000, 1100],
      ["t1", 1050, 1150],
      ["t0", 1200, 1300],
    ]);
    const there = run(doc, { type: "trim", clipIds: ["a"], edge: "end", by: -40, inside: "pack.1" });
    expect(spans(there, "twin.1")[0]).toEqual(["t0", 1000, 1060]);
    const back = run(there, { type: "split", clipIds: ["twin.1~b"], at: 1250, inside: "twin.1" }, { type: "delete", clipIds: ["twin.1~x"] });
    expect(spans(back, "pack.1")).toEqual([
      ["t0", 0, 60],
      ["t0", 200, 250],
      ["t0", 250, 300],
    ]);
  });
  it("move alone, and can be made independent", () => {
    const moved = run(twins(), { type: "move", clipIds: bundleClips(twins(), "twin.1").map((c) => c.id), by: 500 });
    expect(spans(moved, "pack.1")[0]).toEqual(["t0", 0, 100]);
    const free = run(moved, { type: "set-bundle", bundleId: "twin.1", independent: true }, { type: "delete", clipIds: ["a"] });
    expect([bundleClips(free, "pack.1").length, bundleClips(free, "twin.1").length]).toEqual([2, 3]);
  });
  it("go their own ways when one edit changes both differently", () => {
    const doc = run(twins(), { type: "delete-range", start: 250, end: 1020, trackIds: ["t0"] });
    expect([...doc.bundles.values()].every((b) => b.pattern === null)).toBe(true);
  });
  it("without being linked are independent from the start", () => {
    const doc = run(bundled(), { type: "copy", clipIds: ["a", "b", "x"], by: 1000, key: "copy" }, { type: "delete", clipIds: ["a"] });
    expect(bundleClips(doc, "copy.1")).toHaveLength(3);
  });
});
