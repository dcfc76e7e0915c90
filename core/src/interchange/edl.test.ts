import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Document, documentFrom } from "../model/document";
import { problems } from "../model/invariants";
import type { Clip } from "../model/schema";
import { documentOf, documents, plainClip, SOURCES } from "../testing/arbitraries";
import { edited, edits } from "../testing/edits";
import { FRAME_RATES } from "../time/timecode";
import { edlOf, readEdl } from "./edl";
import { InterchangeError } from "./error";
import { linesOf } from "./otio";

const ids = () => {
  let n = 0;
  return () => `new${n++}`;
};
const read = (text: string, doc: Document, more: object = {}) =>
  readEdl(text, doc.sources, doc.sampleRate, { like: doc.piece.frameRate, ...more }, ids());

/** What a list can hold of a piece: of its first four tracks that are used, the first line. */
function held(doc: Document): string[][] {
  const used = doc.piece.trackOrder.filter((id) => (doc.lanes.get(id)?.clips.length ?? 0) > 0).slice(0, 4);
  return used.map((id) => (linesOf(doc.lanes.get(id)?.clips ?? [])[0] ?? []).map(({ clip }) => brief(clip)));
}
const brief = (c: Clip): string => `${c.sourceId} ${c.start} ${c.offset} ${c.length} ${c.blend ? c.blend.splice : "-"}`;

describe("edit decision lists", () => {
  it("read back to the sample what they can hold, at every frame rate, whatever was edited", () => {
    fc.assert(
      fc.property(
        documents,
        fc.array(edits, { minLength: 1, maxLength: 8 }),
        fc.constantFrom(...FRAME_RATES.map((r) => r.id)),
        fc.constantFrom("00:00:00:00", "01:00:00:00", "10:00:00:00"),
        (start, list, frameRate, begin) => {
          const doc = edited(start, list);
          // What recipes make has other lengths than the recording: others find the recording there.
          fc.pre([...doc.clips.values()].every((c) => !c.recipe) && doc.clips.size > 0);
          const { lists } = edlOf(doc, "Cut", { frameRate, start: begin });
          const back = read(lists[0], doc);
          const made = documentFrom(back.data, doc.sources);
          expect(problems(made)).toEqual([]);
          expect([back.left, back.missing]).toEqual([[], []]);
          expect(held(made).sort()).toEqual(held(doc).sort());
        },
      ),
      { numRuns: 150 },
    );
  });
  it("say a cut as one line and a dissolve as two of one number", () => {
    const blend = { with: "a", law: "auto", place: "free", splice: 4000, linked: true } as const;
    const fade = { length: 960, shape: "power", bend: 0 } as const;
    const doc = documentOf(1, [
      plainClip({ id: "a", start: 0, length: 4800, fadeOut: fade }),
      plainClip({ id: "b", start: 3840, length: 3840, offset: 1920, sourceId: "stereo", fadeIn: fade, blend }),
    ]);
    const { lists } = edlOf(doc, "Night shift", { frameRate: "25" });
    expect(lists[0].split("\n").filter((l) => !/^\* /.test(l) || /RATES/.test(l))).toEqual([
      "TITLE: Night shift",
      "FCM: NON-DROP FRAME",
      "* WET THREAD RATES: 25 / 48000 / 01:00:00:00",
      "001  MONO     A     C        00:00:00:00 00:00:00:02 01:00:00:00 01:00:00:02",
      "002  MONO     A     C        00:00:00:02 00:00:00:02 01:00:00:02 01:00:00:02",
      "002  STEREO   A     D    001 00:00:00:01 00:00:00:03 01:00:00:02 01:00:00:04",
      "",
    ]);
  });
  it("are several above 999 events, and name what they leave out", () => {
    const clips = Array.from({ length: 1200 }, (_, i) => plainClip({ id: `c${i}`, start: i * 4000, length: 3000, trackId: `t${i % 6}` }));
    const doc = documentOf(6, clips);
    const { lists, left } = edlOf(doc, "Long");
    expect(lists.length).toBe(1);
    expect(left.join(" ")).toMatch(/Four tracks at most/);
    const more = edlOf(
      documentOf(
        1,
        clips.map((c) => ({ ...c, trackId: "t0" })),
      ),
      "Long",
    );
    expect([more.lists.length, more.left.join(" ")]).toEqual([2, expect.stringMatching(/2 lists are written/)]);
    expect(more.lists[1]).toMatch(/^TITLE: Long 2 of 2\n[\s\S]*\n001 {2}MONO/);
  });
  it("of other programs are read as far as they go, with a list of what was left", () => {
    const _doc = documentOf(1, []);
    const list = `TITLE: Reel one
FCM: NON-DROP FRAME

001  MONO     AA/V  C        00:00:00:00 00:00:00:02 01:00:00:00 01:00:00:02
* FROM CLIP NAME: mono.wav
002  MONO     A     C        00:00:00:02 00:00:00:02 01:00:00:02 01:00:00:02
002  STEREO   A     D    001 00:00:00:01 00:00:00:03 01:00:00:02 01:00:00:04
M2   STEREO   048.0  00:00:00:01
003  BL       A     C        00:00:00:00 00:00:00:02 01:00:00:04 01:00:00:06
004  ELSE     A     C        00:00:00:00 00:00:00:02 01:00:00:06 01:00:00:08
005  MONO     V     C        00:00:00:00 00:00:00:02 01:00:00:08 01:00:00:10
006  MONO     A     C        00:00:00:99 00:00:00:02 01:00:00:08 01:00:00:10
something else
`;
    const back = readEdl(list, SOURCES, 48_000, { like: "24" }, ids());
    const [first, third, second] = back.data.clips;
    expect(first).toMatchObject({ sourceId: "mono", start: 0, offset: 0 });
    expect(second).toMatchObject({ sourceId: "stereo", start: 4000, offset: 2000, fadeIn: { length: 2000 }, blend: { splice: 5000 } });
    expect(third).toMatchObject({ sourceId: "mono", start: 0, length: 4000 });
    expect(back.missing).toEqual(["ELSE"]);
    expect(back.left.join("; ")).toMatch(/changes of speed.*events of black.*pictures.*can't be read.*no events/);
    expect(problems(documentFrom(back.data, SOURCES))).toEqual([]);
  });
  it("are refused in words when there is nothing in them, and never break whoever reads them", () => {
    const doc = documentOf(1, [plainClip({ id: "a", length: 4800 })]);
    expect(() => read("TITLE: x\n", doc)).toThrow(/no event of sound/);
    expect(() => edlOf(doc, "x", { start: "1 hour" })).toThrow(InterchangeError);
    const [text] = edlOf(doc, "Cut").lists;
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(text.length), fc.string({ maxLength: 3 })), { maxLength: 6 }), (changes) => {
        let broken = text;
        for (const [at, put] of changes) broken = broken.slice(0, at) + put + broken.slice(at + put.length);
        try {
          expect(problems(documentFrom(read(broken, doc).data, doc.sources))).toEqual([]);
        } catch (error) {
          expect(error).toBeInstanceOf(InterchangeError);
        }
      }),
      { numRuns: 1000 },
    );
  });
});
