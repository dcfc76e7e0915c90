import fc from "fast-check";
import { EditError } from "../edit/errors";
import { applyEdits, type Edit } from "../edit/registry";
import { hitsBetween } from "../model/clip/hits";
import type { Document } from "../model/document";
import { clipEnd } from "../model/schema";
import { seamsOf } from "../seam/seams";
import { plainClip } from "./arbitraries";

/** Edits of every kind with random parameters, for documents of `arbitraries`; many of them are impossible, as in life. */
const someClips = fc.uniqueArray(fc.constantFrom("c0", "c1", "c2", "c3"), { minLength: 1, maxLength: 3 });
const someTracks = fc.uniqueArray(fc.constantFrom("t0", "t1", "t2"), { minLength: 1, maxLength: 3 });
const neighbours = fc.constantFrom("hold", "hold", "ripple", "reorder");
const reach = fc.constantFrom("track", "linked", "all");
/** Neighbours' rule, reach and overlaps. */
const modes = { neighbours, reach, overlap: fc.constantFrom("layer", "cover", "blend"), attacks: fc.boolean() };
const span = {
  start: fc.integer({ min: 0, max: 9000 }),
  end: fc.integer({ min: 9001, max: 14_000 }),
};
const shortSpan = { start: fc.integer({ min: 2000, max: 4000 }), end: fc.integer({ min: 4001, max: 6000 }) };
const at = fc.integer({ min: 0, max: 14_000 });
const bundles = fc.constantFrom("independent", "linked");
/** Stretches in order and apart, each a gap after the one before. */
const keptStretches = fc.array(fc.tuple(fc.integer({ min: 1, max: 1500 }), fc.integer({ min: 1, max: 1500 })), { maxLength: 5 }).map((list) => {
  let end = 0;
  return list.map(([gap, length]) => {
    const from = end + gap;
    end = from + length;
    return [from, end];
  });
});
/** Points of an envelope in order, some of which hold. */
const points = (last: number, least: number, most: number) =>
  fc.uniqueArray(fc.integer({ min: 0, max: last }), { minLength: 1, maxLength: 6 }).chain((ats) =>
    fc.tuple(
      ...ats
        .sort((a, b) => a - b)
        .map((at) =>
          fc
            .record({
              at: fc.constant(at),
              value: fc.integer({ min: least * 100, max: most * 100 }).map((v) => v / 100),
              hold: fc.constantFrom(undefined, true),
            })
            .map(defined),
        ),
    ),
  );
/** Without the fields that are undefined: an edit as it is sent has none. */
const defined = (edit: object): object => Object.fromEntries(Object.entries(edit).filter(([, v]) => v !== undefined));
const chains = fc.constantFrom(
  null,
  [{ kind: "invert" }],
  [
    { kind: "lowCut", hz: 200 },
    { kind: "gate", on: false },
  ],
  [
    { kind: "echo", time: 20, feedback: 0 },
    { kind: "gain", db: -3 },
  ],
);
/** Stacks and lanes as the first edits of a run would call them. */
const stacks = fc.constantFrom("stack", "test0.1", "test1.1", "test2.1");
const lanes = fc.constantFrom("low", "high", "test0.2", "test0.3", "test1.2", "test1.3", "test2.2", "test2.3");
const border = fc.constantFrom(0, 1, 60, 480);
/** What was recorded on one or two tracks, in one round or several, some of them broken off. */
const recordedTracks = fc
  .record({
    start: at,
    sourceId: fc.constantFrom("mono", "stereo"),
    offset: fc.integer({ min: 0, max: 3000 }),
    lengths: fc.array(fc.integer({ min: 1, max: 2500 }), { minLength: 1, maxLength: 3 }),
    on: fc.uniqueArray(fc.constantFrom("t0", "t1"), { minLength: 1, maxLength: 2 }),
  })
  .map(({ start, sourceId, offset, lengths, on }) =>
    on.map((trackId) => ({
      trackId,
      sourceId,
      takes: lengths.map((length, i) => [
        { start, offset: offset + i * 100, length },
        ...(length % 5 === 0 ? [{ start: start + length + 10, offset: offset + length + 300, length: 200 }] : []),
      ]),
    })),
  );
