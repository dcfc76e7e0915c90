import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { documentOf, plainClip } from "../testing/arbitraries";
import { timebases } from "../testing/times";
import { gridLines, type Timebase } from "../time/grid";
import type { GridStep } from "../time/grid-step";
import { MeterMap } from "../time/meter";
import { TempoMap } from "../time/tempo";
import { frameRate } from "../time/timecode";
import { edgePoints, sortedPoints } from "./points";
import { gridOffset, type SnapQuery, snap } from "./snap";

const timebase: Timebase = {
  sampleRate: 48_000,
  tempo: new TempoMap(
    [
      { tick: 0, bpm: 92 },
      { tick: 15_360, bpm: 131.7 },
    ],
    48_000,
  ),
  meter: new MeterMap([
    { tick: 0, numerator: 4, denominator: 4 },
    { tick: 7680, numerator: 3, denominator: 4 },
  ]),
  frameRate: frameRate("29.97"),
};
const step = fc.constantFrom<GridStep>(
  { kind: "note", division: 16, feel: "straight" },
  { kind: "note", division: 8, feel: "triplet" },
  { kind: "bar", count: 1 },
  { kind: "frame", fraction: 1, count: 1 },
  { kind: "time", milliseconds: 100 },
);
const position = fc.integer({ min: 0, max: 3_000_000 });
const query = (over: Partial<SnapQuery>): SnapQuery => ({ wanted: 0, origin: 0, placing: "line", pull: "always", reach: 400, timebase, ...over });

