import { describe, expect, it } from "vitest";
import { type Document, dataOf } from "../../../model/document";
import { clipEnd } from "../../../model/schema";
import { documentOf, plainClip } from "../../../testing/arbitraries";
import { bundleClips, objectOf, withBundles } from "../../bundles/members";
import { applyEdits, type Edit } from "../../registry";

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

describe("linked copies under what happens from outside", () => {
  const pair = () =>
    documentOf(2, [plainClip({ id: "a", length: 1000, offset: 500 }), plainClip({ id: "b", start: 1000, length: 1000, offset: 3000 })]);
  const linked = (...more: Parameters<typeof plainClip>[0][]): Document =>
    run(
      documentOf(2, [...pair().clips.values(), ...more.map(plainClip)]),
      { type: "bundle", id: "one", clipIds: ["a", "b"], name: "Pack" },
      { type: "copy", clipIds: ["a", "b"], by: 3000, bundles: "linked", key: "copy" },
    );
  const lengths = (doc: Document, id: string) => spans(doc, id).map(([, from, to]) => (to as number) - (from as number));
  const [copy] = [...linked().bundles.keys()].filter((id) => id !== "one");

  it("do not write a cut into their original: the one that was cut follows no more, with a word", () => {
    for (const overlap of ["cover", "blend"]) {
      const doc = linked({ id: "x", trackId: "t1", start: 3200, length: 3000 });
      const out = applyEdits(doc, [{ type: "move", clipIds: ["x"], by: 0, trackId: "t0", overlap }]);
      expect(lengths(out.doc, "one")).toEqual([1000, 1000]);
      expect(out.doc.bundles.get(copy)?.pattern).toBeNull();
      expect(out.notes).toEqual([expect.stringMatching(/^Pack follows its copies no more/)]);
      const [first] = bundleClips(out.doc, copy);
      const inside = run(out.doc, { type: "set-gain", clipIds: [first.id], gain: -6 });
      expect(bundleClips(inside, "one").map((c) => c.gain)).toEqual([0, 0]);
    }
  });
  it("that land on something are their own at once", () => {
    const doc = run(documentOf(1, [...pair().clips.values(), plainClip({ id: "x", start: 2500, length: 2000 })]), {
      type: "bundle",
      id: "one",
      clipIds: ["a", "b"],
    });
    const out = applyEdits(doc, [{ type: "copy", clipIds: ["a", "b"], by: 3000, bundles: "linked", overlap: "blend", key: "copy" }]);
    const made = [...out.doc.bundles.keys()].find((id) => id !== "one") as string;
    expect(out.doc.bundles.get(made)?.pattern).toBeNull();
    expect(lengths(out.doc, "one")).toEqual([1000, 1000]);
  });
  it("still follow where the same happened to all of them, and what is done inside", () => {
    const slower = run(linked(), { type: "set-time", tempo: [{ tick: 0, bpm: 60 }], keep: "bars" });
    expect(slower.bundles.get(copy)?.pattern).toBe("one");
    expect(spans(slower, copy).map(([, from]) => (from as number) - 6000)).toEqual(spans(slower, "one").map(([, from]) => from));
    const trimmed = run(slower, { type: "trim", clipIds: ["a"], edge: "end", by: -300 });
    expect(lengths(trimmed, copy)).toEqual([700, 1000]);
    const faded = run(linked(), { type: "set-fade", clipIds: ["a"], edge: "in", length: 50, edgeFade: { length: 192 } });
    expect(
      bundleClips(faded, copy)
        .map((c) => c.fadeIn.length)
        .sort(),
    ).toEqual([0, 50]);
  });
  it("keep a blend with what lies beside them: they are their own", () => {
    const doc = linked({ id: "x", start: 5000, length: 1000, offset: 2000 });
    const [, last] = bundleClips(doc, copy).sort((p, q) => p.start - q.start);
    const out = applyEdits(doc, [{ type: "set-blend", clipId: "x", with: last.id, length: 200 }]);
    expect(out.doc.bundles.get(copy)?.pattern).toBeNull();
    const other = run(out.doc, { type: "set-fade", clipIds: ["b"], edge: "out", length: 0 }, { type: "set-gain", clipIds: ["b"], gain: -3 });
    expect(other.clips.get("x")?.blend?.with).toBe(last.id);
  });
  it("released and bundled again with their originals, copy every clip", () => {
    const all = [...linked().clips.values()].map((c) => c.id);
    const again = run(
      linked(),
      { type: "release", bundleId: "one" },
      { type: "release", bundleId: copy },
      { type: "bundle", id: "four", clipIds: all },
      { type: "copy", clipIds: all, by: 20_000, bundles: "linked", key: "more" },
    );
    expect(again.clips.size).toBe(8);
    const edited = run(again, { type: "set-gain", clipIds: ["a"], gain: -6 });
    expect([...edited.clips.values()].filter((c) => c.gain === -6)).toHaveLength(2);
  });
  it("made of copies, over and over, have ids that can be kept", () => {
    let doc = linked();
    for (let i = 0; i < 12; i++) {
      const all = [...doc.clips.values()].slice(0, 4).map((c) => c.id);
      for (const b of [...doc.bundles.keys()]) doc = run(doc, { type: "release", bundleId: b });
      doc = run(
        doc,
        { type: "bundle", id: `b${i}`, clipIds: all },
        { type: "copy", clipIds: all, by: 10_000 * (i + 1), bundles: "linked", key: `copy${i}` },
      );
    }
    expect(Math.max(...[...doc.clips.values()].map((c) => c.id.length))).toBeLessThan(161);
  });
});

it("clips that come with one id are all pasted", () => {
  const held = { ...plainClip({ id: "h" }), length: 100 };
  const out = applyEdits(documentOf(1, []), [{ type: "paste", at: 0, clips: [held, { ...held, start: 500 }] }]);
  expect([out.doc.clips.size, out.name]).toEqual([2, "Paste 2 clips"]);
});
