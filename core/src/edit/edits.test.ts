import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { risesOver } from "../dsp/fades";
import { applyChanges, type Document, dataOf, invertChanges } from "../model/document";
import { problems } from "../model/invariants";
import { clipEnd, VersionData } from "../model/schema";
import { documentOf, documents, plainClip, playOf as play, sameSamples } from "../testing/arbitraries";
import { edits } from "../testing/edits";
import { EditError } from "./errors";
import { historyOf, record, redo, undo } from "./history";
import { applyEdit, applyEdits, EDITS, type Edit, editSchemas } from "./registry";

/** The core knows no machine; its tests ask the one they run on how long to look. */
const { env } = (globalThis as unknown as { process: { env: Record<string, string | undefined> } }).process;
/** How many random documents; a long look takes ten thousand. */
const RUNS = Number(env.RANDOM_EDITS ?? 600);

/** Applies an edit, or returns null where it is refused in words. */
function attempt(doc: Document, edit: Edit) {
  try {
    return applyEdit(doc, edit);
  } catch (error) {
    expect(error).toBeInstanceOf(EditError);
    expect((error as Error).message.length).toBeGreaterThan(10);
    return null;
  }
}

const at = fc.integer({ min: 0, max: 14_000 });

/** A document as a version that is opened again has it. */
const readBack = (doc: Document) => VersionData.parse(JSON.parse(JSON.stringify(dataOf(doc))));

describe("every edit", () => {
  it("is among the random ones", () => {
    const seen = new Set(fc.sample(edits, { numRuns: 3000, seed: 1 }).map((e) => e.type));
    expect(EDITS.map((e) => e.type).filter((type) => !seen.has(type))).toEqual([]);
  });
  it("keeps the invariants, can be read back, leaves its input alone, and is put back exactly by undo; redo is the same again", () => {
    fc.assert(
      fc.property(documents, fc.array(edits, { minLength: 1, maxLength: 12 }), (start, list) => {
        let doc = start;
        list.forEach((edit, i) => {
          const before = JSON.stringify(dataOf(doc));
          const outcome = attempt(doc, { ...edit, key: i % 4 === 3 ? "test0" : `test${i}` });
          expect(JSON.stringify(dataOf(doc))).toBe(before);
          if (!outcome) return;
          expect(problems(outcome.doc)).toEqual([]);
          expect(readBack(outcome.doc)).toEqual(dataOf(outcome.doc));
          const back = applyChanges(outcome.doc, invertChanges(outcome.changes));
          expect(dataOf(back)).toEqual(dataOf(doc));
          expect(problems(back)).toEqual([]);
          expect(dataOf(applyChanges(back, outcome.changes))).toEqual(dataOf(outcome.doc));
          doc = outcome.doc;
        });
      }),
      { numRuns: RUNS },
    );
  });
  it("leaves documents in which splitting changes not one bit, and new edges are faded", () => {
    const edgeFade = { length: 60, shape: "power" as const, bend: 0 };
    fc.assert(
      fc.property(documents, fc.array(edits, { minLength: 1, maxLength: 6 }), fc.array(at, { minLength: 1, maxLength: 5 }), (start, list, cuts) => {
        let doc = start;
        list.forEach((edit, i) => {
          doc = attempt(doc, { ...edit, key: `test${i}` })?.doc ?? doc;
        });
        const trackIds = [...doc.piece.trackOrder];
        if (trackIds.length === 0) return;
        const cut = attempt(doc, { type: "split", trackIds, at: cuts, key: "cuts" });
        if (cut) {
          const [before, after] = [play(doc), play(cut.doc)];
          expect(sameSamples(after[0], before[0]) && sameSamples(after[1], before[1])).toBe(true);
        }
        // What a cut lays bare is faded, be it in the middle of a fade; what was bare before stays so.
        const [from, to] = [Math.min(...cuts), Math.max(...cuts) + 1];
        const opened = attempt(doc, { type: "delete-range", start: from, end: to, trackIds, edgeFade, links: false, key: "open" });
        for (const id of opened ? trackIds : [])
          for (const clip of opened?.doc.lanes.get(id)?.clips ?? []) {
            // What had an edge there before keeps it as it was.
            const had = (at: number) =>
              doc.lanes
                .get(id)
                ?.within(at - 1, at + 1)
                .some((c) => c.start === at || clipEnd(c) === at);
            const [first, last] = [clip.start === to && !had(to), clipEnd(clip) === from && !had(from)];
            if (first && clip.fadeOut.length < clip.length) expect(risesOver(clip.fadeIn, 1)).toBe(true);
            if (last && clip.fadeIn.length < clip.length) expect(risesOver(clip.fadeOut, 1)).toBe(true);
          }
      }),
      { numRuns: RUNS },
    );
  });
  it("makes the same ids from the same key", () => {
    const doc = documentOf(1, [plainClip({ id: "c0" })]);
    const edit: Edit = { type: "split", clipIds: ["c0"], at: 300, key: "abcd" };
    expect(dataOf(applyEdit(doc, edit).doc)).toEqual(dataOf(applyEdit(doc, edit).doc));
  });
  it("is all or nothing in a batch, and says which one failed", () => {
    const doc = documentOf(1, [plainClip({ id: "c0" })]);
    const run = () =>
      applyEdits(doc, [
        { type: "mute", clipIds: ["c0"], mute: true },
        { type: "move", clipIds: ["gone"], by: 1 },
      ]);
    expect(run).toThrow(/no clip "gone"/);
    try {
      run();
    } catch (error) {
      expect((error as EditError).path).toBe("edits.1.clipIds");
    }
  });
  it("has a schema with an example that its own rules accept", () => {
    for (const definition of EDITS) expect(definition.params.safeParse(definition.example).success, definition.type).toBe(true);
    expect(editSchemas().map((e) => e.type)).toEqual(EDITS.map((e) => e.type));
  });
  it.each<[Edit, RegExp]>([
    [{ type: "evaporate" }, /no edit/],
    [{ type: "move", clipIds: ["c0"], by: 0.5 }, /int/i],
    [{ type: "move", clipIds: ["c0"], by: -1 }, /before zero/],
    [{ type: "move", clipIds: [], by: 1 }, /at least one clip/],
    [{ type: "split", clipIds: ["c0"], at: 0 }, /No clip lies across/],
    [{ type: "trim", clipIds: ["c0"], edge: "start", by: -1 }, /no more|only 0|before zero/],
    [{ type: "trim", clipIds: ["c0"], edge: "end", by: 5001 }, /only 104.2 ms more/],
    [{ type: "trim", clipIds: ["c0"], edge: "end", by: -1000 }, /nothing would be left/],
    [{ type: "remove-track", trackId: "t9" }, /no track "t9"/],
    [{ type: "set-time", meter: [{ tick: 0, numerator: 0, denominator: 4 }] }, /set-time/],
    [{ type: "set-time", tempo: [{ tick: 0, bpm: -3 }] }, /set-time/],
  ])("refuses %j in words", (edit, message) => {
    expect(() => applyEdit(documentOf(1, [plainClip({ id: "c0" })]), edit)).toThrow(message);
  });
});

