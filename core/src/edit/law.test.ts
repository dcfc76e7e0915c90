import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { written } from "../base/digest";
import { isLent } from "../dsp/fades";
import { applyChanges, blendAfter, type Document, dataOf, invertChanges } from "../model/document";
import { playsSame } from "../model/recipe/played-recording";
import { type Clip, clipEnd } from "../model/schema";
import { MemoryReader } from "../render/reader";
import { Renderer } from "../render/renderer";
import { documents, PCM } from "../testing/arbitraries";
import { aimed, edited, edits } from "../testing/edits";
import { bundleClips } from "./bundles/members";
import { EditError } from "./errors";
import { WINDOW } from "./law";
import { partners, withLinkedTracks } from "./links/links";
import { applyEdit, EDITS, type Edit, type Outcome } from "./registry";

/** The core knows no machine; its tests ask the one they run on how long to look. */
const { env } = (globalThis as unknown as { process: { env: Record<string, string | undefined> } }).process;
const RUNS = Number(env.RANDOM_EDITS ?? 1000);

const LENGTH = 30_000;
const laws = new Map(EDITS.map((e) => [e.type, e.law]));

/** What is heard of one track, by itself: left and right, one after the other. */
function soundOf(doc: Document, trackId: string, from = 0, count = LENGTH): Float32Array {
  const both = new Float32Array(2 * count);
  const track = doc.tracks.get(trackId);
  if (!track || track.mute) return both;
  const [left, right] = [both.subarray(0, count), both.subarray(count)];
  new Renderer(doc, new MemoryReader(PCM), { tracks: new Set([trackId]) }).render(from, count, left, right);
  return both;
}

type Span = readonly [number, number];

/** A line that got more points runs on through them but for rounding, and along silence to within 0.01 dB. */
const REDRAWN = new Set(["shift-envelope", "insert-time", "remove-time", "insert-section"]);

/** The first sample outside some spans at which two tracks differ; −1 where none does. */
function firstOutside(a: Float32Array, b: Float32Array, spans: readonly Span[], type: string): number {
  const differs = (i: number): boolean => (REDRAWN.has(type) ? Math.abs(a[i] - b[i]) > 0.0013 * Math.abs(a[i]) + 1e-5 : a[i] !== b[i]);
  for (let i = 0; i < LENGTH; i++) if ((differs(i) || differs(LENGTH + i)) && !spans.some(([from, to]) => i >= from && i < to)) return i;
  return -1;
}

const list = (value: unknown): string[] =>
  Array.isArray(value) ? value.filter((v) => typeof v === "string") : typeof value === "string" ? [value] : [];

/** The clips that an edit names, with those on linked tracks, and those of bundles that follow theirs. */
function named(doc: Document, edit: Edit): Set<string> {
  const notes = Array.isArray(edit.notes) ? (edit.notes as { slice: { clipId: string } }[]).map((n) => n.slice.clipId) : [];
  const ids = new Set([...list(edit.clipIds), ...list(edit.clipId), ...notes]);
  for (const id of [...ids]) {
    const clip = doc.clips.get(id);
    for (const p of clip && edit.links !== false ? partners(doc, clip) : []) ids.add(p.id);
  }
  for (const id of [...ids]) {
    const clip = doc.clips.get(id);
    for (const c of clip ? [clip.blend && doc.clips.get(clip.blend.with), blendAfter(doc, clip)] : []) if (c) ids.add(c.id);
  }
  for (const bundle of doc.bundles.values()) if (bundle.pattern !== null) for (const c of bundleClips(doc, bundle.id)) ids.add(c.id);
  return ids;
}

const spanOf = (c: Clip, pad: number): Span => [c.start - pad, clipEnd(c) + pad];

const BLENDS = new Set(["set-blend", "blend-range", "smooth", "fill-room", "close-gaps", "remove-blend"]);

/** By how much an edge that is laid bare, or blended, or a blend that is taken off may change what lies beside it. */
const padOf = (doc: Document, edit: Edit): number => {
  // A blend takes the place of whatever fade an edge had.
  const may = edit.edgeBlend || edit.overlap === "blend" || BLENDS.has(edit.type);
  const blends = [...doc.clips.values()].flatMap((c) => (c.blend || may ? [c.fadeIn.length, c.fadeOut.length] : []));
  return Math.max(edit.edgeFade?.length ?? 0, 576, Number(edit.blendLength ?? 0), Number(edit.border ?? 0), ...blends) + 2;
};

/** Where the law lets a track's sound change; null for everywhere. */
function allowed(doc: Document, after: Document, edit: Edit, trackId: string): Span[] | null {
  const own = spansOn(doc, after, edit, trackId);
  if (!own || !makesRoom(edit)) return own;
  // All that moves along does so from the earliest place on any track on.
  const first = [...doc.piece.trackOrder].flatMap((id) => spansOn(doc, after, edit, id)?.map(([from]) => from) ?? []);
  return first.length > 0 ? [[Math.min(...first), LENGTH]] : own;
}

