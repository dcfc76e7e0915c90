import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { applyEdits } from "../edit/registry";
import { asBytes, fromBytes } from "../media/text";
import { type Document, dataOf, documentFrom, timebaseOf } from "../model/document";
import { problems } from "../model/invariants";
import { documentOf, documents, plainClip, SOURCES } from "../testing/arbitraries";
import { edited, edits } from "../testing/edits";
import { METER_DENOMINATORS } from "../time/meter";
import { TempoMap } from "../time/tempo";
import { csvOf, markersOf, readCsv, tableOf } from "./csv";
import { InterchangeError } from "./error";
import { midiOf, readMidi } from "./midi";
import { otioOf, readOtio } from "./otio";

const bpm = fc.oneof(
  fc.integer({ min: 20, max: 400 }),
  fc.integer({ min: 20_000, max: 400_000 }).map((v) => v / 1000),
  fc.double({ min: 20, max: 400, noNaN: true }),
);
const ticks = fc.uniqueArray(fc.integer({ min: 1, max: 40_000 }), { maxLength: 6 }).map((list) => [0, ...list.sort((a, b) => a - b)]);
const maps = fc
  .tuple(
    ticks,
    fc.array(fc.tuple(bpm, fc.boolean()), { minLength: 7, maxLength: 7 }),
    ticks,
    fc.array(fc.tuple(fc.integer({ min: 1, max: 64 }), fc.constantFrom(...METER_DENOMINATORS)), { minLength: 7, maxLength: 7 }),
  )
  .map(([tempoTicks, tempos, meterTicks, meters]) => ({
    tempo: tempoTicks.map((tick, i) => ({ tick, bpm: tempos[i][0], ...(tempos[i][1] && { ramp: true }) })),
    meter: meterTicks.map((tick, i) => ({ tick, numerator: meters[i][0], denominator: meters[i][1] })),
  }));
const withMaps = ({ tempo, meter }: { tempo: object[]; meter: object[] }): Document => {
  const doc = documentOf(1, []);
  return { ...doc, piece: { ...doc.piece, tempo: tempo as Document["piece"]["tempo"], meter: meter as Document["piece"]["meter"], firstBar: -2 } };
};

describe("texts of files that know only Latin-1", () => {
  it("come back as they were, and foreign ones as they are", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary" }), (text) => {
        expect(fromBytes(asBytes(text))).toBe(text.toWellFormed());
      }),
    );
    expect(fromBytes("M\xfchle")).toBe("Mühle");
  });
});

describe("MIDI files", () => {
  it("read back the same tempo, meter, first bar and markers, whatever the maps", () => {
    fc.assert(
      fc.property(maps, fc.array(fc.tuple(fc.integer({ min: 0, max: 40_000 }), fc.string({ maxLength: 20 })), { maxLength: 5 }), (m, marks) => {
        const plain = withMaps(m);
        const { tempo } = timebaseOf(plain);
        const placed = marks.map(([tick, name], i) => ({ type: "add-marker", id: `m${i}`, position: tempo.tickToSample(tick), name, key: "mark" }));
        const doc = placed.length ? applyEdits(plain, placed).doc : plain;
        const read = readMidi(midiOf(doc).bytes);
        expect({ tempo: read.tempo, meter: read.meter, firstBar: read.firstBar }).toEqual({ tempo: m.tempo, meter: m.meter, firstBar: -2 });
        const names = [...doc.markers.values()].map((x) => `${tempo.sampleToTick(x.position)} ${x.name}`).sort();
        expect(read.markers.map((x) => `${x.tick} ${x.name}`).sort()).toEqual(names);
      }),
    );
  });
  it("write glides in steps that each end within two milliseconds of the glide, for whoever knows no more", () => {
    fc.assert(
      fc.property(maps, (m) => {
        const doc = withMaps(m);
        const { bytes } = midiOf(doc);
        // As another program reads it: without our events.
        const foreign = bytes.map((b, i) => (b === 0x7d && bytes[i + 1] === 0x77 && bytes[i + 2] === 0x74 ? 0 : b));
        const read = readMidi(Uint8Array.from(foreign));
        const heard = new TempoMap(read.tempo, doc.sampleRate);
        const own = timebaseOf(doc).tempo;
        const last = m.tempo.at(-1)?.tick ?? 0;
        for (const { tick } of read.tempo.filter((t) => t.tick <= last)) {
          const off = Math.abs(heard.samplesAt(tick) - own.samplesAt(tick)) / doc.sampleRate;
          // Tempos are held to whole microseconds a quarter note: what that makes of the way there is not the glide's.
          expect(off).toBeLessThan(0.002 + (tick / 960) * 1e-6);
        }
      }),
    );
  });
  it("say what they can't hold, and what was left of a foreign one", () => {
    const doc = withMaps({
      tempo: [
        { tick: 0, bpm: 92 },
        { tick: 960, bpm: 131.7, ramp: true },
        { tick: 3840, bpm: 60 },
      ],
      meter: [{ tick: 0, numerator: 4, denominator: 4 }],
    });
    expect(midiOf(doc).left).toEqual([expect.stringMatching(/rounded to the microsecond/), expect.stringMatching(/1 glide/)]);
    // Format 1, 480 ticks, a note, a tempo of 600,000 µs at beat 2.
    const file = [0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 1, 0, 2, 1, 0xe0];
    const track = (events: number[]): number[] => [0x4d, 0x54, 0x72, 0x6b, 0, 0, 0, events.length + 4, ...events, 0, 0xff, 0x2f, 0];
    const bytes = [...file, ...track([0x83, 0x60, 0xff, 0x51, 3, 9, 0x27, 0xc0]), ...track([0, 0x90, 60, 64, 0x83, 0x60, 0x80, 60, 0])];
    const read = readMidi(Uint8Array.from(bytes));
    expect(read.tempo).toEqual([
      { tick: 0, bpm: 120 },
      { tick: 960, bpm: 100 },
    ]);
    expect(read.left).toEqual(["1 note"]);
  });
  it("are refused in words when broken, never worse", () => {
    const { bytes } = midiOf(withMaps({ tempo: [{ tick: 0, bpm: 92 }], meter: [{ tick: 0, numerator: 4, denominator: 4 }] }));
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat({ max: bytes.length - 1 }), fc.nat({ max: 255 })), { minLength: 1, maxLength: 4 }),
        fc.nat({ max: bytes.length }),
        (edits, cut) => {
          const broken = bytes.slice(0, cut);
          for (const [at, value] of edits) if (at < broken.length) broken[at] = value;
          try {
            readMidi(broken);
          } catch (error) {
            expect(error).toBeInstanceOf(InterchangeError);
          }
        },
      ),
      { numRuns: 2000 },
    );
  });
});

