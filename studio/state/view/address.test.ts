import { documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import fc from "fast-check";
import { expect, test } from "vitest";
import { addressOf, readAddressText } from "./address";

const track = (id: string) => ({
  id,
  name: id,
  color: "woad" as const,
  height: 90,
  mute: false,
  solo: false,
  gain: 0,
  pan: 0,
  hidden: false,
  link: null,
});
const doc = documentFrom(
  {
    sampleRate: 48_000,
    piece: { ...NEW_PIECE, trackOrder: ["a", "b & c"] },
    tracks: [track("a"), track("b & c")],
    clips: [],
    markers: [],
    sections: [],
  },
  new Map(),
);
const whole = fc.integer({ min: 0, max: 2 ** 40 });

test("what an address says is what was seen and selected", () => {
  fc.assert(
    fc.property(
      whole,
      fc.double({ min: 0.03, max: 900_000, noNaN: true }),
      whole,
      fc.option(fc.tuple(whole, whole)),
      (start, samplesPerPixel, playhead, span) => {
        const range = span && span[0] !== span[1] ? { start: Math.min(...span), end: Math.max(...span), trackIds: ["b & c", "a"] } : null;
        const seen = { start, samplesPerPixel, scrollY: 12, playhead, clipIds: new Set<string>(), range, seamId: "a 1,2=3", trackId: "b & c" };
        const read = readAddressText(`#${addressOf(seen)}`, doc);
        expect(read?.gone).toBe(false);
        expect(read?.named).toEqual({ ...seen, samplesPerPixel: expect.closeTo(samplesPerPixel, 0) });
        expect((read?.named.samplesPerPixel ?? 0) / samplesPerPixel).toBeCloseTo(1, 5);
      },
    ),
  );
});

test("an address that names what is not there keeps the rest and says so", () => {
  const read = readAddressText("#at=100&per=20&clips=x,y&range=5-9&on=a,gone&track=nowhere", doc);
  expect(read?.gone).toBe(true);
  expect(read?.named).toMatchObject({ start: 100, samplesPerPixel: 20, trackId: null, range: { start: 5, end: 9, trackIds: ["a"] } });
  expect(read?.named.clipIds?.size).toBe(0);
});

test("nonsense is no address", () => {
  fc.assert(fc.property(fc.string(), (text) => void readAddressText(text, doc)));
  for (const text of ["", "#", "#at=x&per=1", "#at=1&per=0", "#at=-1&per=2", "#at=1"]) expect(readAddressText(text, doc)).toBeNull();
  expect(readAddressText("#at=1&per=2&track=%E0%A4%A", doc)?.gone).toBe(true);
});