const makesRoom = (edit: Edit): boolean =>
  edit.neighbours === "ripple" || edit.neighbours === "reorder" || (edit.type === "close-gaps" && edit.how !== "pull");

function spansOn(doc: Document, after: Document, edit: Edit, trackId: string): Span[] | null {
  const { sound } = laws.get(edit.type) as NonNullable<ReturnType<typeof laws.get>>;
  const pad = padOf(doc, edit);
  const spans: Span[] = [];
  if (sound === "everywhere" || sound === "time" || edit.how === "move-before") return null;
  if (sound === "nowhere") return [];
  if (sound === "tracks") {
    const ids = new Set([...list(edit.trackIds), ...list(edit.trackId)]);
    return ids.has(trackId) || !doc.tracks.has(trackId) ? null : [];
  }
  const ids = named(doc, edit);
  const own = (c: Clip, other: Document): boolean => ids.has(c.id) || !other.clips.has(c.id);
  if (sound === "clips" || sound === "stack") {
    if (edit.type === "close-gaps" && !list(edit.clipIds).length) {
      if (!withLinkedTracks(doc, list(edit.trackIds)).includes(trackId) && !makesRoom(edit)) return [];
      spans.push([Number(edit.start ?? 0) - 12_000, makesRoom(edit) ? LENGTH : Number(edit.end) + 12_000]);
    }
    if (sound === "stack")
      for (const d of [doc, after])
        for (const b of d.bundles.values()) if (b.takes) for (const c of bundleClips(d, b.id)) if (c.trackId === trackId) spans.push(spanOf(c, pad));
    for (const c of doc.lanes.get(trackId)?.clips ?? []) if (own(c, after)) spans.push(spanOf(c, pad));
    for (const c of after.lanes.get(trackId)?.clips ?? []) if (own(c, doc)) spans.push(spanOf(c, pad));
  }
  if (sound === "span") {
    const on = withLinkedTracks(doc, [...list(edit.trackIds), ...list(edit.trackId)]);
    const [from, to] = [Number(edit.start), Number(edit.end)];
    if (on.includes(trackId)) {
      spans.push([from - pad, to + pad]);
      if (edit.type === "move-range") spans.push([from + Number(edit.by) - pad, to + Number(edit.by) + pad]);
    }
    // What is laid elsewhere, and what rings on.
    for (const c of after.lanes.get(trackId)?.clips ?? []) {
      const was = doc.clips.get(c.id);
      if (!was || !playsSame(was, c) || was.start !== c.start) spans.push(spanOf(c, pad));
    }
    for (const c of after.lanes.get(trackId)?.clips ?? []) if (doc.clips.get(c.id)?.trackId !== trackId) spans.push(spanOf(c, pad));
    if (edit.type === "fade-range" || edit.type === "move-range")
      for (const c of doc.lanes.get(trackId)?.within(from, to) ?? []) spans.push(spanOf(c, pad));
    for (const b of doc.bundles.values()) if (b.pattern !== null) for (const c of bundleClips(doc, b.id)) spans.push(spanOf(c, pad));
  }
  if (sound === "seams") {
    const around = Number(edit.length) + pad;
    for (const seam of edit.seams as { position: number }[]) spans.push([seam.position - around, seam.position + around]);
    for (const b of doc.bundles.values()) if (b.pattern !== null) for (const c of bundleClips(doc, b.id)) spans.push(spanOf(c, around));
  }
  return spans;
}

/** The fields of clips that were there and stay which an edit changed, other than it may. */
function wrongFields(edit: Edit, outcome: Outcome, ids: ReadonlySet<string>): string[] {
  const law = laws.get(edit.type) as NonNullable<ReturnType<typeof laws.get>>;
  return outcome.changes.flatMap((change) => {
    if (change.kind !== "clip" || !change.before || !change.after) return [];
    const [was, is] = [change.before, change.after];
    const may = new Set<string>([
      ...law.fields,
      ...(ids.has(change.id) && law.sound !== "nowhere" && !edit.edgeBlend && !edit.edgeFade ? [] : WINDOW),
    ]);
    return (Object.keys({ ...was, ...is }) as (keyof Clip)[]).filter((k) => {
      if (JSON.stringify(was[k]) === JSON.stringify(is[k]) || may.has(k)) return false;
      // What an edge got by itself goes by itself.
      return !((k === "fadeIn" || k === "fadeOut" || k === "blend") && [was.fadeIn, was.fadeOut].some(isLent));
    });
  });
}

function attempt(doc: Document, edit: Edit): Outcome | null {
  try {
    return applyEdit(doc, edit);
  } catch (error) {
    if (error instanceof EditError) return null;
    throw error;
  }
}

