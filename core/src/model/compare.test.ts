import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyEdit, type Edit } from "../edit/registry";
import { documentOf, documents, plainClip } from "../testing/arbitraries";
import { compare, matchedTracks } from "./compare";
import type { Document } from "./document";

const after = (doc: Document, edit: Edit): Document => applyEdit(doc, { key: "silk", ...edit }).doc;
const base = documentOf(2, [
  plainClip({ id: "a", start: 0, length: 1000 }),
  plainClip({ id: "b", start: 2000, length: 1000, offset: 500 }),
  plainClip({ id: "c", trackId: "t1", sourceId: "stereo", start: 500, length: 3000 }),
]);
const told = (a: Document, b: Document) => compare(a, b).map((d) => [d.a?.id ?? null, d.b?.id ?? null, d.kinds.join(" ")]);

describe("comparing versions", () => {
  it("finds nothing between a version and itself, and the same both ways round", () => {
    fc.assert(
      fc.property(documents, documents, (one, other) => {
        expect(compare(one, one)).toEqual([]);
        const [there, back] = [compare(one, other), compare(other, one)];
        const pair = (x: unknown, y: unknown): string => JSON.stringify([x, y]);
        expect(back.map((d) => pair(d.b?.id, d.a?.id)).sort()).toEqual(there.map((d) => pair(d.a?.id, d.b?.id)).sort());
      }),
    );
  });
  it("tells what was moved, trimmed, changed, added and taken away, one clip perhaps in several", () => {
    expect(told(base, after(base, { type: "move", clipIds: ["b"], by: 300 }))).toEqual([["b", "b", "moved"]]);
    expect(told(base, after(base, { type: "move", clipIds: ["b"], by: 5000, tracks: 1 }))).toEqual([["b", "b", "moved"]]);
    expect(told(base, after(base, { type: "trim", clipIds: ["b"], edge: "start", by: 100 }))).toEqual([["b", "b", "trimmed"]]);
    expect(told(base, after(base, { type: "shift-inside", clipIds: ["b"], by: 100 }))).toEqual([["b", "b", "moved trimmed"]]);
    expect(told(base, after(base, { type: "set-gain", clipIds: ["a"], by: -3 }))).toEqual([["a", "a", "changed"]]);
    expect(told(base, after(base, { type: "delete", clipIds: ["a"] }))).toEqual([["a", null, "only-a"]]);
    expect(told(after(base, { type: "delete", clipIds: ["a"] }), base)).toEqual([[null, "a", "only-b"]]);
  });
  it("is quick for thousands of repeats of one window under other ids", () => {
    const many = (name: string, shift: number): Document =>
      documentOf(
        1,
        Array.from({ length: 4000 }, (_, i) => plainClip({ id: `${name}${i}`, start: shift + i * 500, length: 400, offset: (i % 2) * 400 })),
      );
    const found = compare(many("a", 0), many("b", 100));
    expect(found).toHaveLength(4000);
    expect(found.every((d) => d.kinds.includes("moved") && d.a && d.b && d.b.start - d.a.start === 100)).toBe(true);
  });
  it("knows a clip again whatever was done to it: stretched, turned round, treated", () => {
    const other = (edit: Edit): Document => {
      const doc = after(base, edit);
      // Under another id, as in a version that began blank.
      const clips = [...doc.clips.values()].map((c) => (c.id === "b" ? { ...c, id: "other" } : c));
      return documentOf(2, clips);
    };
    for (const edit of [
      { type: "reverse", clipIds: ["b"] },
      { type: "stretch", clipIds: ["b"], factor: 1.5, kind: "tape" },
      { type: "treat", clipIds: ["b"], chain: [{ kind: "invert", on: true }] },
    ] as Edit[])
      expect(told(base, other(edit))).toEqual([["b", "other", "changed"]]);
  });
  it("gives up at no number: thousands of one window, fewer of them there, each is its nearest one", () => {
    const many = (name: string, count: number, every: number): Document =>
      documentOf(
        1,
        Array.from({ length: count }, (_, i) => plainClip({ id: `${name}${i}`, name: "Loop", start: i * every, length: 400 })),
      );
    const found = compare(many("a", 3000, 500), many("b", 1000, 1500));
    // A third of them lie where one lies there, and are no difference.
    expect(found).toHaveLength(2000);
    expect(found.every((d) => d.kinds.join() === "only-a")).toBe(true);
  });
  it("matches clips of other ids by what they play, the most of it first, and tracks by name", () => {
    const other = documentOf(2, [
      plainClip({ id: "x", start: 40, length: 900 }),
      plainClip({ id: "y", start: 2000, length: 1000, offset: 500 }),
      plainClip({ id: "z", trackId: "t1", sourceId: "stereo", start: 500, length: 3000 }),
    ]);
    expect(told(base, other)).toEqual([
      ["a", "x", "moved trimmed changed"],
      ["b", "y", "changed"],
      ["c", "z", "changed"],
    ]);
    const added = after(after(base, { type: "remove-track", trackId: "t1" }), { type: "add-track", id: "new", name: "t1" });
    expect([...matchedTracks(base, added)]).toEqual([
      ["t0", "t0"],
      ["t1", "new"],
    ]);
  });
});