describe("history", () => {
  it("goes back to the start and forward to the end, whatever was done", () => {
    fc.assert(
      fc.property(documents, fc.array(edits, { minLength: 1, maxLength: 8 }), (start, list) => {
        let history = historyOf(start);
        list.forEach((edit, i) => {
          const outcome = attempt(history.doc, { ...edit, key: `step${i}` });
          if (outcome) history = record(history, outcome.doc, outcome);
        });
        const end = dataOf(history.doc);
        let back = history;
        while (back.done.length) back = undo(back);
        expect(dataOf(back.doc)).toEqual(dataOf(start));
        while (back.undone.length) back = redo(back);
        expect(dataOf(back.doc)).toEqual(end);
      }),
      { numRuns: 60 },
    );
  });
});

describe("split", () => {
  it("plays the very same samples, wherever the cuts fall: in fades, in layers, several at once", () => {
    fc.assert(
      fc.property(documents, fc.array(at, { minLength: 1, maxLength: 5 }), (doc, cuts) => {
        const outcome = attempt(doc, { type: "split", trackIds: ["t0", "t1", "t2"], at: cuts });
        if (!outcome) return;
        const [before, after] = [play(doc), play(outcome.doc)];
        expect(sameSamples(after[0], before[0]) && sameSamples(after[1], before[1])).toBe(true);
      }),
      { numRuns: 200 },
    );
  });
});

describe("trim", () => {
  it("loses nothing: an edge pulled in and out again plays as before", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", start: 500, offset: 700, length: 2000, fadeIn: { length: 100, shape: "s", bend: 0 } })]);
    const there = applyEdit(doc, { type: "trim", clipIds: ["c0"], edge: "start", by: 400 });
    const back = applyEdit(there.doc, { type: "trim", clipIds: ["c0"], edge: "start", by: -400 });
    expect(dataOf(back.doc)).toEqual(dataOf(doc));
    expect(there.doc.clips.get("c0")).toMatchObject({ start: 900, offset: 1100, length: 1600, fadeIn: { length: 100 } });
  });
});

