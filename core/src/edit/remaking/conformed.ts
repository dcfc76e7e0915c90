import { timebaseOf } from "../../model/document";
import { kindOf, ownWindow, playedEdge, runsBackwards } from "../../model/recipe/played-recording";
import { type Clip, type Conform, MOST_POINTS, type SourceInfo, type StretchKind } from "../../model/schema";
import { type TempoMap, TICKS_PER_QUARTER } from "../../time/tempo";
import type { Tie } from "../../time/time-map";
import { EditError } from "../errors";
import { resolveOverlaps } from "../laying/overlap";
import type { Transaction } from "../transaction";
import { pitchingOf, placedWindow, recordingOf, retimed } from "./remake";

/*
 * Clips that know their own tempo, or their own beats, follow the piece's: every one of their beats falls on a beat of the piece (a quarter
 * note), by warping. Which it falls on hangs on where the clip lies.
 */

/** Where a recording's beats lie, in its samples, in order: by its tempo from one beat on in both directions, or as they were told. */
function beatsOf(source: SourceInfo, { first, bpm, beats }: Conform, sampleRate: number): number[] {
  if (beats) return beats.filter((b) => b <= source.length);
  const period = (60 * sampleRate) / (bpm as number);
  const before = Math.floor(first / period);
  const count = before + Math.floor((source.length - first) / period) + 1;
  if (count > MOST_POINTS) throw new EditError(`The recording has ${count} beats at that tempo; ${MOST_POINTS} can be tied.`, "bpm");
  return Array.from({ length: count }, (_, i) => Math.round(first + (i - before) * period));
}

/** Which beat of the piece the first beat of a clip's recording falls on: told by the one that the clip begins with, and the beat nearest to where it lies. */
function beatZero(clip: Clip, source: SourceInfo, beats: readonly number[], tempo: TempoMap): number {
  const window = ownWindow(source, clip);
  const lead = beats.findIndex((b) => b >= window.from);
  if (lead < 0 || beats[lead] >= window.to) throw new EditError(`${clip.name || "The clip"} has no beat in what it plays.`, "first");
  const place = clip.start + playedEdge(source, clip, beats[lead]) - clip.offset;
  return Math.round(tempo.ticksAt(place) / TICKS_PER_QUARTER) - lead;
}

/** Beats are looked for so far on for a clip that would otherwise begin before the piece. */
const MOST_LATER = 4096;

/**
 * A clip whose beats lie on those of a tempo map, each to the sample. `lay` is where it lies, and on which map: on its beats there it lies
 * afterwards. Throws EditError where that asks for more than can be stretched.
 */
export function conformed(
  tx: Transaction,
  clip: Clip,
  conform: Conform,
  tempo: TempoMap,
  { kind, lay = { clip, tempo } }: { kind?: StretchKind; lay?: { clip: Clip; tempo: TempoMap } } = {},
): Clip {
  const source = recordingOf(tx, clip);
  const name = clip.name || "The clip";
  if (runsBackwards(clip.recipe)) throw new EditError(`${name} runs backwards: only what runs forwards can follow a tempo.`, "clipIds");
  const beats = beatsOf(source, conform, tx.before.sampleRate);
  const window = ownWindow(source, clip);
  const own = kind ?? (clip.recipe?.stretch || clip.recipe?.warp ? kindOf(clip.recipe) : "hits");
  const pitched = pitchingOf(clip);
  const first = beatZero(lay.clip, source, beats, lay.tempo);
  for (let zero = first; zero <= first + MOST_LATER; zero++) {
    const ties = beats.flatMap((from, i): Tie[] => (zero + i < 0 ? [] : [{ from, to: tempo.tickToSample((zero + i) * TICKS_PER_QUARTER) }]));
    if (ties.length === 0) continue;
    const [{ from, to }] = ties;
    const points = ties.map((t) => ({ from: t.from, to: t.to - to + from }));
    const recipe = retimed(source, clip, { warp: { kind: own, points }, ...pitched }, "bpm");
    const { bars: _, ...laid } = placedWindow(source, clip, recipe, window.from, window.to, "bpm");
    const start = to - from + laid.offset;
    // What begins with a lead-in goes to the first beat that leaves room for it.
    if (start >= 0) return { ...laid, start, conform };
  }
  throw new EditError(`${name} would begin before the piece does.`, "clipIds");
}

export const inTime = (tx: Transaction, ids: readonly string[]): string[] => [...ids].sort((a, b) => tx.clip(a).start - tx.clip(b).start);

/** Lays every clip that follows the tempo anew after the tempo map has changed; one that can't be stretched so far is left, and told. */
export function followTempo(tx: Transaction, tempo: TempoMap): void {
  const before = timebaseOf(tx.before).tempo;
  const laid: string[] = [];
  for (const clip of [...tx.doc.clips.values()]) {
    if (!clip.conform) continue;
    try {
      // On the beats on which it lay it lies afterwards, whatever else kept its place meanwhile.
      const next = conformed(tx, clip, clip.conform, tempo, { lay: { clip: tx.before.clips.get(clip.id) ?? clip, tempo: before } });
      if (next.start === clip.start && next.length === clip.length && JSON.stringify(next.recipe) === JSON.stringify(clip.recipe)) continue;
      tx.setClip(next);
      laid.push(clip.id);
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      tx.notes.push(`${clip.name || "A clip"} does not follow the tempo there: ${error.message}`);
    }
  }
  if (laid.length > 0) resolveOverlaps(tx, inTime(tx, laid), { overlap: "layer", attacks: false }, true);
}