describe("tables", () => {
  it("come back as they were written, whatever stands in their cells", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.array(
            fc.string().filter((s) => !s.includes("\r")),
            { minLength: 2, maxLength: 4 },
          ),
          { minLength: 1, maxLength: 6 },
        ),
        (rows) => {
          const kept = rows.map((r) => r.map((c) => (c.startsWith("'") ? c : c))).filter((r) => r.some((c) => c !== ""));
          const read = readCsv(csvOf(kept)).map((r) => r.map((c) => (c.startsWith("'") ? c.slice(1) : c)));
          expect(read).toEqual(kept);
        },
      ),
    );
  });
  it("hold markers that read back to the sample, and no formula", () => {
    const doc = applyEdits(documentOf(1, []), [
      { type: "add-marker", id: "m", position: 12_345, name: "=SUM(A1)", key: "mark" },
      { type: "add-marker", id: "n", position: 99_999, name: 'He said "now", then', key: "mark" },
    ]).doc;
    const text = csvOf(tableOf(doc, "markers", "bars"));
    expect(text).toContain("'=SUM(A1)");
    expect(markersOf(text, doc, "bars")).toEqual({
      markers: [
        { position: 12_345, name: "=SUM(A1)" },
        { position: 99_999, name: 'He said "now", then' },
      ],
      left: [],
    });
    expect(markersOf("name;position\nOne;2.1.000\nBad;x.y\n", doc, "bars")).toMatchObject({
      markers: [{ position: 96_000 }],
      left: [expect.stringMatching(/^row 3/)],
    });
    expect(() => markersOf("a,b\n1,2\n", doc, "bars")).toThrow(/no column/);
    expect(() => readCsv('"never')).toThrow(InterchangeError);
  });
});

