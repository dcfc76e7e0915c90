import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Document, timebaseOf } from "../../../model/document";
import { problems } from "../../../model/invariants";
import { playedEdge } from "../../../model/recipe/played-recording";
import type { Clip, SourceInfo } from "../../../model/schema";
import { documentOf, plainClip, RATE } from "../../../testing/arbitraries";
import { EditError } from "../../errors";
import { applyEdits, type Edit } from "../../registry";

const LONG: SourceInfo = { id: "long", name: "Long", length: 20 * RATE, channels: 1 };
const doc = (...clips: Clip[]): Document => {
  const plain = documentOf(2, clips);
  return { ...plain, sources: new Map([...plain.sources, [LONG.id, LONG]]) };
};
const run = (d: Document, ...edits: Edit[]) => applyEdits(d, edits).doc;
const tempo = (...bpms: [number, number, boolean?][]): Edit => ({
  type: "set-time",
  tempo: bpms.map(([tick, bpm, ramp]) => ({ tick, bpm, ...(ramp && { ramp }) })),
});

/** How far each beat that a clip plays lies from the nearest beat of the piece, in samples; the recording's beats are told. */
function off(d: Document, id: string, beats: (k: number) => number): number[] {
  const clip = d.clips.get(id) as Clip;
  const map = timebaseOf(d).tempo;
  const out: number[] = [];
  for (let k = 0; k < 200; k++) {
    const place = clip.start + playedEdge(LONG, clip, Math.round(beats(k))) - clip.offset;
    if (place < clip.start || place >= clip.start + clip.length) continue;
    out.push(place - map.tickToSample(Math.round(map.ticksAt(place) / 960) * 960));
  }
  return out;
}
const at100 = (k: number): number => 1000 + (k * 60 * RATE) / 100;

describe("clips that follow the tempo", () => {
  const clip = plainClip({ id: "a", sourceId: "long", start: 47_000, offset: 1000, length: 10 * RATE });
  const follows = (d: Document) => run(d, { type: "conform", clipIds: ["a"], conform: { bpm: 100, first: 1000 } });
  it("lie with every beat on one of the piece, to the sample, at the beat nearest to where they lay", () => {
    const made = follows(doc(clip));
    const laid = made.clips.get("a") as Clip;
    expect(off(made, "a", at100).length).toBeGreaterThan(15);
    expect(new Set(off(made, "a", at100))).toEqual(new Set([0]));
    expect(laid.start).toBe(48_000);
    // At 120 what was ten seconds at 100 is eight and a third.
    expect(laid.length).toBe(400_000);
    expect(problems(made)).toEqual([]);
  });
  it("follow when the tempo changes, by jumps and glides, and go back to the sample", () => {
    const made = follows(doc(clip));
    for (const map of [
      tempo([0, 90]),
      tempo([0, 100], [3840, 140]),
      tempo([0, 80, true], [9600, 130]),
      tempo([0, 77.3], [1920, 111.11, true], [5760, 95]),
    ]) {
      const changed = run(made, map);
      expect(new Set(off(changed, "a", at100))).toEqual(new Set([0]));
      expect(problems(changed)).toEqual([]);
    }
    const back = run(run(made, tempo([0, 90])), tempo([0, 120]));
    expect(back.clips.get("a")).toEqual(made.clips.get("a"));
  });
  it("follow by beats of their own", () => {
    const beats = [500, 30_000, 52_000, 80_000, 101_234];
    const made = run(doc({ ...clip, offset: 0, length: 110_000 }), { type: "conform", clipIds: ["a"], conform: { beats } });
    expect(off(made, "a", (k) => beats[k] ?? 1e9)).toEqual([0, 0, 0, 0, 0]);
  });
  it("stay unbroken when they are cut, before and after a change of tempo", () => {
    const cut = run(follows(doc(clip)), { type: "split", clipIds: ["a"], at: 200_000, key: "cuts" });
    for (const d of [cut, run(cut, tempo([0, 96])), run(cut, tempo([0, 80, true], [9600, 130]))]) {
      const [left, right] = [...d.clips.values()].sort((x, y) => x.start - y.start);
      expect(JSON.stringify(right.recipe)).toBe(JSON.stringify(left.recipe));
      expect([right.start, right.offset]).toEqual([left.start + left.length, left.offset + left.length]);
    }
  });
  it("keep following under a shift of pitch, and no more once they are stretched, warped or as they were", () => {
    const made = follows(doc(clip));
    expect(run(made, { type: "set-pitch", clipIds: ["a"], cents: 300 }).clips.get("a")?.conform).toBeDefined();
    for (const edit of [
      { type: "stretch", clipIds: ["a"], factor: 1 },
      { type: "warp", clipIds: ["a"], points: null },
      { type: "as-recorded", clipIds: ["a"] },
      { type: "conform", clipIds: ["a"], conform: null },
    ])
      expect(run(made, edit).clips.get("a")?.conform).toBeUndefined();
    const pitched = run(made, { type: "set-pitch", clipIds: ["a"], cents: 300 }, tempo([0, 90]));
    expect(pitched.clips.get("a")?.recipe?.pitch).toBe(300);
    expect(new Set(off(pitched, "a", at100))).toEqual(new Set([0]));
  });
  it("are refused in words, or left and told, where they would be stretched too far or have no beat", () => {
    expect(() => run(doc(clip), { type: "conform", clipIds: ["a"], conform: { bpm: 100, beats: [0, 5] } })).toThrow(/one of them/);
    expect(() => run(doc(clip), { type: "conform", clipIds: ["a"], conform: { beats: [0, 5, 9] } })).toThrow(EditError);
    expect(() => run(doc({ ...clip, length: 100, offset: 2000 }), { type: "conform", clipIds: ["a"], conform: { bpm: 60 } })).toThrow(/no beat/);
    expect(() => run(doc(clip), { type: "reverse", clipIds: ["a"] }, { type: "conform", clipIds: ["a"], conform: { bpm: 100 } })).toThrow(
      /backwards/,
    );
    const slow = run(doc(clip), tempo([0, 40]), { type: "conform", clipIds: ["a"], conform: { bpm: 320, first: 1000 } });
    const { doc: left, notes } = applyEdits(slow, [tempo([0, 30])]);
    expect(notes?.join(" ")).toMatch(/does not follow the tempo there/);
    expect(left.clips.get("a")).toEqual(slow.clips.get("a"));
  });
  it("lie on the beats whatever the tempos are", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 60, max: 200 }),
        fc.integer({ min: 0, max: 40_000 }),
        fc.integer({ min: 0, max: 300_000 }),
        fc.array(fc.tuple(fc.integer({ min: 60, max: 200 }), fc.boolean()), { minLength: 1, maxLength: 4 }),
        (bpm, first, start, events) => {
          const d = run(doc({ ...clip, start }), { type: "conform", clipIds: ["a"], conform: { bpm, first } });
          const changed = run(d, tempo(...events.map(([b, ramp], i): [number, number, boolean] => [i * 2880, b, ramp])));
          const beats = (k: number): number => (first % ((60 * RATE) / bpm)) + (k * 60 * RATE) / bpm;
          // The recording's beats are rounded once, from the one that was told.
          for (const by of [...off(d, "a", beats), ...off(changed, "a", beats)]) expect(Math.abs(by)).toBeLessThanOrEqual(3);
        },
      ),
      { numRuns: 60 },
    );
  });
});
