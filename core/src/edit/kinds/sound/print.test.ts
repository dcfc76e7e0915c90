import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Document } from "../../../model/document";
import { MemoryReader } from "../../../render/reader";
import { Renderer } from "../../../render/renderer";
import { documentOf, documents, PCM, plainClip } from "../../../testing/arbitraries";
import { edited, edits } from "../../../testing/edits";
import { printPlan } from "../../print-plan";
import { applyEdits, type Edit } from "../../registry";

/** Recordings of the tests with some printed ones. */
class Printed extends Map<string, readonly Float32Array[]> {
  override get = (id: string) => super.get(id) ?? PCM.get(id);
}

function play(
  doc: Document,
  recordings: ReadonlyMap<string, readonly Float32Array[]>,
  from: number,
  count: number,
  trackId?: string,
): Float32Array[] {
  const planes = [new Float32Array(count), new Float32Array(count)];
  const only = trackId ? new Set([trackId]) : undefined;
  new Renderer(doc, new MemoryReader(recordings), only && { tracks: only }).render(from, count, planes[0], planes[1]);
  return planes;
}

/** Prints clips as the job does: each run to a recording of its own, which takes its place. */
function printed(doc: Document, clipIds: readonly string[]) {
  const { doc: alone, parts } = printPlan(doc, clipIds);
  const recordings = new Printed();
  const sources = new Map(doc.sources);
  const edits = parts.map((part, i): Edit => {
    const id = `print${i}`;
    const planes = play(alone, PCM, part.start, part.length, part.trackId);
    recordings.set(id, part.channels === 1 ? [planes[0]] : planes);
    sources.set(id, { id, name: "Printed", length: part.length, channels: part.channels });
    return { type: "replace-with-print", clipIds: [...part.clipIds], sourceId: id, start: part.start, key: `print${i}` };
  });
  return { ...applyEdits({ ...doc, sources }, edits), parts, recordings };
}

const LENGTH = 24_000;
const far = (a: Float32Array[], b: Float32Array[]): number =>
  Math.max(...a.map((plane, c) => plane.reduce((m, v, i) => Math.max(m, Math.abs(v - b[c][i])), 0)));

describe("a print", () => {
  it("changes nothing of what is heard, whatever is printed: each thing that it holds is laid once", () => {
    let tried = 0;
    fc.assert(
      fc.property(documents, fc.array(edits, { maxLength: 10 }), fc.uniqueArray(fc.nat(7), { minLength: 1, maxLength: 4 }), (start, list, which) => {
        const doc = edited(start, list);
        const all = [...doc.clips.values()].filter((c) => !c.mute);
        const ids = [...new Set(which.flatMap((n) => all[n]?.id ?? []))];
        if (ids.length === 0) return;
        // Blends with what is not printed go back to their splices: what is compared has none.
        const beside = new Set(ids);
        if ([...doc.clips.values()].some((c) => c.blend && beside.has(c.id) !== beside.has(c.blend.with))) return;
        const { doc: after, recordings } = printed(doc, ids);
        expect(far(play(after, recordings, 0, LENGTH), play(doc, PCM, 0, LENGTH))).toBeLessThan(4e-6);
        for (const id of ids) expect(after.clips.has(id)).toBe(false);
        tried++;
      }),
      { numRuns: 300 },
    );
    expect(tried).toBeGreaterThan(100);
  });
  it("makes one recording for each run of neighbours, and covers nothing between", () => {
    const doc = documentOf(
      1,
      [0, 1, 2, 3, 4].map((i) => plainClip({ id: `c${i}`, start: i * 1000, offset: i * 500, ...(i === 2 && { layer: 2 }) })),
    );
    expect(printed(doc, ["c0", "c4"]).parts.map((p) => [p.start, p.length])).toEqual([
      [0, 1000],
      [4000, 1000],
    ]);
    expect(printed(doc, ["c0", "c1", "c4", "c3"]).parts.map((p) => p.clipIds)).toEqual([
      ["c0", "c1"],
      ["c3", "c4"],
    ]);
    expect(printed(doc, ["c0", "c4"]).doc.clips.get("c2")).toBe(doc.clips.get("c2"));
  });
  it("of what was stretched, turned round, drawn over, treated and given hits holds all of that, and its clip plays it as it is", () => {
    const doc = applyEdits(documentOf(1, [plainClip({ id: "c0", start: 500, offset: 100, length: 2000, pan: 0.4 })]), [
      { type: "stretch", clipIds: ["c0"], factor: 1.5 },
      { type: "reverse", clipIds: ["c0"] },
      { type: "set-envelope", clipIds: ["c0"], points: [{ at: 0, value: -6 }] },
      { type: "set-ride", trackIds: ["t0"], points: [{ at: 0, value: -6 }] },
      { type: "treat", clipIds: ["c0"], chain: [{ kind: "gain", db: -3 }] },
      { type: "add-hits", clipIds: ["c0"], at: [900] },
      { type: "set-fade", clipIds: ["c0"], edge: "in", length: 300 },
    ]).doc;
    const { doc: after, recordings } = printed(doc, ["c0"]);
    const [clip] = [...after.clips.values()];
    expect(clip).toEqual({ ...plainClip({ id: "print0.1" }), sourceId: "print0", start: 500, length: 3000, name: "Printed" });
    expect(far(play(after, recordings, 0, 6000), play(doc, PCM, 0, 6000))).toBeLessThan(1e-6);
  });
  it("leaves muted clips, which have no sound to print", () => {
    const doc = documentOf(1, [plainClip({ id: "a" }), plainClip({ id: "b", start: 500, layer: 1, mute: true })]);
    expect(printed(doc, ["a", "b"]).doc.clips.has("b")).toBe(true);
    expect(() => printPlan(doc, ["b"])).toThrow(/no sound to print/);
  });
});
