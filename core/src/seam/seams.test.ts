import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyEdit } from "../edit/registry";
import type { Document } from "../model/document";
import { clipEnd } from "../model/schema";
import { MemoryReader } from "../render/reader";
import { documentOf, documents, PCM, plainClip } from "../testing/arbitraries";
import { edited, edits } from "../testing/edits";
import { clickLevel, measureSeam, quietEdges } from "./measure";
import { allSeams, classify } from "./seams";

const reader = new MemoryReader(PCM);
const classes = (doc: Document) => allSeams(doc).map((s) => [s.position, classify(s, doc.sampleRate, quietEdges(doc, reader))]);

describe("seams", () => {
  it("are one for each edge point, unless a blend makes them one", () => {
    fc.assert(
      fc.property(documents, (doc) => {
        const edges = new Set([...doc.lanes].flatMap(([id, l]) => l.clips.flatMap((c) => [`${id} ${c.start}`, `${id} ${clipEnd(c)}`])));
        expect(new Set(allSeams(doc).map((s) => `${s.trackId} ${s.position}`))).toEqual(edges);
      }),
    );
  });
  it("are raw, smooth, blended or unbroken", () => {
    const doc = documentOf(1, [
      plainClip({ id: "c0", offset: 10 }),
      plainClip({
        id: "c1",
        start: 2000,
        offset: 50,
        length: 1000,
        fadeIn: { length: 48, shape: "s", bend: 0 },
        fadeOut: { length: 47, shape: "s", bend: 0 },
      }),
    ]);
    expect(classes(doc)).toEqual([
      [0, "raw"],
      [1000, "raw"],
      [2000, "smooth"],
      [3000, "raw"],
    ]);
    const cut = applyEdit(doc, { type: "split", clipIds: ["c0"], at: 400 }).doc;
    expect(classes(cut)[1]).toEqual([400, "unbroken"]);
    const louder = applyEdit(cut, { type: "set-gain", clipIds: ["c0"], gain: -1 }).doc;
    expect(classes(louder)[1]).toEqual([400, "raw"]);
    const joined = applyEdit(applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1000 }).doc, { type: "set-blend", clipId: "c1", length: 60 });
    expect(classes(joined.doc)).toEqual([
      [0, "raw"],
      [1000, "blended"],
      [2000, "raw"],
    ]);
  });
  it("are known by names of which no two are alike, whatever is edited", () => {
    fc.assert(
      fc.property(documents, fc.array(edits, { minLength: 1, maxLength: 8 }), (start, list) => {
        const ids = allSeams(edited(start, list)).map((s) => `${s.trackId} ${s.id}`);
        expect(ids.filter((id, i) => ids.indexOf(id) !== i)).toEqual([]);
      }),
      { numRuns: 400 },
    );
  });
  it("of what ends hidden just where a blend above it begins are hidden, not edges of the blend", () => {
    const fade = { length: 100, shape: "power" as const, bend: 0 };
    const doc = documentOf(1, [
      plainClip({ id: "beneath", length: 950 }),
      plainClip({ id: "over", start: 200, length: 850, layer: 1, offset: 7, fadeOut: fade }),
      plainClip({
        id: "next",
        start: 950,
        offset: 9,
        fadeIn: fade,
        blend: { with: "over", law: "gain", place: "centred", splice: 1000, linked: true },
      }),
    ]);
    expect(allSeams(doc).map((s) => [s.position, s.kind, s.left?.id, s.right?.id])).toEqual([
      [0, "open", undefined, "beneath"],
      [200, "open", "beneath", "over"],
      [950, "unbroken", "over", "over"],
      [1000, "blended", "over", "next"],
      [1950, "open", "next", undefined],
    ]);
  });
  it("are raw where a layer cuts off what lies beneath", () => {
    const doc = documentOf(1, [
      plainClip({ id: "c0", length: 3000 }),
      plainClip({ id: "c1", start: 1000, layer: 1, fadeIn: { length: 96, shape: "s", bend: 0 }, fadeOut: { length: 96, shape: "s", bend: 0 } }),
    ]);
    expect(classes(doc).map(([, c]) => c)).toEqual(["raw", "raw", "raw", "raw"]);
  });
  it("stay unbroken through every split, fades and all", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1999 }), (at) => {
        const doc = documentOf(1, [
          plainClip({ id: "c0", length: 2000, fadeIn: { length: 700, shape: "power", bend: 0.2 }, fadeOut: { length: 900, shape: "slow", bend: 0 } }),
        ]);
        const cut = applyEdit(doc, { type: "split", clipIds: ["c0"], at }).doc;
        expect(allSeams(cut)[1].kind).toBe("unbroken");
      }),
    );
  });
});

describe("a quiet edge", () => {
  it("is not known before its recording is, and is not taken for known afterwards", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", offset: 10 })]);
    const [clip] = doc.clips.values();
    const memory = new Map<string, boolean>();
    expect(quietEdges({ ...doc, sources: new Map() }, reader, memory)(clip, "start", clip.start)).toBeUndefined();
    expect(quietEdges(doc, reader, memory)(clip, "start", clip.start)).toBe(false);
  });
});

describe("the click measure", () => {
  const tone = (phase: number) => Float64Array.from({ length: 2400 }, (_, i) => 0.3 * Math.sin(0.03 * i + phase));
  it("hears a jump between tones, at its level, and none where a tone runs on", () => {
    expect(clickLevel(tone(0), tone(0.03 * 2400))).toBeNull();
    const level = clickLevel(tone(0), tone(0.03 * 2400 + Math.PI / 2)) as number;
    expect(level).toBeGreaterThan(-25);
    expect(level).toBeLessThan(0);
  });
  it("says none for silence and for unbroken joins in noise", () => {
    expect(clickLevel(new Float64Array(2400), new Float64Array(2400))).toBeNull();
    const doc = documentOf(1, [plainClip({ id: "c0", length: 5000 })]);
    const cut = applyEdit(doc, { type: "split", clipIds: ["c0"], at: 2500 }).doc;
    expect(measureSeam(cut, allSeams(cut)[1], reader, quietEdges(cut, reader))).toEqual({ class: "unbroken", click: null, dip: 0 });
  });
});