describe("snapping", () => {
  it("always: lands on a line, the nearest one, and stays there", () => {
    fc.assert(
      fc.property(step, position, position, (s, wanted, origin) => {
        const grid = gridLines(s, timebase);
        const { position: at } = snap(query({ wanted, origin, grid }));
        expect(grid.before(at).sample).toBe(at);
        expect(Math.abs(at - wanted)).toBeLessThanOrEqual(Math.min(wanted - grid.before(wanted).sample, grid.after(wanted).sample - wanted));
        expect(snap(query({ wanted: at, origin, grid })).position).toBe(at);
      }),
    );
  });
  it("keeping offset: the distance to the line is the old one, in ticks or samples, over tempo and meter changes", () => {
    fc.assert(
      fc.property(step, position, position, (s, wanted, origin) => {
        const grid = gridLines(s, timebase);
        const { position: at, target } = snap(query({ wanted, origin, grid, placing: "offset" }));
        const line = target?.position ?? 0;
        const offset = gridOffset(origin, grid, timebase);
        if (s.kind === "frame" || s.kind === "time") expect(at - line).toBe(offset);
        else expect(Math.abs(timebase.tempo.ticksAt(at) - timebase.tempo.ticksAt(line) - offset)).toBeLessThan(0.05);
        expect(snap(query({ wanted: origin, origin, grid, placing: "offset" })).position).toBe(origin);
      }),
    );
  });
  it("over random tempo and meter maps: lands, stays, keeps its offset and comes back", () => {
    fc.assert(
      fc.property(timebases, step, position, position, fc.constantFrom("line" as const, "offset" as const), (base, s, wanted, origin, placing) => {
        const grid = gridLines(s, base);
        const ask = (w: number, from: number) => snap(query({ wanted: w, origin: from, grid, placing, timebase: base }));
        const { position: at, target } = ask(wanted, origin);
        expect(ask(at, origin).position).toBe(at);
        if (placing === "line") {
          expect(grid.before(at).sample).toBe(at);
          return;
        }
        expect(ask(origin, origin).position).toBe(origin);
        const offset = gridOffset(origin, grid, base);
        const line = target?.position ?? 0;
        // Half a sample is at most a twelfth of a tick at 400 beats a minute and 44.1 kHz.
        if (s.kind === "frame" || s.kind === "time") expect(at - line).toBe(offset);
        else expect(Math.abs(base.tempo.ticksAt(at) - base.tempo.ticksAt(line) - offset)).toBeLessThan(0.16);
      }),
      { numRuns: 300 },
    );
  });
  it("keeping offset: comes back to where it was though the tempo jumps between", () => {
    const base = {
      sampleRate: 96_000,
      tempo: new TempoMap(
        [
          { tick: 0, bpm: 61.076 },
          { tick: 10_627, bpm: 20 },
        ],
        96_000,
      ),
      meter: new MeterMap([
        { tick: 0, numerator: 7, denominator: 4 },
        { tick: 6720, numerator: 2, denominator: 4 },
      ]),
      frameRate: frameRate("23.976"),
    };
    const ask = (wanted: number) =>
      snap(query({ wanted, origin: 188_617, grid: gridLines({ kind: "bar", count: 1 }, base), placing: "offset", timebase: base }));
    const { position } = ask(1_222_641);
    expect(ask(position).position).toBe(position);
  });
  it("keeping offset: stops at the earliest line that keeps it", () => {
    const grid = gridLines({ kind: "bar", count: 1 }, timebase);
    const origin = grid.after(0).sample + 1000;
    expect(snap(query({ wanted: -9_000_000, origin, grid, placing: "offset" })).position).toBe(1000);
    const held = snap(query({ wanted: -9_000_000, origin, grid, placing: "offset", least: 2000 }));
    expect(held.position).toBe(origin);
  });
  it("moves no farther back when the pointer moves on", () => {
    fc.assert(
      fc.property(
        step,
        position,
        position,
        fc.integer({ min: 0, max: 100_000 }),
        fc.constantFrom("line" as const, "offset" as const),
        (s, wanted, origin, more, placing) => {
          const grid = gridLines(s, timebase);
          expect(snap(query({ wanted: wanted + more, origin, grid, placing })).position).toBeGreaterThanOrEqual(
            snap(query({ wanted, origin, grid, placing })).position,
          );
        },
      ),
    );
  });
  it("when near: free beyond reach, drawn within it, to the nearest target", () => {
    const grid = gridLines({ kind: "bar", count: 1 }, timebase);
    const points = [sortedPoints("playhead", [50_000]), sortedPoints("edge", [50_300])];
    const at = (wanted: number) => snap(query({ wanted, grid, points, pull: "near" }));
    expect(at(60_000)).toEqual({ position: 60_000, target: null });
    expect(at(50_100)).toEqual({ position: 50_000, target: { kind: "playhead", position: 50_000 } });
    expect(at(50_200).position).toBe(50_300);
    expect(at(100).target?.kind).toBe("grid");
  });
  it("always: a point within reach wins over the grid", () => {
    const grid = gridLines({ kind: "note", division: 16, feel: "straight" }, timebase);
    expect(snap(query({ wanted: 50_100, grid, points: [sortedPoints("edge", [50_000])] })).position).toBe(50_000);
  });
  it("draws a clip's end to an edge too", () => {
    expect(snap(query({ wanted: 10_000, points: [sortedPoints("edge", [15_100])], also: [5000], pull: "near" })).position).toBe(10_100);
  });
  it("never goes before the least place or past the most", () => {
    fc.assert(
      fc.property(
        step,
        fc.integer({ min: -100_000, max: 3_000_000 }),
        position,
        fc.integer({ min: 0, max: 50_000 }),
        fc.constantFrom("line" as const, "offset" as const),
        fc.constantFrom("always" as const, "near" as const),
        (s, wanted, origin, least, placing, pull) => {
          expect(snap(query({ wanted, origin, grid: gridLines(s, timebase), placing, pull, least })).position).toBeGreaterThanOrEqual(least);
        },
      ),
    );
  });
  it("finds clip edges, but not the moving clips' own", () => {
    const doc = documentOf(2, [plainClip({ id: "c0", start: 100, length: 400 }), plainClip({ id: "c1", trackId: "t1", start: 480, length: 100 })]);
    const edges = edgePoints(doc, ["t0", "t1"], new Set([500, 100]));
    expect([edges.nearest(495, 30), edges.nearest(110, 50), edges.nearest(600, 25)]).toEqual([480, undefined, 580]);
  });
  it("always: a target that all but lies on a line gives way to it; one farther off still wins", () => {
    const grid = gridLines({ kind: "time", milliseconds: 100 }, timebase);
    const ask = (...at: number[]) => snap(query({ wanted: 4850, grid, points: [sortedPoints("edge", at)] }));
    expect(ask(4810).position).toBe(4800);
    expect(ask(4899).position).toBe(4800);
    expect(ask(4900)).toEqual({ position: 4900, target: { kind: "edge", position: 4900 } });
    expect(ask(4810, 5000).position).toBe(4800);
    expect(snap(query({ wanted: 4850, grid, points: [sortedPoints("edge", [4810]), sortedPoints("playhead", [5000])] })).position).toBe(5000);
  });
  it("takes edges on the tracks of the gesture before those of others", () => {
    const doc = documentOf(2, [plainClip({ id: "a", start: 1000 }), plainClip({ id: "b", trackId: "t1", start: 1200 })]);
    const points = [edgePoints(doc, ["t0"], new Set(), true), edgePoints(doc, ["t1"], new Set())];
    expect(snap(query({ wanted: 1190, pull: "near", points })).position).toBe(1000);
    expect(snap(query({ wanted: 1190, pull: "near", points, reach: 100 })).position).toBe(1200);
  });
  it("takes a border between picks of a take stack for one place, its splice, however long its blend", () => {
    const clip = { sourceId: "mono", layer: 0, bundle: "stack" } as const;
    const doc = documentOf(1, [
      plainClip({ ...clip, id: "a", start: 1000, length: 3100, take: "one" }),
      {
        ...plainClip({ ...clip, id: "b", start: 3900, length: 2000, take: "two" }),
        blend: { with: "a", splice: 4000, law: "auto", place: "centred", linked: true },
      },
    ]);
    const track = [...doc.tracks.keys()];
    for (const startsOnly of [false, true]) {
      const points = edgePoints(doc, track, new Set(), false, startsOnly);
      for (const near of [3890, 3900, 4010, 4100, 4110]) expect(points.nearest(near, 150)).toBe(4000);
    }
  });
});