/** Slices that were played, some of clips that no longer cover them. */
const playedNotes = fc.array(
  fc
    .record({
      at,
      gain: fc.constantFrom(0, -6),
      clipId: fc.constantFrom("c0", "c1", "c2", "c3"),
      start: fc.integer({ min: 0, max: 6000 }),
      length: fc.integer({ min: 1, max: 1500 }),
      cents: fc.constantFrom(0, 0, 700, -1200),
      reverse: fc.boolean(),
    })
    .map(({ at, gain, start, length, ...slice }) => ({ at, gain, slice: { ...slice, start, end: start + length } })),
  { minLength: 1, maxLength: 3 },
);
export const edits: fc.Arbitrary<Edit> = fc
  .oneof(
    fc.record({
      type: fc.constant("move"),
      clipIds: someClips,
      by: fc.integer({ min: -3000, max: 3000 }),
      tracks: fc.integer({ min: -1, max: 1 }),
      ...modes,
    }),
    fc.record({ type: fc.constant("move"), clipIds: someClips, to: at, ...modes }),
    fc.record({ type: fc.constant("copy"), clipIds: someClips, to: at, tracks: fc.integer({ min: -1, max: 1 }), bundles, ...modes }),
    fc.record({ type: fc.constant("repeat"), clipIds: someClips, times: fc.integer({ min: 1, max: 3 }), bundles, ...modes }),
    fc.record({ type: fc.constant("repeat"), clipIds: someClips, until: at, every: fc.integer({ min: 300, max: 4000 }), ...modes }),
    fc.record({ type: fc.constant("join"), clipIds: someClips }),
    fc.record({ type: fc.constant("bundle"), clipIds: someClips }),
    fc.record({ type: fc.constant("release"), bundleId: fc.constantFrom("test0.1", "test1.1", "test2.1") }),
    fc.record({ type: fc.constant("stack-takes"), clipIds: someClips, border }),
    fc.record({ type: fc.constant("stack-takes"), id: fc.constant("stack"), clipIds: someClips, laneIds: fc.constant(["low", "high"]), border }),
    fc.record({ type: fc.constant("lay-slices"), trackId: fc.constantFrom("t0", "t1"), notes: playedNotes, overlap: modes.overlap }),
    fc.record({ type: fc.constant("lay-recording"), tracks: recordedTracks, border, ...modes }),
    fc.record({ type: fc.constant("pick"), bundleId: stacks, laneId: lanes, ...shortSpan, border }),
    fc.record({ type: fc.constant("set-lane"), bundleId: stacks, laneId: lanes, rating: fc.integer({ min: 0, max: 5 }) }),
    fc.record({ type: fc.constant("move-lane"), bundleId: stacks, laneId: lanes, by: fc.integer({ min: -2000, max: 2000 }), border }),
    fc.record({
      type: fc.constant("change-lane"),
      bundleId: stacks,
      laneId: lanes,
      border,
      edit: fc.oneof(
        fc.record({ type: fc.constant("reverse") }),
        fc.record({ type: fc.constant("shift-inside"), by: fc.integer({ min: -200, max: 200 }) }),
        fc.record({ type: fc.constant("stretch"), factor: fc.constantFrom(0.8, 1.25) }),
        fc.record({ type: fc.constant("set-pitch"), cents: fc.constantFrom(-300, 700) }),
        fc.record({ type: fc.constant("treat"), chain: fc.constantFrom([{ kind: "invert", on: true }], null) }),
        fc.record({ type: fc.constant("set-gain"), by: fc.constantFrom(-6, 3) }),
        fc.record({ type: fc.constant("as-recorded") }),
      ),
    }),
    fc.record({ type: fc.constant("add-lane"), bundleId: stacks, sourceId: fc.constantFrom("mono", "stereo"), at, border }),
    fc.record({ type: fc.constant("remove-lane"), bundleId: stacks, laneId: lanes, border }),
    fc.record({ type: fc.constant("flatten"), bundleId: stacks }),
    fc.record({ type: fc.constant("open-out"), bundleId: stacks }),
    fc.record({ type: fc.constant("set-layer"), clipIds: someClips, to: fc.constantFrom("top", "bottom", "up", "down") }),
    fc.record({ type: fc.constant("set-track"), trackIds: someTracks, link: fc.constantFrom("a", null) }),
    fc.record({ type: fc.constant("duplicate-track"), trackId: fc.constantFrom("t0", "t1") }),
    fc.record({ type: fc.constant("delete-range"), ...shortSpan, trackIds: someTracks, neighbours, reach }),
    fc.record({ type: fc.constant("split-range"), ...shortSpan, trackIds: someTracks }),
    fc.record({ type: fc.constant("mute-range"), ...shortSpan, trackIds: someTracks, mute: fc.boolean() }),
    fc.record({
      type: fc.constant("move-range"),
      ...shortSpan,
      trackIds: someTracks,
      by: fc.integer({ min: -3000, max: 3000 }),
      tracks: fc.integer({ min: -1, max: 1 }),
      copy: fc.boolean(),
      ...modes,
    }),
    fc.record({ type: fc.constant("repeat-range"), ...shortSpan, trackIds: someTracks, times: fc.integer({ min: 1, max: 3 }), ...modes }),
    fc.record({ type: fc.constant("insert-time"), at, length: fc.integer({ min: 1, max: 5000 }) }),
    fc.record({ type: fc.constant("remove-time"), ...shortSpan }),
    fc.record({ type: fc.constant("insert-section"), at, ...span }),
    fc.record({
      type: fc.constant("split"),
      clipIds: someClips,
      parts: fc.integer({ min: 2, max: 5 }),
      pad: fc.integer({ min: 0, max: 40 }),
      syncs: fc.boolean(),
    }),
    fc.record({ type: fc.constant("set-sensitivity"), clipIds: someClips, sensitivity: fc.constantFrom(0, 0.4, 1, null) }),
    fc.record({ type: fc.constant("add-hits"), clipIds: someClips, at: fc.array(at, { minLength: 1, maxLength: 3 }) }),
    fc.record({ type: fc.constant("move-hit"), clipId: fc.constantFrom("c0", "c1", "c2", "c3"), from: at, to: at }),
    fc.record({ type: fc.constant("remove-hits"), clipIds: someClips }),
    fc.record({ type: fc.constant("reset-hits"), clipIds: someClips }),
    fc.record({ type: fc.constant("split"), clipIds: someClips, every: fc.integer({ min: 100, max: 900 }) }),
    fc.record({ type: fc.constant("split"), clipIds: someClips, at: fc.oneof(at, fc.array(at, { minLength: 1, maxLength: 4 })) }),
    fc.record({
      type: fc.constant("clear-silence"),
      clipIds: someClips,
      keep: fc.dictionary(fc.constantFrom("c0", "c1", "c2", "c3"), keptStretches, { minKeys: 2 }),
      neighbours,
      reach,
    }),
    fc.record({
      type: fc.constant("tighten"),
      clipIds: someClips,
      grid: fc.constantFrom(
        { kind: "sample", count: 500 },
        { kind: "note", division: 64 },
        { kind: "part", parts: 31 },
        { kind: "time", milliseconds: 7 },
      ),
      strength: fc.constantFrom(0.4, 1),
      swing: fc.constantFrom(0, 0.5),
      feel: fc.constantFrom(
        undefined,
        undefined,
        Array.from({ length: 64 }, (_, k) => (k % 3) - 1),
      ),
      reach: fc.constantFrom(undefined, 200),
      leave: fc.constantFrom(0, 20),
      lead: fc.constantFrom(0, 30, 192),
      blendLength: fc.constantFrom(undefined, 60),
      how: fc.constantFrom(undefined, "cutting", "stretching"),
    }),
    fc.record({
      type: fc.constant("fill-room"),
      trackId: fc.constantFrom("t0", "t1"),
      ...span,
      passages: fc.constantFrom(
        [{ sourceId: "mono", from: 200, to: 5800 }],
        [
          { sourceId: "stereo", from: 1000, to: 9000, gain: -6 },
          { sourceId: "mono", from: 0, to: 3000, channels: [0] },
        ],
      ),
      blendLength: fc.constantFrom(undefined, 40, 200),
    }),
    fc.record({
      type: fc.constant("close-gaps"),
      clipIds: fc.option(someClips, { nil: undefined }),
      trackIds: someTracks,
      ...span,
      how: fc.constantFrom("pull", "move", "move-before"),
      longest: fc.constantFrom(undefined, 900),
      blendLength: fc.constantFrom(undefined, 90),
      attacks: fc.boolean(),
      reach,
    }),
    fc.record({
      type: fc.constant("trim"),
      clipIds: someClips,
      edge: fc.constantFrom("start", "end"),
      by: fc.integer({ min: -1500, max: 1500 }),
      ...modes,
    }),
    fc.record({ type: fc.constant("delete"), clipIds: someClips, neighbours, reach }),
    fc.record({ type: fc.constant("shift-inside"), clipIds: someClips, by: fc.integer({ min: -900, max: 900 }) }),
    fc.record({
      type: fc.constant("set-time"),
      tempo: fc.constantFrom(
        [{ tick: 0, bpm: 97 }],
        [
          { tick: 0, bpm: 60, ramp: true },
          { tick: 960, bpm: 140 },
        ],
      ),
      keep: fc.constantFrom("time", "bars"),
    }),
    fc.record({
      type: fc.constant("set-time"),
      meter: fc.constantFrom(
        [{ tick: 0, numerator: 3, denominator: 8 }],
        [
          { tick: 0, numerator: 6, denominator: 8 },
          { tick: 500, numerator: 2, denominator: 4 },
        ],
      ),
      keep: fc.constantFrom("time", "bars"),
    }),
    fc.record({ type: fc.constant("set-fade"), clipIds: someClips, edge: fc.constantFrom("in", "out"), length: fc.integer({ min: 0, max: 4000 }) }),
    fc.record({
      type: fc.constant("fade-range"),
      start: fc.integer({ min: 0, max: 6000 }),
      end: fc.integer({ min: 6001, max: 16_000 }),
      trackIds: fc.constant(["t0", "t1", "t2"]),
      edge: fc.constantFrom("in", "out"),
    }),
    fc.record({
      type: fc.constant("set-blend"),
      clipId: fc.constantFrom("c0", "c1", "c2"),
      length: fc.integer({ min: 1, max: 800 }),
      place: fc.constantFrom("centred", "before", "after"),
    }),
    fc.record({ type: fc.constant("blend-range"), ...shortSpan, trackIds: someTracks, law: fc.constantFrom("auto", "gain", "power") }),
    fc.record({
      type: fc.constant("set-blend"),
      clipId: fc.constantFrom("c1", "c2"),
      length: fc.integer({ min: 1, max: 800 }),
      splice: fc.integer({ min: 0, max: 9000 }),
    }),
    fc.record({
      type: fc.constant("smooth"),
      seams: fc.array(
        fc.record({ left: fc.constantFrom("c0", "c1", null), right: fc.constantFrom("c2", "c3", null), position: fc.integer({ min: 0, max: 9000 }) }),
        {
          minLength: 1,
          maxLength: 3,
        },
      ),
      length: fc.integer({ min: 1, max: 500 }),
      how: fc.constantFrom("best", "blend", "fades"),
    }),
    fc.record({
      type: fc.constant("set-envelope"),
      clipIds: someClips,
      kind: fc.constantFrom("gain", "pan", "pitch"),
      points: fc.option(points(6000, -1, 1), { nil: null }),
      from: fc.constantFrom("recording", "clip"),
    }),
    fc.record({ type: fc.constant("set-envelope"), clipIds: someClips, points: points(6000, -144, 24) }),
    fc.record({ type: fc.constant("set-envelope"), clipIds: someClips, kind: fc.constant("pitch"), points: points(6000, -2400, 2400) }),
    fc.record({
      type: fc.constant("shift-envelope"),
      ...shortSpan,
      trackIds: someTracks,
      kind: fc.constantFrom("gain", "pan", "pitch"),
      by: fc.constantFrom(-12, 0.5, 30),
    }),
    fc.record({ type: fc.constant("reverse"), clipIds: someClips }),
    fc.record({
      type: fc.constant("stretch"),
      clipIds: someClips,
      kind: fc.constantFrom(undefined, "smooth", "hits", "tape"),
      length: fc.integer({ min: 1, max: 6000 }),
      edge: fc.constantFrom("start", "end"),
      ...modes,
    }),
    fc.record({ type: fc.constant("stretch"), clipIds: someClips, factor: fc.constantFrom(0.125, 0.75, 1, 1.5, 8), ...modes }),
    fc.record({ type: fc.constant("stretch"), clipIds: someClips, kind: fc.constantFrom("smooth", "tape") }),
    fc.record({
      type: fc.constant("set-pitch"),
      clipIds: someClips,
      cents: fc.constantFrom(0, -700, 1200),
      kind: fc.constantFrom(undefined, "hits"),
    }),
    fc.record({
      type: fc.constant("warp"),
      clipIds: someClips,
      points: fc.option(
        fc
          .uniqueArray(fc.integer({ min: 0, max: 30 }), { minLength: 1, maxLength: 5 })
          .chain((froms) =>
            fc.tuple(
              ...froms
                .sort((a, b) => a - b)
                .map((f, i) => fc.integer({ min: -60, max: 60 }).map((d) => ({ from: f * 200, to: f * 200 - 500 + i * 70 + d }))),
            ),
          ),
        { nil: null },
      ),
      kind: fc.constantFrom(undefined, "smooth", "hits"),
      ...modes,
    }),
    fc.record({
      type: fc.constant("treat"),
      clipIds: someClips,
      chain: chains,
      grow: fc.boolean(),
      overlap: fc.constantFrom("layer", "cover", "blend"),
    }),
    fc.record({ type: fc.constant("treat-range"), ...shortSpan, trackIds: someTracks, chain: chains, grow: fc.boolean() }),
    fc.record({
      type: fc.constant("conform"),
      clipIds: someClips,
      conform: fc.constantFrom(
        null,
        { bpm: 240, first: 100 },
        { bpm: 300 },
        { beats: [0, 900, 2500, 4000] },
        { beats: [500, 4000] },
        { beats: [0, 3500, 7000] },
      ),
      kind: fc.constantFrom(undefined, "smooth", "hits", "tape"),
      overlap: fc.constantFrom("layer", "cover", "blend"),
    }),
    fc.record({ type: fc.constant("as-recorded"), clipIds: someClips, ...modes }),
    fc.record({ type: fc.constant("reverse-range"), ...shortSpan, trackIds: someTracks }),
    fc.record({ type: fc.constant("set-ride"), trackIds: someTracks, points: fc.option(points(14_000, -144, 24), { nil: null }) }),
    fc.record({ type: fc.constant("remove-blend"), clipId: fc.constantFrom("c0", "c1", "c2") }),
    fc.record({ type: fc.constant("set-gain"), clipIds: someClips, by: fc.constantFrom(-6, 3) }),
    fc.record({ type: fc.constant("mute"), clipIds: someClips, mute: fc.boolean() }),
    fc.record({ type: fc.constant("add-track"), name: fc.constant("New"), index: fc.integer({ min: 0, max: 4 }) }),
    fc.record({ type: fc.constant("remove-track"), trackId: fc.constantFrom("t0", "t1") }),
    fc.record({ type: fc.constant("move-track"), trackId: fc.constantFrom("t0", "t1"), index: fc.integer({ min: 0, max: 4 }) }),
    fc.record({
      type: fc.constant("add-clip"),
      trackId: fc.constantFrom("t0", "t2"),
      sourceId: fc.constantFrom("mono", "stereo"),
      start: at,
      offset: fc.integer({ min: 0, max: 2000 }),
      ...modes,
      channels: fc.constantFrom(undefined, [0]),
    }),
    fc.record({
      type: fc.constant("paste"),
      at,
      clips: fc.array(
        fc
          .record({ source: fc.constantFrom("mono", "stereo"), start: fc.integer({ min: 0, max: 3000 }), length: fc.integer({ min: 1, max: 2000 }) })
          .map(({ source, start, length }) => ({
            ...plainClip({ id: `held${start}`, sourceId: source, start, length, trackId: "t1" }),
            layer: start,
          })),
        { minLength: 1, maxLength: 3 },
      ),
      ...modes,
    }),
    fc.record({
      type: fc.constant("set-clip"),
      clipIds: someClips,
      name: fc.constantFrom(undefined, "Renamed"),
      sync: fc.constantFrom(undefined, null, 5, 700),
    }),
    fc.record({ type: fc.constant("set-bundle"), bundleId: fc.constantFrom("test0.1", "test1.1"), name: fc.constant("Bundled") }),
    fc.record({ type: fc.constant("set-loop"), loop: fc.constantFrom(null, { start: 100, end: 5000, on: true }) }),
    fc.record({ type: fc.constant("rename-track"), trackId: fc.constantFrom("t0", "t1"), name: fc.constant("Looms") }),
    fc.record({ type: fc.constant("replace-with-print"), clipIds: someClips, sourceId: fc.constantFrom("mono", "stereo"), start: at }),
    fc.record({ type: fc.constant("add-marker"), id: fc.constantFrom(undefined, "m0"), position: at }),
    fc.record({ type: fc.constant("set-marker"), id: fc.constant("m0"), position: at }),
    fc.record({ type: fc.constant("remove-marker"), id: fc.constant("m0") }),
    fc.record({ type: fc.constant("add-section"), id: fc.constantFrom(undefined, "s0"), ...span }),
    fc.record({ type: fc.constant("set-section"), id: fc.constant("s0"), ...shortSpan }),
    fc.record({ type: fc.constant("remove-section"), id: fc.constant("s0") }),
  )
  .chain((edit) =>
    fc
      .constantFrom(
        {},
        { edgeFade: { length: 192, shape: "power" as const, bend: 0 } },
        { edgeFade: { length: 192, shape: "s" as const, bend: 0, attacks: true } },
        { edgeFade: { length: 90, shape: "power" as const, bend: 0 }, edgeBlend: true },
      )
      .map((edges) => ({ ...defined(edit), ...edges, key: "test" }) as Edit),
  );

