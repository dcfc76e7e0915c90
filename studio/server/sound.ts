import { PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { gapsBetween, roomLevel, type Stretch, soundStretches, soundThreshold } from "@wet-thread/core/analysis/silence";
import { clipEnvelopeFactor } from "@wet-thread/core/dsp/envelope";
import { soundTogether } from "@wet-thread/core/edit/clips/clear-silence";
import { leadsOf } from "@wet-thread/core/edit/links";
import { playedId } from "@wet-thread/core/model/played";
import { type Clip, clipEnd, gainFactor } from "@wet-thread/core/model/schema";
import { z } from "zod";
import { ApiError } from "./errors";
import { makeSpan } from "./made";
import { lengthOf, readLevels } from "./samples";
import { loadVersion } from "./versions";

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

/** What of a clip's recording it shows, in levels as they are heard; and the sample of the recording at which they begin. */
async function levelsOf(clip: Clip): Promise<{ clip: Clip; levels: Float32Array; first: number }> {
  const from = Math.floor(clip.offset / BLOCK);
  await makeSpan(playedId(clip), clip.offset, clip.offset + clip.length);
  const levels = await readLevels(playedId(clip), from, Math.ceil((clip.offset + clip.length) / BLOCK));
  const gain = gainFactor(clip.gain);
  const line = clip.envelopes?.gain;
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
  const suggestion = suggested(all.map((a) => a.levels));
  const threshold = request.threshold ?? suggestion.threshold;
  const rule = { ...request, threshold: 10 ** (threshold / 20) };
  const own = new Map(
    all.map(({ clip, levels, first }) => {
      const by = clip.start - clip.offset + first;
      return [clip.id, soundStretches(levels, BLOCK, levels.length * BLOCK, rule).map(([from, to]): Stretch => [from + by, to + by])] as const;
    }),
  );
  const together = request.links ? soundTogether(doc, own) : own;
  return {
    revision,
    threshold,
    room: suggestion.room,
    clips: clips.map((clip) => {
      const keep = (together.get(clip.id) ?? [])
        .map(([from, to]): Stretch => [Math.max(clip.start, from), Math.min(clipEnd(clip), to)])
        .filter(([from, to]) => to > from);
      const silent = gapsBetween(keep, clip.start, clipEnd(clip)).reduce((sum, [from, to]) => sum + to - from, 0);
      return { clipId: clip.id, keep, silent };
    }),
  };
}
