import { PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { middleOf, quietPassages, rootMeanSquare } from "@wet-thread/core/analysis/room-tone";
import { gapsBetween, type Interval, soundThreshold, unionOf } from "@wet-thread/core/analysis/silence";
import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { playedId } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd, gainFactor, playedChannels } from "@wet-thread/core/model/schema";
import { z } from "zod";
import { ApiError } from "../http/errors";
import { loadVersion } from "../pieces/versions";
import { madeFirst } from "../recorded/made";
import { readLevels, StoredReader } from "../recorded/samples";

const Sample = z.int().min(0).max(1e12);

export const RoomRequest = z
  .object({
    trackId: z.string(),
    start: Sample,
    end: Sample,
    passages: z
      .array(
        z
          .object({ sourceId: z.string(), channels: z.array(z.int().min(0).max(255)).min(1).max(2).optional(), from: Sample, to: Sample })
          .refine((p) => p.to > p.from, { message: "A passage ends after it starts.", path: ["to"] }),
      )
      .min(1)
      .max(200)
      .optional()
      .describe("where the room is to be taken from; left out, it is found in the pauses of the track's recordings"),
  })
  .refine((p) => p.end > p.start, { message: "A span ends after it starts.", path: ["end"] });

const BLOCK = PEAK_LEVELS[0];
/** So much material, in seconds, is measured and used at most, in parts no longer than `LONGEST`. */
const [ENOUGH, LONGEST] = [30, 6];
/** Passages farther than this from the middle level of all, in dB, hold something else than the room. */
const ALIKE_DB = 4;
/** The pauses around a gap are those that are heard so many seconds from it. */
const AROUND = 4;
/** Recordings of a track that are looked through. */
const MOST_RECORDINGS = 12;

type Channels = readonly number[] | undefined;
interface Quiet {
  readonly sourceId: string;
  readonly channels: Channels;
  readonly from: number;
  readonly to: number;
}

/** The recordings that a track's clips play, with the channels, those that are played longest first. */
function recordingsOf(clips: readonly Clip[]): { sourceId: string; channels: Channels }[] {
  const played = new Map<string, { sourceId: string; channels: Channels; length: number }>();
  for (const { sourceId, channels, length } of clips) {
    const key = `${sourceId} ${channels ?? ""}`;
    played.set(key, { sourceId, channels, length: (played.get(key)?.length ?? 0) + length });
  }
  return [...played.values()].sort((a, b) => b.length - a.length).slice(0, MOST_RECORDINGS);
}

/** All pauses of a recording, in order, long enough to be woven from. */
async function pausesOf(doc: Document, { sourceId, channels }: { sourceId: string; channels: Channels }): Promise<Quiet[]> {
  const source = doc.sources.get(sourceId);
  if (!source) return [];
  const levels = await readLevels(sourceId, 0, Math.ceil(source.length / BLOCK));
  const threshold = soundThreshold(levels);
  if (threshold === null) return [];
  return quietPassages(levels, BLOCK, source.length, threshold, doc.sampleRate).map(([from, to]) => ({ sourceId, channels, from, to }));
}

/** Measures quiet stretches: their root mean square over the channels that are played. */
class Meter {
  private readonly reader = new StoredReader(madeFirst);
  private readonly known = new Map<string, number>();
  constructor(private readonly doc: Document) {}

  async level({ sourceId, channels, from, to }: Quiet): Promise<number> {
    const key = `${sourceId} ${channels ?? ""} ${from} ${to}`;
    const known = this.known.get(key);
    if (known !== undefined) return known;
    await this.reader.prepare([{ sourceId, from, to }]);
    const squares: number[] = [];
    for (const channel of playedChannels(channels ? { channels: [...channels] } : {}, this.doc.sources.get(sourceId)?.channels ?? 1)) {
      const samples = new Float32Array(to - from);
      if (!this.reader.read(sourceId, channel, from, samples, 0, to - from))
        throw new ApiError(422, "no-sound", "The sound of a quiet passage is not here yet: try again once the recording is imported.");
      squares.push(rootMeanSquare(samples) ** 2);
    }
    const level = Math.sqrt(squares.reduce((a, b) => a + b, 0) / Math.max(1, squares.length));
    this.known.set(key, level);
    return level;
  }
}

const decibels = (factor: number): number => 20 * Math.log10(factor);