describe("overlaps", () => {
  const beneath = plainClip({ id: "c0", start: 0, length: 3000 });
  const dropped = plainClip({ id: "c1", start: 4000, length: 1000 });
  it("layer keeps what lies beneath whole: moved off, it plays as before", () => {
    const doc = documentOf(1, [beneath, dropped]);
    const on = applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1000 }).doc;
    expect(on.clips.get("c0")).toEqual(beneath);
    expect(on.clips.get("c1")?.layer).toBe(1);
    const off = applyEdit(on, { type: "move", clipIds: ["c1"], to: 4000 }).doc;
    expect(sameSamples(play(off)[0], play(doc)[0])).toBe(true);
  });
  it("cover trims, splits or removes what is beneath", () => {
    const doc = documentOf(1, [beneath, dropped]);
    const spans = (d: Document) => d.lanes.get("t0")?.clips.map((c) => [c.start, clipEnd(c), c.offset]);
    expect(spans(applyEdit(doc, { type: "move", clipIds: ["c1"], to: 1000, overlap: "cover" }).doc)).toEqual([
      [0, 1000, 0],
      [1000, 2000, 0],
      [2000, 3000, 2000],
    ]);
    expect(spans(applyEdit(doc, { type: "move", clipIds: ["c1"], to: 2500, overlap: "cover" }).doc)).toEqual([
      [0, 2500, 0],
      [2500, 3500, 0],
    ]);
  });
});

describe("blend on drop", () => {
  const doc = documentOf(1, [
    plainClip({ id: "c0", length: 3000 }),
    plainClip({ id: "c1", sourceId: "stereo", start: 4000, length: 2000, offset: 100 }),
  ]);
  it("makes the overlap a crossfade as long as the overlap, at either end", () => {
    const after = applyEdit(doc, { type: "move", clipIds: ["c1"], to: 2800, overlap: "blend" }).doc;
    expect(after.clips.get("c1")).toMatchObject({ start: 2800, fadeIn: { length: 200 }, blend: { with: "c0" } });
    const before = applyEdit(applyEdit(doc, { type: "move", clipIds: ["c0"], to: 9000 }).doc, {
      type: "move",
      clipIds: ["c1"],
      to: 7100,
      overlap: "blend",
    }).doc;
    expect(before.clips.get("c0")).toMatchObject({ fadeIn: { length: 100 }, blend: { with: "c1" } });
  });
  it("does not blend clips that merely touch", () => {
    expect(applyEdit(doc, { type: "move", clipIds: ["c1"], to: 3000, overlap: "blend" }).doc.clips.get("c1")?.blend).toBeNull();
  });
  it("blends both ends of a clip dropped wholly inside another", () => {
    const inside = applyEdit(
      documentOf(1, [plainClip({ id: "c0", length: 6000 }), plainClip({ id: "c1", sourceId: "stereo", start: 7000, length: 2000 })]),
      { type: "move", clipIds: ["c1"], to: 2000, overlap: "blend", key: "drop" },
    ).doc;
    const lane = inside.lanes.get("t0")?.clips.map((c) => [c.start, clipEnd(c), c.blend?.with ?? null]);
    expect(lane).toEqual([
      [0, 2576, null],
      [2000, 4000, "c0"],
      [3424, 6000, "c1"],
    ]);
  });
  it("by a trim: pulling an end over the neighbour blends into it", () => {
    const pulled = applyEdit(doc, { type: "trim", clipIds: ["c0"], edge: "end", to: 4100, overlap: "blend" }).doc;
    expect(pulled.clips.get("c1")).toMatchObject({ fadeIn: { length: 100 }, blend: { with: "c0" } });
  });
});

describe("new edges", () => {
  const edgeFade = { length: 192, shape: "power" as const, bend: 0 };
  it("stay bare where the audio runs on, and fade once the halves part", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", start: 0, length: 4000, offset: 100 })]);
    const cut = applyEdit(doc, { type: "split", clipIds: ["c0"], at: 2000, edgeFade, key: "half" });
    expect(cut.doc.clips.get("c0")?.fadeOut.length).toBe(0);
    const parted = applyEdit(cut.doc, { type: "move", clipIds: ["half.1"], by: 10, edgeFade });
    expect(parted.doc.clips.get("c0")).toMatchObject({ fadeIn: { length: 0 }, fadeOut: { length: 192 } });
    expect(parted.doc.clips.get("half.1")).toMatchObject({ fadeIn: { length: 192 }, fadeOut: { length: 0 } });
  });
});