/**
 * An edit whose names are those of what is there, where by chance they would hardly ever meet: of seams, blends, take stacks and their lanes, hits.
 * `n` chooses among several.
 */
export function aimed(doc: Document, edit: Edit, n: number): Edit {
  const of = <T>(list: readonly T[]): T | undefined => list[n % Math.max(1, list.length)];
  const stack = of([...doc.bundles.values()].filter((b) => b.takes));
  const lane = stack?.takes?.[n % stack.takes.length];
  switch (edit.type) {
    case "smooth": {
      const seams = [...doc.lanes].flatMap(([id, lane]) => seamsOf(lane, id)).filter((s) => s.kind !== "unbroken");
      const picked = [of(seams), seams[(n * 7) % Math.max(1, seams.length)]].flatMap((s) =>
        s ? [{ left: s.left?.id ?? null, right: s.right?.id ?? null, position: s.position }] : [],
      );
      return picked.length > 0 ? { ...edit, seams: picked } : edit;
    }
    case "remove-blend":
      return { ...edit, clipId: of([...doc.clips.values()].filter((c) => c.blend))?.id ?? edit.clipId };
    case "lay-recording": {
      // Every other one goes into the stack.
      const [first] = edit.tracks as { trackId: string }[];
      return stack && n % 2 === 1 ? { ...edit, tracks: [{ ...first, trackId: stack.trackId, into: stack.id }] } : edit;
    }
    case "pick":
    case "set-lane":
    case "change-lane":
    case "move-lane":
    case "remove-lane":
    case "add-lane":
    case "flatten":
    case "open-out":
      return stack ? { ...edit, bundleId: stack.id, ...(edit.laneId !== undefined && { laneId: lane?.id }) } : edit;
    case "move-hit": {
      const clip = of([...doc.clips.values()].filter((c) => hitsBetween(doc.sources, c, c.start, clipEnd(c)).length > 0));
      return clip
        ? { ...edit, clipId: clip.id, from: hitsBetween(doc.sources, clip, clip.start, clipEnd(clip))[0], to: clip.start + (n % clip.length) }
        : edit;
    }
    default:
      return edit;
  }
}

/** The document after edits in their order; those that can't be done are refused, and leave it as it is. */
export function edited(start: Document, list: readonly Edit[]): Document {
  return list.reduce((doc, edit, i) => {
    try {
      return applyEdits(doc, [{ ...edit, key: `test${i}` }]).doc;
    } catch (error) {
      if (error instanceof EditError) return doc;
      throw error;
    }
  }, start);
}
