import { PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { gapsBetween, type Interval, roomLevel, soundStretches, soundThreshold } from "@wet-thread/core/analysis/silence";
import { clipEnvelopeFactor } from "@wet-thread/core/dsp/envelope";
import { leadsOf } from "@wet-thread/core/edit/links/links";
import { soundTogether } from "@wet-thread/core/edit/links/sound-together";
import { isMade, playedId } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd, gainFactor } from "@wet-thread/core/model/schema";
import { LRUCache } from "lru-cache";
import { z } from "zod";
import { ApiError } from "../http/errors";
import { loadVersion } from "../pieces/versions";
import { makeSpan } from "../recorded/made";
import { lengthOf, readLevels } from "../recorded/samples";

const Samples = z.int().min(0).max(1e9);

export const SoundRequest = z.object({
  clipIds: z.array(z.string()).min(1, "Name at least one clip.").max(5000),
  threshold: z
    .number()
    .min(-120)
    .max(0)
    .optional()
    .describe("dB below full scale from which on something is heard; left out, a little above the room's own level"),
  shortestSilence: Samples.default(0).describe("shorter pauses are no silence, in samples"),
  shortestSound: Samples.default(0).describe("shorter sounds are silence, in samples"),
  padBefore: Samples.default(0),
  padAfter: Samples.default(0),
  links: z.boolean().default(true).describe("whether the clips that linked tracks bring in are looked into too; sound on one is sound on all"),
});

/** Samples in a block of levels. */
const BLOCK = PEAK_LEVELS[0];

/**
 * Levels of recordings, so that turning at the threshold of hours is answered at once: what recordings are never changes. By bytes; two hours of a
 * recording are 22 MB.
 */
const kept = new LRUCache<string, Float32Array<ArrayBufferLike>>({ maxSize: 200 << 20, sizeCalculation: (l) => l.byteLength + 200 });

/** They are read in steps of so many blocks, a minute and a half, so that a clip that is trimmed finds them still there. */
const STEP = 65_536;

async function recordedLevels(id: string, from: number, to: number): Promise<Float32Array> {
  // What must be made first is read as far as it is needed, and no further.
  const [a, b] = isMade(id) ? [from, to] : [Math.floor(from / STEP) * STEP, Math.ceil(to / STEP) * STEP];
  const key = `${id} ${a} ${b}`;
  let levels = kept.get(key);
  if (!levels) {
    await makeSpan(id, a * BLOCK, b * BLOCK);
    levels = await readLevels(id, a, b);
    kept.set(key, levels);
  }
  return levels.subarray(from - a, to - a);
}

/** What of a clip's recording it shows, in levels as they are heard; and the sample of the recording at which they begin. */
async function levelsOf(clip: Clip): Promise<{ clip: Clip; levels: Float32Array; first: number }> {
  const from = Math.floor(clip.offset / BLOCK);
  const recorded = await recordedLevels(playedId(clip), from, Math.ceil((clip.offset + clip.length) / BLOCK));
  const gain = gainFactor(clip.gain);
  const line = clip.envelopes?.gain;
  if (gain === 1 && !line) return { clip, levels: recorded, first: from * BLOCK };
  const levels = recorded.slice();
  const length = line ? await lengthOf(clip.sourceId) : 0;
  for (let i = 0; i < levels.length; i++) {
    const at = (from + i) * BLOCK + BLOCK / 2;
    // As loud as the envelope lets a block be in its middle.
    levels[i] *= gain * clipEnvelopeFactor(clip, length, at);
  }
  return { clip, levels, first: from * BLOCK };
}

/** For clips together: a threshold from all their levels, and how loud their quietest stretches get, in dB; null for digital silence. */
function suggested(all: readonly Float32Array[]): { threshold: number; room: number | null } {
  const together = new Float32Array(all.reduce((sum, l) => sum + l.length, 0));
  let at = 0;
  for (const l of all) {
    together.set(l, at);
    at += l.length;
  }
  const room = roomLevel(together);
  const found = soundThreshold(together);
  const threshold = found === null ? -60 : 20 * Math.log10(found);
  return { threshold: Math.round(threshold), room: room === null ? null : Math.round(room) };
}

const suggestions = new LRUCache<string, ReturnType<typeof suggested>>({ max: 50 });
/** The same, asked again and again while somebody turns at the threshold. */
function suggestionFor(all: readonly { readonly clip: Clip; readonly levels: Float32Array }[]): ReturnType<typeof suggested> {
  const key = JSON.stringify(all.map(({ clip }) => [playedId(clip), clip.offset, clip.length, clip.gain, clip.envelopes?.gain]));
  const known = suggestions.get(key) ?? suggested(all.map((a) => a.levels));
  suggestions.set(key, known);
  return known;
}

/**
 * Where clips hold sound, as stretches of the timeline, by the levels of their recordings and the clips' gains. Throws ApiError 404 for a
 * clip that is not there.
 */
export async function soundOf(versionId: string, request: z.infer<typeof SoundRequest>) {
  const { doc, revision } = await loadVersion(versionId);
  const named = [...new Set(request.clipIds)];
  const clips = (request.links ? [...named, ...leadsOf(doc, named).keys()] : named).map((id) => {
    const clip = doc.clips.get(id);
    if (!clip) throw new ApiError(404, "not-found", `There is no clip "${id}" in this version.`, { path: "clipIds" });
    return clip;
  });
  const all = [];
  for (const clip of clips) all.push(await levelsOf(clip));
  const suggestion = suggestionFor(all);
  const threshold = request.threshold ?? suggestion.threshold;
  const rule = { ...request, threshold: 10 ** (threshold / 20) };
  const own = new Map(
    all.map(({ clip, levels, first }) => {
      const by = clip.start - clip.offset + first;
      return [clip.id, soundStretches(levels, BLOCK, levels.length * BLOCK, rule).map(([from, to]): Interval => [from + by, to + by])] as const;
    }),
  );
  const together = request.links ? soundTogether(doc, own) : own;
  return {
    revision,
    threshold,
    room: suggestion.room,
    clips: clips.map((clip) => {
      const keep = (together.get(clip.id) ?? [])
        .map(([from, to]): Interval => [Math.max(clip.start, from), Math.min(clipEnd(clip), to)])
        .filter(([from, to]) => to > from);
      const silent = gapsBetween(keep, clip.start, clipEnd(clip)).reduce((sum, [from, to]) => sum + to - from, 0);
      return { clipId: clip.id, keep, silent };
    }),
  };
}