/** The pauses that a track plays within some seconds of a gap, as they are heard there: what of a recording, and the clip's gain. */
function pausesAround(doc: Document, clips: readonly Clip[], pauses: readonly Quiet[], [from, to]: Interval): { quiet: Quiet; gain: number }[] {
  const reach = AROUND * doc.sampleRate;
  return clips.flatMap((clip) => {
    if (clip.recipe || clip.envelopes?.gain || clip.mute) return [];
    const [a, b] = [Math.max(clip.start, from - reach), Math.min(clipEnd(clip), to + reach)];
    const shift = clip.offset - clip.start;
    return pauses.flatMap((p) => {
      if (p.sourceId !== playedId(clip)) return [];
      const [x, y] = [Math.max(p.from, a + shift), Math.min(p.to, b + shift)];
      return y - x >= doc.sampleRate / 20 ? [{ quiet: { ...p, from: x, to: y }, gain: gainFactor(clip.gain) }] : [];
    });
  });
}

/**
 * The edits that fill the gaps of a span of a track with the room's own sound: quiet passages, found or given, each brought to the level of the
 * pauses around the gap. Throws ApiError 404 for a track that is not there, 422 where there is no gap or no pause.
 */
export async function roomOf(versionId: string, request: z.infer<typeof RoomRequest>) {
  const { doc, revision } = await loadVersion(versionId);
  const { trackId, start, end } = request;
  const lane = doc.lanes.get(trackId);
  if (!doc.tracks.has(trackId) || !lane) throw new ApiError(404, "not-found", `There is no track "${trackId}" in this version.`, { path: "trackId" });
  const within = lane.within(start, end);
  const gaps = gapsBetween(unionOf([within.map((c): Interval => [c.start, clipEnd(c)])]), start, end);
  if (gaps.length === 0) throw new ApiError(422, "no-gap", "There is no gap to fill there.", { path: "start" });
  const missing = request.passages?.find((p) => !doc.sources.has(p.sourceId) || p.to > (doc.sources.get(p.sourceId)?.length ?? 0));
  if (missing)
    throw new ApiError(422, "bad-passage", `There is no recording "${missing.sourceId}" that is so long in this project.`, { path: "passages" });

  const pauses: Quiet[] = [];
  for (const recording of recordingsOf(lane.clips)) pauses.push(...(await pausesOf(doc, recording)));
  const meter = new Meter(doc);
  const chosen: { quiet: Quiet; level: number }[] = [];
  let enough = 0;
  const given = request.passages?.map((p): Quiet => ({ ...p, channels: p.channels }));
  for (const p of given ?? [...pauses].sort((a, b) => b.to - b.from - (a.to - a.from))) {
    const quiet = { ...p, to: Math.min(p.to, p.from + LONGEST * doc.sampleRate) };
    const level = await meter.level(quiet);
    if (level > 0) chosen.push({ quiet, level });
    enough += quiet.to - quiet.from;
    if (enough >= ENOUGH * doc.sampleRate) break;
  }
  const middle = middleOf(chosen.map((c) => c.level));
  const alike = given ? chosen : chosen.filter((c) => Math.abs(decibels(c.level / middle)) <= ALIKE_DB);
  if (alike.length === 0)
    throw new ApiError(
      422,
      "no-room",
      given
        ? "There is nothing to be heard in those passages: digital silence is no room."
        : "The recordings of this track have no pause of 0.4 s or more in which only the room is heard: make a range over its sound, and take that as the room.",
      { path: "passages" },
    );
  const edits: Edit[] = [];
  for (const gap of gaps) {
    const around = pausesAround(doc, lane.within(Math.max(0, gap[0] - AROUND * doc.sampleRate), gap[1] + AROUND * doc.sampleRate), pauses, gap);
    const levels: number[] = [];
    for (const { quiet, gain } of around.slice(0, 12)) levels.push((await meter.level(quiet)) * gain);
    const beside = within.find((c) => clipEnd(c) === gap[0] || c.start === gap[1]);
    const level = levels.length > 0 ? middleOf(levels) : middle * gainFactor(beside?.gain ?? 0);
    edits.push({
      type: "fill-room",
      trackId,
      start: gap[0],
      end: gap[1],
      passages: alike.map(({ quiet: { sourceId, channels, from, to }, level: own }) => ({
        sourceId,
        from,
        to,
        gain: Math.round(Math.max(-40, Math.min(40, decibels(level / own))) * 100) / 100,
        ...(channels && { channels: [...channels] }),
      })),
    } as Edit);
  }
  const held = alike.reduce((sum, { quiet }) => sum + quiet.to - quiet.from, 0);
  return { revision, gaps: gaps.map(([from, to]) => ({ from, to })), held, edits };
}