describe("blends", () => {
  const doc = documentOf(1, [
    plainClip({ id: "c0", start: 0, length: 2000, offset: 0 }),
    plainClip({ id: "c1", sourceId: "stereo", start: 2000, length: 2000, offset: 300 }),
  ]);
  it.each([
    ["centred", 1900, 2100],
    ["before", 1800, 2000],
    ["after", 2000, 2200],
  ] as const)("%s lies where it should", (place, from, to) => {
    const out = applyEdit(doc, { type: "set-blend", clipId: "c1", length: 200, place }).doc;
    expect(out.clips.get("c1")?.start).toBe(from);
    expect(clipEnd(out.clips.get("c0") as Parameters<typeof clipEnd>[0])).toBe(to);
    const off = applyEdit(out, { type: "remove-blend", clipId: "c1" }).doc;
    expect(sameSamples(play(off)[0], play(doc)[0])).toBe(true);
  });
  it("moves its splice, both clips' audio staying in place, as far as there is material", () => {
    const on = applyEdit(doc, { type: "set-blend", clipId: "c1", length: 200 }).doc;
    const moved = applyEdit(on, { type: "set-blend", clipId: "c1", splice: 2150 }).doc;
    expect(moved.clips.get("c1")).toMatchObject({ start: 2050, offset: 350, fadeIn: { length: 200 }, blend: { splice: 2150 } });
    expect(clipEnd(moved.clips.get("c0") as Parameters<typeof clipEnd>[0])).toBe(2250);
    expect(() => applyEdit(on, { type: "set-blend", clipId: "c1", splice: 1600 })).toThrow(/only 6.3 ms more/);
  });
  it("lies over a range around the splice, unevenly", () => {
    const out = applyEdit(doc, { type: "blend-range", start: 1950, end: 2300, trackIds: ["t0"] }).doc;
    expect(out.clips.get("c1")).toMatchObject({ start: 1950, fadeIn: { length: 350 }, blend: { splice: 2000, place: "free" } });
    expect(() => applyEdit(doc, { type: "blend-range", start: 100, end: 300, trackIds: ["t0"] })).toThrow(/No two clips meet/);
  });
  it("is limited to the material there is, and centred stays centred", () => {
    const out = applyEdit(doc, { type: "set-blend", clipId: "c1", length: 1000, place: "centred" }).doc;
    expect(out.clips.get("c1")).toMatchObject({ start: 1700, fadeIn: { length: 600 } });
  });
  it("ends when its clips are moved apart, and follows when one is nudged", () => {
    const on = applyEdit(doc, { type: "set-blend", clipId: "c1", length: 200 }).doc;
    const nudged = applyEdit(on, { type: "move", clipIds: ["c1"], by: 50 }).doc;
    expect(nudged.clips.get("c1")?.fadeIn.length).toBe(150);
    const apart = applyEdit(on, { type: "move", clipIds: ["c1"], by: 500 }).doc;
    expect(apart.clips.get("c1")?.blend).toBeNull();
    expect(apart.clips.get("c0")?.fadeOut.length).toBe(0);
  });
});

describe("a new tempo", () => {
  it("leaves clips at their time, or at their bars, as asked", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", start: 48_000 })]);
    const tempo = [{ tick: 0, bpm: 60 }];
    expect(applyEdit(doc, { type: "set-time", tempo }).doc.clips.get("c0")?.start).toBe(48_000);
    // At 120 the clip lay on the third beat; at 60 that is two seconds in.
    expect(applyEdit(doc, { type: "set-time", tempo, keep: "bars" }).doc.clips.get("c0")?.start).toBe(96_000);
  });
  it("or a new meter: what lay on bar 3 lies on bar 3", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", start: 2 * 96_000 + 24_000 })]);
    const meter = [{ tick: 0, numerator: 3, denominator: 4 }];
    expect(applyEdit(doc, { type: "set-time", meter, keep: "bars" }).doc.clips.get("c0")?.start).toBe(2 * 72_000 + 24_000);
    expect(applyEdit(doc, { type: "set-time", meter }).doc.clips.get("c0")?.start).toBe(2 * 96_000 + 24_000);
  });
});

describe("shifting inside", () => {
  it("keeps both edges and plays what lies beside, as far as there is any", () => {
    const doc = documentOf(1, [plainClip({ id: "c0", start: 100, offset: 500 })]);
    expect(applyEdit(doc, { type: "shift-inside", clipIds: ["c0"], by: 200 }).doc.clips.get("c0")).toMatchObject({
      start: 100,
      length: 1000,
      offset: 300,
    });
    expect(() => applyEdit(doc, { type: "shift-inside", clipIds: ["c0"], by: 501 })).toThrow(/only 10.4 ms more/);
  });
});

describe("fade over a range", () => {
  it("gives each track a fade-out of its own length", () => {
    const doc = documentOf(3, [
      plainClip({ id: "c0", start: 0, length: 3000 }),
      plainClip({ id: "c1", trackId: "t1", start: 500, length: 4000 }),
      plainClip({ id: "c2", trackId: "t2", start: 0, length: 800 }),
    ]);
    const out = applyEdit(doc, { type: "fade-range", start: 2000, end: 6000, trackIds: ["t0", "t1", "t2"], edge: "out" }).doc;
    expect([out.clips.get("c0")?.fadeOut.length, out.clips.get("c1")?.fadeOut.length, out.clips.get("c2")?.fadeOut.length]).toEqual([1000, 2500, 0]);
  });
});
