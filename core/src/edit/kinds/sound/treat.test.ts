import { describe, expect, it } from "vitest";
import type { Document } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { madeLength, playedId } from "../../../model/recipe/played-recording";
import { type Clip, clipEnd } from "../../../model/schema";
import { unbroken } from "../../../seam/continuity";
import { documentOf, plainClip } from "../../../testing/arbitraries";
import { applyEdit, applyEdits, type Edit } from "../../registry";

const run = (doc: Document, ...edits: Edit[]): Document => applyEdits(doc, edits).doc;

const after = (doc: Document, edit: Edit): Document => {
  const next = applyEdit(doc, { key: "silk", ...edit }).doc;
  expect(problems(next)).toEqual([]);
  return next;
};
const clipOf = (doc: Document, id = "a"): Clip => doc.clips.get(id) as Clip;
const lone = (over: Partial<Clip> = {}): Document => documentOf(1, [plainClip({ id: "a", start: 2000, offset: 1000, length: 3000, ...over })]);
const cut: Edit["chain"] = [{ kind: "lowCut", hz: 120 }];
const ringing = [{ kind: "echo", time: 20, feedback: 0.1 }];

describe("treatments", () => {
  it("are laid on the clip's window, by default values where none are given, and taken off again", () => {
    const doc = after(lone(), { type: "treat", clipIds: ["a"], chain: cut });
    expect(clipOf(doc)).toMatchObject({
      start: 2000,
      offset: 1000,
      length: 3000,
      recipe: { treat: { chain: [{ kind: "lowCut", on: true, hz: 120 }], window: { from: 1000, to: 4000 }, tail: 0 } },
    });
    expect(clipOf(after(doc, { type: "treat", clipIds: ["a"], chain: null }))).toEqual(clipOf(lone()));
  });
  it("join unbroken, laid on before a cut or after it; where an echo rings, pieces that are treated in one step are one window", () => {
    for (const chain of [cut, ringing]) {
      const before = after(after(lone(), { type: "treat", clipIds: ["a"], chain }), { type: "split", clipIds: ["a"], at: 3100 });
      const later = after(after(lone(), { type: "split", clipIds: ["a"], at: 3100 }), { type: "treat", clipIds: ["a", "silk.1"], chain });
      for (const doc of [before, later]) {
        const [one, two] = doc.lanes.get("t0")?.clips ?? [];
        expect(unbroken(one, two)).toBe(true);
        expect(playedId(one)).toBe(playedId(clipOf(before)));
      }
    }
  });
  it("are the same in whatever order a store gives their fields", () => {
    const clip = clipOf(after(lone(), { type: "treat", clipIds: ["a"], chain: [{ kind: "bell", hz: 900, db: 3, q: 2 }] }));
    const [p] = clip.recipe?.treat?.chain ?? [];
    const turned = Object.fromEntries(Object.entries(p).reverse());
    expect(playedId({ ...clip, recipe: { treat: { tail: 0, window: { to: 4000, from: 1000 }, chain: [turned as typeof p] } } })).toBe(playedId(clip));
  });
  it("let a clip grow by the tail of an echo, and take it back with the treatment", () => {
    const doc = after(lone(), { type: "treat", clipIds: ["a"], chain: ringing, grow: true });
    const { tail } = clipOf(doc).recipe?.treat ?? { tail: 0 };
    expect(tail).toBeGreaterThan(48 * 20);
    expect(clipEnd(clipOf(doc))).toBe(5000 + tail);
    expect(clipOf(after(doc, { type: "treat", clipIds: ["a"], chain: null }))).toEqual(clipOf(lone()));
    const turned = after(doc, { type: "reverse", clipIds: ["a"] });
    expect(clipOf(turned).recipe).toMatchObject({ turned: true });
    expect(clipOf(after(turned, { type: "reverse", clipIds: ["a"] }))).toEqual(clipOf(doc));
  });
  it("stay on their sound when time changes, and turn round with it", () => {
    const treated = after(lone(), { type: "treat", clipIds: ["a"], chain: cut });
    const stretched = after(treated, { type: "stretch", clipIds: ["a"], length: 6000 });
    expect(clipOf(stretched)).toMatchObject({ offset: 2000, length: 6000, recipe: { treat: { window: { from: 2000, to: 8000 } } } });
    expect(clipOf(after(stretched, { type: "as-recorded", clipIds: ["a"] }))).toEqual(clipOf(treated));
    const turned = after(treated, { type: "reverse", clipIds: ["a"] });
    const bare = after(turned, { type: "treat", clipIds: ["a"], chain: null });
    expect(clipOf(bare)).toEqual(clipOf(after(lone(), { type: "reverse", clipIds: ["a"] })));
  });
  it("on a range cut clips at its edges only", () => {
    const doc = documentOf(1, [plainClip({ id: "a", length: 2000 }), plainClip({ id: "b", start: 2000, offset: 3000, length: 2000 })]);
    const next = after(doc, { type: "treat-range", start: 1000, end: 3000, trackIds: ["t0"], chain: [{ kind: "invert" }] });
    expect(next.lanes.get("t0")?.clips.map((c) => [c.start, c.recipe?.treat !== undefined])).toEqual([
      [0, false],
      [1000, true],
      [2000, true],
      [3000, false],
    ]);
  });
  it("are refused in words: an empty chain, a value out of range, nothing to take off", () => {
    expect(() => after(lone(), { type: "treat", clipIds: ["a"], chain: [] })).toThrow(/at least one processor/);
    expect(() => after(lone(), { type: "treat", clipIds: ["a"], chain: [{ kind: "lowCut", hz: 1 }] })).toThrow(/hz/);
    expect(() => after(lone(), { type: "treat", clipIds: ["a"], chain: null })).toThrow(/None of these clips/);
  });
});

