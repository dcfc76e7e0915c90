import { integratedLoudness, LoudnessMeter } from "@wet-thread/core/analysis/loudness";
import { treat } from "@wet-thread/core/dsp/treat/treat";
import type { Document } from "@wet-thread/core/model/document";
import { playedId } from "@wet-thread/core/model/recipe/played-recording";
import { Processor, runInOf } from "@wet-thread/core/model/recipe/treatment";
import { type Clip, Id, Position, playedChannels, type Recipe, without } from "@wet-thread/core/model/schema";
import { z } from "zod";
import { ApiError } from "../http/errors";
import { rendered } from "../jobs/rendering";
import { loadVersion } from "../pieces/versions";
import { madeFirst } from "../recorded/made";
import { StoredReader } from "../recorded/samples";

const RangeRequest = z
  .object({ start: Position, end: Position, trackIds: z.array(Id).min(1).max(500) })
  .refine((r) => r.end > r.start, { message: "A range ends after it starts.", path: ["end"] });

export const MeasureRequest = z
  .object({
    clipIds: z.array(Id).max(500).default([]),
    chain: z.array(Processor).max(24).default([]).describe("processors before what is measured: what a normalise after them would hear"),
    range: RangeRequest.optional().describe("what is heard in a range, measured as one, in place of clips"),
  })
  .refine((r) => r.clipIds.length > 0 || r.range, { message: "Name clips, or a range.", path: ["clipIds"] });

/** Longer clips than this, in seconds, are not measured in one go. */
const MOST_SECONDS = 1800;

/** How loud what is heard in a range is, all of it as one, before the gain of its tracks: highest sample in dBFS and integrated loudness in LUFS; null for silence. */
async function measureRange(
  doc: Document,
  { start, end, trackIds }: z.infer<typeof RangeRequest>,
  called: () => boolean,
): Promise<{ peak: number | null; loudness: number | null }> {
  if (end - start > MOST_SECONDS * doc.sampleRate)
    throw new ApiError(422, "too-long", "The range is too long to be measured in one go: at most half an hour is. Nothing was changed.");
  const tracks = new Map([...doc.tracks].map(([id, t]) => [id, { ...without(t, ["ride"]), gain: 0, pan: 0, mute: false, solo: false }]));
  const meter = new LoudnessMeter(2, doc.sampleRate, false);
  let peak = 0;
  for await (const { left, right, count } of rendered({ ...doc, tracks }, start, end, new Set(trackIds))) {
    if (called()) throw new ApiError(499, "called-off", "It was called off. Nothing was changed.");
    for (const x of [left, right]) for (let i = 0; i < count; i++) peak = Math.max(peak, Math.abs(x[i]));
    meter.push([left, right], count);
  }
  return { peak: peak > 0 ? 20 * Math.log10(peak) : null, loudness: meter.finish().integrated };
}

/** How loud clips are before gain, fades and any treatment of their own, after a chain: highest sample in dBFS and integrated loudness in LUFS; null for silence. */
export async function measureClips(versionId: string, { clipIds, chain, range }: z.infer<typeof MeasureRequest>, called: () => boolean) {
  const { doc, revision } = await loadVersion(versionId);
  if (range) return { revision, clips: [], range: await measureRange(doc, range, called) };
  const reader = new StoredReader(madeFirst);
  const clips: { id: string; peak: number | null; loudness: number | null }[] = [];
  for (const id of new Set(clipIds)) {
    if (called()) throw new ApiError(499, "called-off", "It was called off. Nothing was changed.");
    const clip = doc.clips.get(id);
    if (!clip) throw new ApiError(404, "not-found", `There is no clip "${id}" here; it may have been deleted. Nothing was changed.`);
    if (clip.length > MOST_SECONDS * doc.sampleRate)
      throw new ApiError(
        422,
        "too-long",
        `${clip.name || "The clip"} is too long to be measured in one go: at most half an hour is. Nothing was changed.`,
      );
    const source = doc.sources.get(clip.sourceId);
    if (!source) throw new ApiError(409, "not-ready", `The recording of ${clip.name || "the clip"} is not there. Nothing was changed.`);
    const bare = bareOf(clip);
    const runIn = Math.min(bare.offset, Math.ceil(runInOf(chain) * doc.sampleRate));
    const channels = playedChannels(clip, source.channels);
    const [from, count] = [bare.offset - runIn, clip.length + runIn];
    await reader.prepare([{ sourceId: playedId(bare), from, to: from + count }]);
    const samples = channels.map((channel) => {
      const out = new Float32Array(count);
      if (!reader.read(playedId(bare), channel, from, out, 0, count))
        throw new ApiError(409, "not-ready", `Samples of ${source.name} could not be read. Nothing was changed.`);
      return out;
    });
    treat(samples, chain, doc.sampleRate, from);
    const own = samples.map((x) => x.subarray(runIn));
    let peak = 0;
    for (const x of own) for (let i = 0; i < x.length; i++) peak = Math.max(peak, Math.abs(x[i]));
    clips.push({ id, peak: peak > 0 ? 20 * Math.log10(peak) : null, loudness: integratedLoudness(own, doc.sampleRate) });
  }
  return { revision, clips };
}

/** A clip as it would play without its treatment; its places are the same. */
function bareOf(clip: Clip): Pick<Clip, "sourceId" | "recipe" | "offset"> {
  const { treat: had, turned: _, ...rest } = clip.recipe ?? {};
  const recipe = had ? rest : clip.recipe;
  return { sourceId: clip.sourceId, offset: clip.offset, ...(recipe && Object.keys(recipe).length > 0 && { recipe: recipe as Recipe }) };
}
