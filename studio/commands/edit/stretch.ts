import { tempoOfHits } from "@wet-thread/core/analysis/tempo";
import type { Edit } from "@wet-thread/core/edit/registry";
import { timingOf } from "@wet-thread/core/edit/remaking/remake";
import { hitsBetween, ownHits } from "@wet-thread/core/model/clip/hits";
import { timebaseOf } from "@wet-thread/core/model/document";
import { kindOf, ownWindow } from "@wet-thread/core/model/recipe/played-recording";
import { anchoredPoints, pointAt, withPoints } from "@wet-thread/core/model/recipe/warp-points";
import { type Clip, clipEnd, type SourceInfo, type StretchKind } from "@wet-thread/core/model/schema";
import { setSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { modeRules } from "@/state/view/modes";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { beatsOf, kindFor } from "@/timeline/gestures/stretch-gesture";
import { selectedClips } from "./actions";

const named = (clips: readonly Clip[]): string => (clips.length === 1 ? clips[0].name || "1 clip" : `${clips.length} clips`);

function chosen(what: string): Clip[] {
  const clips = selectedClips();
  if (clips.length === 0) toast(`Select the clips ${what}.`, { id: "select" });
  return clips;
}

/** Each of some clips to a length of its own, as one step. */
export function toLengths(clips: readonly Clip[], lengthOf: (clip: Clip) => number): void {
  const edits = clips.flatMap((clip): Edit[] => {
    const length = Math.max(1, Math.round(lengthOf(clip)));
    return length === clip.length ? [] : [{ type: "stretch", clipIds: [clip.id], length, kind: kindFor(clip), ...modeRules() }];
  });
  if (edits.length > 0) session().edit(edits, `Stretch ${named(clips)}`);
}

/** Stretches the selected clips together so that they fill the range. */
export function toRange(): void {
  const { range } = view();
  const clips = chosen("to stretch to the range");
  if (clips.length === 0) return;
  if (!range) return void toast("Make a range for them to be stretched to.", { id: "range" });
  const start = Math.min(...clips.map((c) => c.start));
  const end = Math.max(...clips.map(clipEnd));
  const by = (range.end - range.start) / (end - start);
  const place = (at: number): number => range.start + Math.round((at - start) * by);
  // Clips go where they belong first, those in front first where they go earlier: nothing is laid over another on the way.
  const edits = clips.flatMap((c): Edit[] => [
    { type: "stretch", clipIds: [c.id], length: Math.max(1, place(clipEnd(c)) - place(c.start)), kind: kindFor(c), overlap: "layer" },
    ...(place(c.start) === c.start ? [] : [{ type: "move", clipIds: [c.id], to: place(c.start), ...modeRules(), neighbours: "hold" } as Edit]),
  ]);
  session().edit(edits, `Stretch ${named(clips)} to the range`);
}

/** Samples from a clip's start on that a number of beats of the piece last. */
export function beatsLong(clip: Clip, beats: number): number {
  const { tempo, meter } = timebaseOf(session().doc);
  const tick = tempo.ticksAt(clip.start);
  return Math.round(tempo.samplesAt(tick + beats * meter.meterAt(tempo.sampleToTick(clip.start)).beatTicks)) - clip.start;
}

/** Stretches each selected clip to the nearest whole number of beats. */
export function toBeats(): void {
  const clips = chosen("to stretch to whole beats");
  toLengths(clips, (clip) => beatsLong(clip, Math.max(1, Math.round(beatsOf(session().doc, clip)))));
}

export function asRecorded(): void {
  const clips = chosen("to put back as they were recorded");
  if (clips.length === 0) return;
  const ids = clips.filter(timingOf).map((c) => c.id);
  if (ids.length === 0) return void toast("These clips play their recordings as they were.", { id: "select" });
  session().edit([{ type: "as-recorded", clipIds: ids, ...modeRules() }]);
}

/** Shifts the pitch of the selected clips by some cents, each from where it is. */
export function pitchBy(cents: number): void {
  const clips = chosen("to shift in pitch");
  const edits = clips.map(
    (c): Edit => ({ type: "set-pitch", clipIds: [c.id], cents: Math.max(-2400, Math.min(2400, (c.recipe?.pitch ?? 0) + cents)), kind: kindFor(c) }),
  );
  if (edits.length > 0 && session().edit(edits, `Shift pitch of ${named(clips)}`))
    toast(`Pitch ${pitchWords(session().doc.clips.get(clips[0].id)?.recipe?.pitch ?? 0)}`, { id: "pitch", duration: 1500 });
}

export const pitchWords = (cents: number): string =>
  cents === 0 ? "as recorded" : `${cents < 0 ? "−" : "+"}${Math.abs(cents / 100).toFixed(2)} semitones`;

export function setKind(clips: readonly Clip[], kind: StretchKind): void {
  setSettings({ stretchKind: kind });
  const ids = clips.filter((c) => timingOf(c) && kindOf(c.recipe) !== kind).map((c) => c.id);
  if (ids.length > 0) session().edit([{ type: "stretch", clipIds: ids, kind, ...modeRules() }], `Stretch ${named(clips)} another way`);
}

function addPoints(clip: Clip, places: readonly number[], kind: Edit["kind"]): Edit[] {
  const source = session().doc.sources.get(clip.sourceId);
  if (!source) return [];
  const anchored = anchoredPoints(source, clip);
  const points = withPoints(
    anchored,
    places.map((at) => pointAt(source, clip, at - clip.start)),
  );
  if (points.length === anchored.length && clip.recipe?.warp) return [];
  return [{ type: "warp", clipIds: [clip.id], points, ...(clip.recipe?.warp ? {} : { kind }), ...modeRules() }];
}

export function warpAtPlayhead(): void {
  const at = Math.round(view().playhead);
  const clips = chosen("to set a warp point in").filter((c) => at > c.start && at < clipEnd(c));
  if (clips.length === 0) return void (selectedClips().length > 0 && toast("The playhead lies in none of the selected clips.", { id: "select" }));
  const edits = clips.flatMap((c) => addPoints(c, [at], kindFor(c)));
  if (edits.length > 0) session().edit(edits, `Warp point in ${named(clips)}`);
}

export function warpAtHits(): void {
  const { doc } = session();
  const clips = chosen("whose hits are to be tied");
  const edits = clips.flatMap((c) => {
    const hits = hitsBetween(doc.sources, c, c.start + 1, clipEnd(c) - 1);
    return hits.length > 0 ? addPoints(c, hits, timingOf(c) ? kindOf(c.recipe) : "hits") : [];
  });
  if (edits.length > 0) session().edit(edits, `Warp points at the hits of ${named(clips)}`);
  else if (clips.length > 0) toast("No hits were found in these clips.", { id: "hits" });
}

export function warpOff(): void {
  const ids = chosen("to take warp points off")
    .filter((c) => c.recipe?.warp)
    .map((c) => c.id);
  if (ids.length > 0) session().edit([{ type: "warp", clipIds: ids, points: null, ...modeRules() }]);
  else if (selectedClips().length > 0) toast("No selected clip has warp points.", { id: "select" });
}

const placesIn = (source: SourceInfo, clip: Clip): number[] => ownHits(source, clip).map((h) => h.at);

/** The tempo that a clip's own recording has where the clip plays it, by its hits, and a beat of it; null where they tell none. */
export function ownTempo(clip: Clip): { bpm: number; first: number } | null {
  const { doc } = session();
  const source = doc.sources.get(clip.sourceId);
  if (!source) return null;
  const window = ownWindow(source, clip);
  const hits = ownHits(source, clip).filter((h) => h.at >= window.from && h.at < window.to);
  const [at, strengths] = [hits.map((h) => h.at), hits.map((h) => h.strength)];
  const [reading] = tempoOfHits(at, doc.sampleRate, strengths).readings;
  return reading ? { bpm: reading.bpm, first: Math.max(0, Math.round(reading.beat)) } : null;
}

/** Lets clips follow the piece's tempo, each by its own: one that is typed, a beat lying at their first hit, or what is heard in them. */
export function follow(clips: readonly Clip[], bpm?: number): void {
  const { doc } = session();
  const edits = clips.flatMap((clip): Edit[] => {
    const found = ownTempo(clip);
    const source = doc.sources.get(clip.sourceId);
    const window = source && ownWindow(source, clip);
    const first = found?.first ?? (source && window && placesIn(source, clip).find((h) => h >= window.from)) ?? window?.from ?? 0;
    const own = bpm ?? found?.bpm;
    return own === undefined
      ? []
      : [{ type: "conform", clipIds: [clip.id], conform: { bpm: own, first }, kind: kindFor(clip), overlap: modeRules().overlap }];
  });
  if (edits.length === 0) return void toast(`${named(clips)}: no tempo is heard in it. Type the one that it has.`, { id: "follow" });
  session().edit(edits, `Conform ${named(clips)}`);
}

/** Clips follow the tempo no longer; they stay as they are. */
export function unfollow(clips: readonly Clip[]): void {
  session().edit([{ type: "conform", clipIds: clips.map((c) => c.id), conform: null }], `Stop ${named(clips)} from following the tempo`);
}