describe("what is treated already", () => {
  const two = () => documentOf(1, [plainClip({ id: "a", length: 2000, offset: 500 })]);
  const chainOf = (doc: Document, id: string) => doc.clips.get(id)?.recipe?.treat?.chain.map((p) => p.kind);
  it("gets what is laid on a range behind its own processors, or instead of them", () => {
    const doc = run(two(), { type: "treat", clipIds: ["a"], chain: [{ kind: "gain", db: -12 }] });
    const range = { type: "treat-range", start: 500, end: 1500, trackIds: ["t0"], chain: [{ kind: "invert" }], key: "cut1" };
    const behind = run(doc, range);
    expect(["a", "cut1.1", "cut1.2"].map((id) => chainOf(behind, id))).toEqual([["gain"], ["gain", "invert"], ["gain"]]);
    expect(chainOf(run(doc, { ...range, how: "instead" }), "cut1.1")).toEqual(["invert"]);
    expect(chainOf(run(doc, { type: "treat", clipIds: ["a"], chain: [{ kind: "invert" }], how: "behind" }), "a")).toEqual(["gain", "invert"]);
  });
  it("and turned round plays the same moments whatever its tail becomes", () => {
    const echo = (time: number) => [{ kind: "echo", time, feedback: 0.5 }];
    const doc = run(two(), { type: "treat", clipIds: ["a"], chain: echo(2) }, { type: "reverse", clipIds: ["a"] });
    const forwards = (d: Document) => {
      const clip = d.clips.get("a") as Clip;
      const whole = madeLength(6000, clip.recipe);
      return [whole - clip.offset - clip.length, whole - clip.offset];
    };
    expect(forwards(doc)).toEqual([500, 2500]);
    const longer = run(doc, { type: "treat", clipIds: ["a"], chain: echo(200) });
    expect(forwards(longer)).toEqual([500, 2500]);
    expect(forwards(run(longer, { type: "treat", clipIds: ["a"], chain: echo(2) }))).toEqual([500, 2500]);
    const back = run(longer, { type: "reverse", clipIds: ["a"] });
    expect(back.clips.get("a")).toMatchObject({ offset: 500, length: 2000 });
  });
  it("does not grow over the clip that it blends into, and says so", () => {
    const doc = run(
      documentOf(1, [plainClip({ id: "a", length: 2000, offset: 500 }), plainClip({ id: "b", start: 2000, length: 2000, offset: 1000 })]),
      {
        type: "set-blend",
        clipId: "b",
        length: 400,
      },
    );
    const out = applyEdits(doc, [{ type: "treat", clipIds: ["a"], chain: [{ kind: "echo", time: 20, feedback: 0 }], grow: true }]);
    expect(out.doc.clips.get("b")?.fadeIn.length).toBe(400);
    expect(out.notes).toEqual([expect.stringMatching(/blends into the next one/)]);
  });
});