/** Time that comes in or goes: what was before stays, what was after is the same, later or earlier, but for the edges that are cut and clips that follow the tempo. */
function timeLaw(doc: Document, after: Document, edit: Edit): string | null {
  const pad = padOf(doc, edit) + 192;
  const [from, to] = [Number(edit.start), Number(edit.end)];
  const [at, left, by] =
    edit.type === "remove-time"
      ? [from, to, from - to]
      : [Number(edit.at), Number(edit.at), edit.type === "insert-time" ? Number(edit.length) : to - from];
  for (const id of doc.piece.trackOrder) {
    const [was, is] = [soundOf(doc, id), soundOf(after, id)];
    const near = (a: number, b: number): boolean => Math.abs(a - b) <= 0.0013 * Math.abs(a) + 1e-5;
    for (let i = 0; i < LENGTH; i++) {
      const place = i < at ? i : i + by;
      if ((i >= at && i < left) || place >= LENGTH || Math.abs(i - at) < pad || Math.abs(i - left) < pad) continue;
      if (!near(was[i], is[place]) || !near(was[LENGTH + i], is[LENGTH + place])) return `${edit.type} changes the sound of ${id} at ${i}`;
    }
  }
  return null;
}

/** What was done to a document before: mostly it begins with something that other edits need. */
const FIRST = new Set(["stack-takes", "lay-recording", "bundle", "set-track", "add-marker", "add-section"]);
const prelude = fc
  .tuple(
    fc.oneof(
      edits,
      edits.filter((e) => FIRST.has(e.type)),
    ),
    fc.array(edits, { maxLength: 10 }),
  )
  .map(([first, rest]) => [first, ...rest]);

const seen = new Map<string, number>();

/** Holds one edit to its law; what is wrong with it in words, or null. */
function broken(doc: Document, edit: Edit): string | null {
  const outcome = attempt(doc, edit);
  if (!outcome) return null;
  seen.set(edit.type, (seen.get(edit.type) ?? 0) + 1);
  const { doc: after } = outcome;
  const law = laws.get(edit.type) as NonNullable<ReturnType<typeof laws.get>>;
  const ids = named(doc, edit);
  const wrong = wrongFields(edit, outcome, ids);
  if (wrong.length > 0) return `${edit.type} changes ${[...new Set(wrong)].join(", ")}`;
  if (law.lays === "none" && [...after.clips.values()].some((c) => !doc.clips.has(c.id)) && edit.overlap !== "cover" && edit.overlap !== "blend") {
    const fresh = [...after.clips.values()].filter((c) => !doc.clips.has(c.id) && !doc.bundles.size);
    if (fresh.length > 0 && edit.neighbours !== "ripple" && edit.neighbours !== "reorder") return `${edit.type} lays ${fresh.length} clips`;
  }
  if (law.lays === "named" && edit.overlap === "layer" && edit.neighbours === "hold") {
    const meant = edit.type === "paste" ? (edit.clips as unknown[]).length : [...list(edit.clipIds)].length;
    const links =
      edit.type === "paste"
        ? 0
        : [...new Set(list(edit.clipIds).flatMap((id) => partners(doc, doc.clips.get(id) as Clip).map((p) => p.id)))].filter(
            (id) => !list(edit.clipIds).includes(id),
          ).length;
    const laid = after.clips.size - doc.clips.size;
    if (outcome.notes.length === 0 && laid !== meant + links) return `${edit.type} lays ${laid} clips for ${meant + links}`;
  }
  for (const trackId of new Set([...doc.piece.trackOrder, ...after.piece.trackOrder])) {
    const spans = allowed(doc, after, edit, trackId);
    if (spans === null) continue;
    const at = firstOutside(soundOf(doc, trackId), soundOf(after, trackId), spans, edit.type);
    if (at >= 0) return `${edit.type} changes the sound of ${trackId} at ${at}, outside ${JSON.stringify(spans)}`;
  }
  if (law.sound === "time") {
    const why = timeLaw(doc, after, edit);
    if (why) return why;
  }
  const back = applyChanges(after, invertChanges(outcome.changes));
  if (written(dataOf(back)) !== written(dataOf(doc))) return `${edit.type} is not undone to the byte`;
  return null;
}

describe("the law of every edit", () => {
  it("is held by random edits on documents in which everything meets", () => {
    fc.assert(
      fc.property(documents, prelude, edits, fc.nat(1000), (start, before, edit, n) => {
        const doc = edited(start, before);
        const why = broken(doc, { ...aimed(doc, edit, n), key: "lawful" });
        if (why) throw new Error(why);
      }),
      { numRuns: RUNS },
    );
    // Most kinds come up, and can be done.
    if (RUNS >= 1000) expect(seen.size).toBeGreaterThan(60);
  });
});