describe("timelines", () => {
  const byId = <T extends { id: string }>(list: readonly T[]): T[] => [...list].sort((a, b) => (a.id < b.id ? -1 : 1));
  const back = (doc: Document) => {
    let n = 0;
    return readOtio(otioOf(doc, "Cut").text, doc.sources, doc.sampleRate, () => `new${n++}`);
  };
  it("read back the same piece, whatever was edited: layers, blends, recipes, envelopes, bundles", () => {
    fc.assert(
      fc.property(documents, fc.array(edits, { minLength: 1, maxLength: 10 }), (start, list) => {
        const doc = edited(start, list);
        const { data, left, missing } = back(doc);
        const was = dataOf(doc);
        expect([left, missing]).toEqual([[], []]);
        expect(problems(documentFrom(data, doc.sources))).toEqual([]);
        expect(byId(data.clips)).toEqual(byId(was.clips));
        expect([data.tracks, data.piece, byId(data.markers), byId(data.sections), byId(data.bundles)]).toEqual([
          was.tracks,
          was.piece,
          byId(was.markers.map(({ bars: _, ...m }) => m)),
          byId(was.sections),
          byId(was.bundles),
        ]);
      }),
      { numRuns: 150 },
    );
  });
  it("of other programs are read as far as they go, with a list of what was left", () => {
    const time = (value: number, rate = 24) => ({ OTIO_SCHEMA: "RationalTime.1", rate, value });
    const span = (start: number, duration: number) => ({ OTIO_SCHEMA: "TimeRange.1", start_time: time(start), duration: time(duration) });
    const clip = (name: string, start: number, duration: number, more: object = {}) => ({
      OTIO_SCHEMA: "Clip.1",
      name,
      source_range: span(start, duration),
      media_reference: { OTIO_SCHEMA: "ExternalReference.1", target_url: `file:///sound/${name}.wav` },
      ...more,
    });
    const track = (kind: string, ...children: object[]) => ({ OTIO_SCHEMA: "Track.1", name: "A1", kind, children });
    const timeline = {
      OTIO_SCHEMA: "Timeline.1",
      name: "Reel",
      tracks: {
        OTIO_SCHEMA: "Stack.1",
        markers: [{ OTIO_SCHEMA: "Marker.2", name: "Here", marked_range: span(1, 0) }],
        children: [
          track("Video", clip("picture", 0, 24)),
          track(
            "Audio",
            { OTIO_SCHEMA: "Gap.1", source_range: span(0, 12) },
            clip("Mono", 0, 1),
            { OTIO_SCHEMA: "Transition.1", in_offset: time(0.25), out_offset: time(0.25) },
            clip("Stereo", 1, 1, { effects: [{ OTIO_SCHEMA: "LinearTimeWarp.1" }] }),
            clip("Elsewhere", 0, 5),
          ),
        ],
      },
    };
    let n = 0;
    const read = readOtio(JSON.stringify(timeline), SOURCES, 48_000, () => `id${n++}`);
    expect(read.data.clips).toMatchObject([
      { sourceId: "mono", start: 24_000, length: 2500, offset: 0, fadeOut: { length: 1000 } },
      { sourceId: "stereo", start: 25_500, length: 2500, offset: 1500, fadeIn: { length: 1000 }, blend: { splice: 26_000 } },
    ]);
    expect(read.data.markers).toMatchObject([{ position: 2000, name: "Here" }]);
    expect(read.missing).toEqual(["Elsewhere.wav"]);
    expect(read.left.sort()).toEqual(["1 of: effects", "1 of: tracks of video"]);
    expect(problems(documentFrom(read.data, SOURCES))).toEqual([]);
  });
  it("are refused in words when broken", () => {
    const doc = documentOf(1, []);
    expect(() => readOtio("{", doc.sources, 48_000, () => "x")).toThrow(/no whole JSON/);
    expect(() => readOtio('{"OTIO_SCHEMA":"Clip.1"}', doc.sources, 48_000, () => "x")).toThrow(/no OpenTimelineIO/);
  });
  it("are refused in words, or make a piece that holds, whatever became of their values", () => {
    const doc = applyEdits(
      documentOf(
        2,
        [0, 1, 2].map((i) => plainClip({ id: `c${i}`, start: 4000 * i, offset: 300, length: 3000 })),
      ),
      [
        { type: "set-envelope", clipIds: ["c0"], points: [{ at: 400, value: -6 }] },
        { type: "stretch", clipIds: ["c1"], length: 3500 },
        { type: "add-marker", position: 900 },
      ],
    ).doc;
    const { text } = otioOf(doc, "Cut");
    const values = fc.constantFrom<unknown>(null, -1, 0, 1.5, 1e300, "", "x", [], {}, true, [[[[]]]], Number.MAX_SAFE_INTEGER);
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(400), values, fc.constantFrom("set", "drop", "nest")), { minLength: 1, maxLength: 4 }), (changes) => {
        const whole: unknown = JSON.parse(text);
        // Every place in it that holds something, in order.
        const places: [Record<string, unknown>, string][] = [];
        const walk = (at: unknown): void => {
          if (typeof at !== "object" || at === null) return;
          for (const key of Object.keys(at)) {
            places.push([at as Record<string, unknown>, key]);
            walk((at as Record<string, unknown>)[key]);
          }
        };
        walk(whole);
        for (const [k, value, how] of changes) {
          const [at, key] = places[k % places.length];
          if (how === "drop") delete at[key];
          // A copy of all of it inside itself: as near to a circle as a text can come.
          else at[key] = how === "nest" ? JSON.parse(text) : value;
        }
        let n = 0;
        try {
          const { data } = readOtio(JSON.stringify(whole), doc.sources, doc.sampleRate, () => `new${n++}`);
          expect(problems(documentFrom(data, doc.sources))).toEqual([]);
        } catch (error) {
          expect(error).toBeInstanceOf(InterchangeError);
        }
      }),
      { numRuns: 1500 },
    );
  });
});
