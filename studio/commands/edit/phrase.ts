import { playedId, playedSource } from "@wet-thread/core/model/recipe/played-recording";
import type { TakeClip, TakeLane } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import { fillColumns, newColumns } from "@/timeline/paint/wave";
import type { Stack } from "./takes";

/** Quieter than the loudest around it by so much, for so long, is a pause between phrases. */
const PAUSE_PART = 0.08;
const PAUSE_SECONDS = 0.18;
/** A phrase is looked for as far as this on both sides, in columns of so long. */
const REACH_SECONDS = 60;
const COLUMN_SECONDS = 0.01;

/** How loud a clip of a lane is around a place in it, in columns of `per` samples from `first` of the clip on; null while its sound is still on its way. */
function loudness(clip: TakeClip, first: number, per: number, count: number): Float32Array | null {
  const played = playedSource(session().doc.sources, clip);
  if (!played) return null;
  const columns = newColumns(count);
  columns.min.fill(Number.NaN);
  fillColumns(columns, playedId(clip), played.channels, clip.channels?.[0] ?? 0, played.length, clip.offset + first, per, count);
  return columns.min.some(Number.isNaN) ? null : columns.rms;
}

/** Columns from `at` on in a direction up to the middle of the next pause, or to the end. */
function toPause(level: Float32Array, at: number, direction: 1 | -1, quieter: number, long: number): number {
  let run = 0;
  for (let i = at; i >= 0 && i < level.length; i += direction) {
    run = level[i] > quieter ? 0 : run + 1;
    if (run >= long) return i - direction * Math.floor(run / 2);
  }
  return direction > 0 ? level.length : 0;
}

/** The phrase of a lane around a place of the timeline: from where to where, up to the pauses on both sides; in words why there is none. */
export function phraseOf(stack: Stack, lane: TakeLane, at: number): readonly [start: number, end: number] | string {
  const within = at - stack.start;
  const clip = lane.clips.find((c) => within >= c.at && within < c.at + c.length);
  if (!clip) return `${lane.name} has no sound there.`;
  const { sampleRate } = session().doc;
  const per = Math.round(COLUMN_SECONDS * sampleRate);
  const first = Math.max(0, within - clip.at - REACH_SECONDS * sampleRate);
  const last = Math.min(clip.length, within - clip.at + REACH_SECONDS * sampleRate);
  const level = loudness(clip, first, per, Math.max(1, Math.floor((last - first) / per)));
  if (!level) return `The sound of ${lane.name} is still on its way: once more in a moment.`;
  const quieter = level.reduce((most, v) => Math.max(most, v), 0) * PAUSE_PART;
  const long = Math.round(PAUSE_SECONDS / COLUMN_SECONDS);
  const middle = Math.min(level.length - 1, Math.floor((within - clip.at - first) / per));
  const place = (column: number): number => stack.start + clip.at + first + column * per;
  const [from, to] = [toPause(level, middle, -1, quieter, long), toPause(level, middle, 1, quieter, long)];
  return [from === 0 ? place(0) : Math.round(place(from)), to === level.length ? stack.start + clip.at + last : Math.round(place(to))];
}
