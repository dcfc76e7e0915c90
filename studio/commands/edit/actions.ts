import { bundlesAround } from "@wet-thread/core/edit/bundles/members";
import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey, type Outcome } from "@wet-thread/core/edit/registry";
import { type Document, documentEnd } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import type { Seam } from "@wet-thread/core/seam/seams";
import { frameRate, frameToSample, sampleToFrame } from "@wet-thread/core/time/timecode";
import { transport } from "@/engine/transport";
import { settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { edited } from "@/state/view/modes";
import { selectClips, setView, spanInView, view } from "@/state/view/view";
import { goTo, type Place, showSpan, stepView } from "@/state/view/view-history";
import { toast } from "@/state/words/toast";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import { HEIGHTS, laneBoxes, mostScroll, scrollTo } from "@/timeline/model/geometry";
import { viewGrid } from "@/timeline/model/grid-columns";
import { findSeam, laneSeams } from "@/timeline/model/seam-classes";
import { hitsIn } from "@/timeline/model/snapping";
import { addMarker } from "./marks";
import { seamMeant, walksFrom } from "./seam-meant";

const doc = (): Document => session().doc;

export const selectedClips = (): Clip[] => [...view().clipIds].map((id) => doc().clips.get(id)).filter((c) => c !== undefined);

/** The clips that a panel, or a slice kit, is about: those selected, else those that the range touches. */
export function clipsMeant(): Clip[] {
  const { range } = view();
  const { doc } = session();
  const selected = selectedClips();
  return selected.length || !range ? selected : range.trackIds.flatMap((id) => doc.lanes.get(id)?.within(range.start, range.end) ?? []);
}

/** Selects the clips that an edit laid, and nothing else: not what it cut off others. */
export function selectLaid({ laid }: Outcome): void {
  if (laid.length) selectClips(doc(), laid);
}

/** The tracks that a command without a selection means: the chosen one, or all that are shown. */
export const tracksMeant = (): string[] => {
  const { range, trackId } = view();
  return range ? [...range.trackIds] : trackId && doc().tracks.has(trackId) ? [trackId] : laneBoxes(doc()).map((b) => b.trackId);
};

/** Over a range: each track fades over it, by its own length. Without one: the set length at the edge of every selected clip. */
export function fade(edge: "in" | "out"): void {
  const { range } = view();
  const { shape, bend } = settings().lastFade;
  if (range) return void session().edit([{ type: "fade-range", start: range.start, end: range.end, trackIds: range.trackIds, edge, shape, bend }]);
  const clips = selectedClips();
  if (clips.length === 0) return void toast("Select clips, or make a range over the part to fade.", { id: "select" });
  session().edit([
    {
      type: "set-fade",
      clipIds: clips.map((c) => c.id),
      edge,
      length: Math.round((Math.max(1, settings().edgeFadeMs) * doc().sampleRate) / 1000),
      shape,
      bend,
    },
  ]);
}

/** The edit that smooths seams at the set length and shape. */
export function smoothEdit(d: Document, seams: readonly Seam[], how: "best" | "blend" | "fades" = "best"): Edit {
  return {
    type: "smooth",
    seams: seams.map(({ left, right, position }) => ({ left: left?.id ?? null, right: right?.id ?? null, position })),
    length: Math.round((Math.max(1, settings().edgeFadeMs) * d.sampleRate) / 1000),
    shape: settings().edgeFadeShape,
    bend: settings().edgeFadeBend,
    how,
  };
}

/** The joints of clips on some tracks inside a span: where one begins as the other ends, or blends into it. */
function jointsIn(d: Document, trackIds: readonly string[], start: number, end: number): Seam[] {
  return trackIds.flatMap((id) => laneSeams(d, id).filter((s) => s.position > start && s.position < end && s.left && s.right && s.left !== s.right));
}

/** Chooses the seam on a track nearest to a position, so that what was made is seen. */
function chooseSeamNear(trackId: string, position: number): void {
  const near = laneSeams(doc(), trackId).reduce<Seam | null>(
    (best, s) => (!best || Math.abs(s.position - position) < Math.abs(best.position - position) ? s : best),
    null,
  );
  if (near) setView({ seamId: near.id, tab: "seam", clipIds: new Set(), trackId });
}

/**
 * Over a range: the clips that meet in it cross over it; where more joints lie in it than one a track, each blends over the length used
 * last; short gaps are filled before, if that is set. Without a range the chosen seam blends. The seam is opened then.
 */
export function blend(): void {
  const { range } = view();
  const { lastFade, lastBlend, fillGapsMs } = settings();
  const { shape, bend } = lastFade;
  const { law } = lastBlend;
  if (range) {
    const { start, end } = range;
    const trackIds = [...range.trackIds];
    const edits: Edit[] = [];
    let d = doc();
    const longest = Math.round((fillGapsMs * d.sampleRate) / 1000);
    if (longest > 0) {
      const fill: Edit = { type: "close-gaps", start, end, trackIds, how: "pull", longest, key: newKey() };
      try {
        d = applyEdits(d, [edited(fill, d.sampleRate)]).doc;
        edits.push(fill);
      } catch (error) {
        // Without gaps there is nothing to fill.
        if (!(error instanceof EditError)) throw error;
      }
    }
    const joints = jointsIn(d, trackIds, start, end);
    const most = Math.max(0, ...trackIds.map((id) => joints.filter((s) => s.trackId === id).length));
    const open = joints.filter((s) => s.kind !== "blended");
    if (most === 1 && edits.length === 0) edits.push({ type: "blend-range", start, end, trackIds, law, shape, bend });
    else if (open.length > 0)
      edits.push({ ...smoothEdit(d, open, "blend"), law, length: Math.max(1, Math.round((lastBlend.ms * d.sampleRate) / 1000)) });
    if (edits.length === 0) return void toast("No two clips meet in the range.", { id: "blend" });
    if (session().edit(edits) && joints.length > 0) chooseSeamNear(joints[0].trackId, joints[0].position);
    return;
  }
  const seam = seamMeant();
  if (!seam) return void toast("Make a range over a splice, or choose a seam, to blend.", { id: "blend" });
  const length = Math.max(1, Math.round((lastBlend.ms * doc().sampleRate) / 1000));
  if (session().edit([{ ...smoothEdit(doc(), [seam], "blend"), law, length }], "Blend seam")) chooseSeamNear(seam.trackId, seam.position);
}

/** Why smoothing a seam changed nothing. */
const NOT_SMOOTHED: Readonly<Record<Seam["kind"], string>> = {
  blended: "A blend is smooth already.",
  unbroken: "The sound runs on there: there is nothing to smooth.",
  open: "It is as smooth as it can be made there.",
};

export function smoothSeam(id: string): void {
  const seam = findSeam(doc(), id);
  const done = seam && session().edit([smoothEdit(doc(), [seam])]);
  if (done && done.changes.length === 0) toast(NOT_SMOOTHED[seam.kind], { id: "smooth" });
}

/** Smooths the seam that is meant. */
export function smoothMeant(): void {
  const seam = seamMeant();
  if (seam) smoothSeam(seam.id);
  else toast("Choose a seam to smooth it: click its mark, or go to it by key.", { id: "select" });
}

/** The next or previous seam on the tracks meant; the view follows at the same zoom. */
export function stepSeam(direction: 1 | -1): void {
  const d = doc();
  const seams = tracksMeant()
    .flatMap((id) => [...laneSeams(d, id)])
    .sort((a, b) => a.position - b.position);
  const from = walksFrom();
  const next = direction > 0 ? seams.find((s) => s.position > from) : seams.findLast((s) => s.position < from);
  if (!next) return void toast(direction > 0 ? "There is no later seam." : "There is no earlier seam.", { id: "step" });
  setView({ seamId: next.id, clipIds: new Set(), tab: "seam", trackId: next.trackId, playhead: next.position });
  reveal(next.position);
}

export function toEnd(): void {
  const end = documentEnd(doc());
  placePlayhead(end);
  reveal(end);
}

/** Brings a position into view at the same zoom. */
export function reveal(position: number): void {
  const { start, width, samplesPerPixel } = view();
  const x = (position - start) / samplesPerPixel;
  if (x < 40 || x > width - 40) goTo({ start: Math.max(0, position - (width * samplesPerPixel) / 2) });
}

/** The playhead to the next or previous hit that is heard on the tracks meant. */
export function stepHit(direction: 1 | -1): void {
  const { playhead } = view();
  const at = Math.round(playhead);
  const end = documentEnd(doc());
  const hits = hitsIn(doc(), tracksMeant(), direction > 0 ? at + 1 : 0, direction > 0 ? end : at);
  const hit = direction > 0 ? hits[0] : hits.at(-1);
  if (hit === undefined) return void toast(direction > 0 ? "There is no later hit." : "There is no earlier hit.", { id: "step" });
  placePlayhead(hit);
  reveal(hit);
}

/** The end of the range to the next or previous hit on its tracks; without a range, one from the playhead on. */
export function rangeToHit(direction: 1 | -1): void {
  const { range, playhead } = view();
  const start = range?.start ?? Math.round(playhead);
  const end = range?.end ?? start;
  const trackIds = range?.trackIds ?? tracksMeant();
  const hits = hitsIn(doc(), trackIds, direction > 0 ? end + 1 : start + 1, direction > 0 ? documentEnd(doc()) : end);
  const hit = direction > 0 ? hits[0] : hits.at(-1);
  if (hit === undefined) return void toast(direction > 0 ? "There is no later hit." : "There is no earlier hit in the range.", { id: "step" });
  setView({ range: { start, end: hit, trackIds: [...trackIds] } });
  reveal(hit);
}

/** The playhead to the next or previous grid line. */
export function stepGrid(direction: 1 | -1): void {
  const { playhead, start, samplesPerPixel } = view();
  const { lines } = viewGrid(doc(), settings(), start, samplesPerPixel);
  const at = Math.round(playhead);
  const to = direction > 0 ? lines.after(at).sample : lines.before(Math.max(0, at - 1)).sample;
  placePlayhead(to);
  reveal(to);
}

/** Moves the playhead to the beginning of the next frame, or of the one that it is in or at the beginning of which it stands. */
export function stepFrame(direction: 1 | -1): void {
  const { piece, sampleRate } = doc();
  const rate = frameRate(piece.frameRate);
  const at = Math.round(view().playhead);
  const on = sampleToFrame(at, rate, sampleRate);
  const frame = direction > 0 || frameToSample(on, rate, sampleRate) === at ? on + direction : on;
  const to = Math.max(0, frameToSample(Math.max(0, frame), rate, sampleRate));
  placePlayhead(to);
  reveal(to);
}

export const addMarkerAtPlayhead = (): void => addMarker(Math.round(view().playing ? transport().position() : view().playhead));

export function sectionFromRange(): void {
  const { range } = view();
  if (!range) return void toast("Make a range first; the section takes its bounds.", { id: "section" });
  const id = `section-${Date.now().toString(36)}`;
  if (session().edit([{ type: "add-section", id, start: range.start, end: range.end }])) setView({ markId: id, markPanel: true });
}

export function stepMarker(direction: 1 | -1): void {
  const at = Math.round(view().playing ? transport().position() : view().playhead);
  const markers = [...doc().markers.values()].sort((a, b) => a.position - b.position);
  const next = direction > 0 ? markers.find((m) => m.position > at) : markers.findLast((m) => m.position < at);
  if (!next) return void toast(direction > 0 ? "There is no later marker." : "There is no earlier marker.", { id: "step" });
  placePlayhead(next.position);
  reveal(next.position);
}

/** The span between the markers around the playhead, over all tracks that are shown. */
export function rangeBetweenMarkers(): void {
  const at = Math.round(view().playhead);
  const markers = [...doc().markers.values()].map((m) => m.position).sort((a, b) => a - b);
  const start = markers.findLast((p) => p <= at) ?? 0;
  const end = markers.find((p) => p > at) ?? documentEnd(doc());
  if (end > start) setView({ range: { start, end, trackIds: laneBoxes(doc()).map((b) => b.trackId) }, clipIds: new Set(), seamId: null });
}

/** The loop from the range, else from the selected clips; where it is that already, on or off. */
export function setLoopFromRange(): void {
  const clips = selectedClips();
  const range = view().range ?? (clips.length ? { start: Math.min(...clips.map((c) => c.start)), end: Math.max(...clips.map(clipEnd)) } : null);
  const { loop } = doc().piece;
  if (range && !(loop && loop.start === range.start && loop.end === range.end))
    return void session().edit([{ type: "set-loop", loop: { start: range.start, end: range.end, on: true } }]);
  if (!loop) return void toast("Make a range, or select clips, first; the loop takes their bounds.", { id: "loop" });
  session().edit([{ type: "set-loop", loop: { ...loop, on: !loop.on } }], loop.on ? "Loop off" : "Loop on");
}

/** The range over the loop, on the tracks meant. */
export function rangeOfLoop(): void {
  const { loop } = doc().piece;
  if (!loop) return void toast("There is no loop yet.", { id: "range" });
  setView({ range: { start: loop.start, end: loop.end, trackIds: tracksMeant() }, clipIds: new Set(), seamId: null });
}

export const zoomToWhole = (): void => showSpan(0, Math.max(documentEnd(doc()), doc().sampleRate * 4), 0.01);

/** The span and the tracks of what is selected: the range, clips, or the chosen seam with a little around it. */
function selectedSpan(): { start: number; end: number; trackIds: string[] } | null {
  const { range, seamId } = view();
  const clips = selectedClips();
  if (range) return { ...range, trackIds: [...range.trackIds] };
  if (clips.length) {
    let [start, end] = [Number.POSITIVE_INFINITY, 0];
    for (const c of clips) [start, end] = [Math.min(start, c.start), Math.max(end, clipEnd(c))];
    return { start, end, trackIds: [...new Set(clips.map((c) => c.trackId))] };
  }
  const seam = findSeam(doc(), seamId);
  if (!seam) return null;
  const around = Math.round(doc().sampleRate * CLOSE_SEAM_SECONDS);
  return { start: Math.max(0, seam.position - around), end: seam.position + around, trackIds: [seam.trackId] };
}

/** How much of both sides of a seam a close-up of it shows. */
const CLOSE_SEAM_SECONDS = 0.02;

export function zoomToSelection(): void {
  const span = selectedSpan();
  if (span) showSpan(span.start, span.end);
  else zoomToWhole();
}

/** The view before a close-up, to which the same key goes back. */
let beforeCloseUp: Place | null = null;

/** Fits what is selected wide and tall; while that is so, goes back to where the view was. */
export function closeUp(): void {
  if (view().tall) {
    goTo(beforeCloseUp ?? { tall: null });
    return;
  }
  const span = selectedSpan();
  if (!span) return void toast("Select a clip, a range or a seam to see it close up.", { id: "close-up" });
  const { start, samplesPerPixel, scrollY, height } = view();
  beforeCloseUp = { start, samplesPerPixel, scrollY, tall: null };
  const boxes = laneBoxes(doc());
  const [first, last] = [boxes.findIndex((b) => span.trackIds.includes(b.trackId)), boxes.findLastIndex((b) => span.trackIds.includes(b.trackId))];
  // Tracks in between keep their heights, as far as there is room.
  const between = boxes.slice(first, last + 1).filter((b) => !span.trackIds.includes(b.trackId));
  const room = height - between.reduce((sum, b) => sum + b.height, 0);
  const tall = { trackIds: new Set(span.trackIds), height: Math.max(HEIGHTS.close, Math.floor(room / span.trackIds.length)) };
  goTo({ ...spanInView(span.start, span.end), tall, scrollY: boxes[first]?.top ?? 0 });
}

export function earlierView(): void {
  if (!stepView("back")) toast("There is no earlier view.", { id: "step" });
}
export function laterView(): void {
  if (!stepView("forward")) toast("There is no later view.", { id: "step" });
}

/** Scrolls by a part of what is in view; the playhead stays where it is. */
export function scrollBy(across: number, down: number): void {
  const { start, scrollY, width, height, samplesPerPixel } = view();
  scrollTo(doc(), start + across * width * samplesPerPixel, scrollY + down * height);
}

/** Chooses the next or previous track that is shown, and brings it into view. */
export function stepTrack(direction: 1 | -1): void {
  const boxes = laneBoxes(doc());
  const at = boxes.findIndex((b) => b.trackId === view().trackId);
  const box = boxes[at < 0 ? (direction > 0 ? 0 : boxes.length - 1) : at + direction];
  if (!box) return;
  setView({ trackId: box.trackId });
  revealTrack(box.trackId);
}

/** Scrolls a track into view, as little as needed. */
export function revealTrack(trackId: string): void {
  const box = laneBoxes(doc()).find((b) => b.trackId === trackId);
  if (!box) return;
  const { scrollY, height } = view();
  if (box.top < scrollY) setView({ scrollY: box.top });
  else if (box.top + box.height > scrollY + height) setView({ scrollY: Math.min(mostScroll(doc()), box.top + box.height - height) });
}

/** Where the playhead is, as a bound of the range on the tracks meant. */
export function rangeFromPlayhead(bound: "start" | "end"): void {
  const { range, playing } = view();
  const at = Math.round(playing ? transport().position() : view().playhead);
  const trackIds = range?.trackIds ?? tracksMeant();
  const other = bound === "start" ? Math.max(range?.end ?? documentEnd(doc()), at + 1) : Math.min(range?.start ?? 0, at - 1);
  if (other < 0) return void toast("A range ends after it starts.", { id: "range" });
  setView({ range: bound === "start" ? { start: at, end: other, trackIds } : { start: other, end: at, trackIds }, clipIds: new Set(), seamId: null });
}

export function selectAll(): void {
  selectClips(
    doc(),
    laneBoxes(doc()).flatMap(
      (b) =>
        doc()
          .lanes.get(b.trackId)
          ?.clips.map((c) => c.id) ?? [],
    ),
  );
}

/** The next or previous clip, or closed bundle, on the track of the selected one, or of the chosen track. */
export function stepClip(direction: 1 | -1): void {
  const { trackId: chosen, openBundle } = view();
  const selected = selectedClips();
  const clip = selected.find((c) => c.trackId === chosen) ?? selected[0];
  const trackId = clip?.trackId ?? chosen ?? laneBoxes(doc())[0]?.trackId;
  const clips = trackId ? (doc().lanes.get(trackId)?.clips ?? []) : [];
  const inside = clips.filter((c) => openBundle === null || bundlesAround(doc(), c.bundle).some((b) => b.id === openBundle));
  const rest = inside.filter((c) => c.id === clip?.id || !view().clipIds.has(c.id));
  const from = clip ? rest.indexOf(clip) : direction > 0 ? -1 : rest.length;
  const next = rest[from + direction];
  if (!next) return void toast(direction > 0 ? "There is no later clip on this track." : "There is no earlier clip on this track.", { id: "step" });
  selectClips(doc(), [next.id]);
  setView({ trackId: next.trackId });
  reveal(next.start);
}

/** The edits that make all tracks, or some, taller or lower by a factor. */
export const heightEdits = (factor: number, ids?: readonly string[]): Edit[] =>
  [...doc().tracks.values()]
    .filter((t) => !ids || ids.includes(t.id))
    .map((t) => ({ type: "set-track", trackIds: [t.id], height: Math.round(Math.max(HEIGHTS.least, Math.min(HEIGHTS.most, t.height * factor))) }));

/** Makes all tracks taller or lower, or only the chosen one, as one step. */
export function trackHeights(factor: number, chosenOnly = false): void {
  const track = doc().tracks.get(view().trackId ?? "");
  if (chosenOnly && !track) return void toast("Choose a track first.", { id: "select" });
  const edits = heightEdits(factor, chosenOnly && track ? [track.id] : undefined);
  if (edits.length) session().edit(edits, `${chosenOnly ? (track?.name ?? "") : "All tracks"} ${factor > 1 ? "taller" : "lower"}`);
}
