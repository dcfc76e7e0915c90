import { isSure, lineUp } from "@wet-thread/core/analysis/line-up";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import type { Document } from "@wet-thread/core/model/document";
import { playedId } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd, Id, type TakeLane } from "@wet-thread/core/model/schema";
import { z } from "zod";
import { ApiError } from "../http/errors";
import { loadVersion } from "../pieces/versions";
import { madeFirst } from "../recorded/made";
import { readLevels, StoredReader } from "../recorded/samples";

export const LineUpRequest = z.object({ bundleId: Id, laneId: Id });

/** How far a lane may be moved, and how much of it is listened to, in seconds. */
const REACH_SECONDS = 1;
const MOST_SECONDS = 20;

/**
 * By how many samples a lane of a take stack has to be moved to be most alike to the one that is picked where it lies, else to the first; 0 where
 * it is like it nowhere for sure (`sure`).
 */
export async function lineUpLane(versionId: string, { bundleId, laneId }: z.infer<typeof LineUpRequest>) {
  const { doc, revision } = await loadVersion(versionId);
  const stack = doc.bundles.get(bundleId);
  const lane = stack?.takes?.find((l) => l.id === laneId);
  if (!stack || !lane) throw new ApiError(404, "not-found", "There is no such lane here; it may have been removed. Nothing was changed.");
  const others = (stack.takes ?? []).filter((l) => l !== lane);
  const spans = lane.clips.map((c) => [stack.start + c.at, stack.start + c.at + c.length] as const);
  const shared = (other: TakeLane): number =>
    picksOf(doc, stack)
      .filter((c) => c.take === other.id)
      .reduce((sum, c) => sum + spans.reduce((s, [a, b]) => s + Math.max(0, Math.min(b, clipEnd(c)) - Math.max(a, c.start)), 0), 0);
  const [model] = [...others].sort((a, b) => shared(b) - shared(a));
  if (!model) throw impossible("There is no other lane to line it up with.");
  const first = Math.max(Math.min(...lane.clips.map((c) => c.at)), Math.min(...model.clips.map((c) => c.at)));
  const last = Math.min(Math.max(...lane.clips.map((c) => c.at + c.length)), Math.max(...model.clips.map((c) => c.at + c.length)));
  if (!(last > first)) throw impossible(`${lane.name || "The lane"} and ${model.name || "the other"} do not lie over each other.`);
  const { from, length } = await loudest(model, lane, first, last, doc.sampleRate);
  const reader = new StoredReader(madeFirst);
  const wide = Math.max(...[...model.clips, ...lane.clips].map((c) => channelsOf(doc, c).length));
  const [a, b] = [await sound(doc, reader, model, from, length, wide), await sound(doc, reader, lane, from, length, wide)];
  const found = lineUp(a, b, REACH_SECONDS * doc.sampleRate, doc.sampleRate);
  // What is alike nowhere for sure stays where it is.
  const sure = isSure(found);
  return { revision, with: model.id, ...found, by: sure ? found.by : 0, sure };
}

const impossible = (message: string): ApiError => new ApiError(422, "impossible", message, { path: "laneId", kept: "Nothing was changed." });

/** The channels that a clip plays, of its recording's. */
const channelsOf = (doc: Document, clip: Pick<Clip, "channels" | "sourceId">): readonly number[] =>
  clip.channels ?? Array.from({ length: doc.sources.get(clip.sourceId)?.channels ?? 1 }, (_, c) => c);

/** Windows of levels in which it is looked where both have sound, in blocks of 64 samples. */
const WINDOW = 75;
const BLOCK = 64;

/** How loud a lane is from a place of the stack on, for each so many samples: the loudest of each window, as a part of the loudest of all. */
async function levels(lane: TakeLane, from: number, to: number): Promise<Float32Array> {
  const out = new Float32Array(Math.ceil((to - from) / (WINDOW * BLOCK)));
  for (const clip of lane.clips) {
    const [a, b] = [Math.max(from, clip.at), Math.min(to, clip.at + clip.length)];
    if (b <= a) continue;
    const place = clip.offset + a - clip.at;
    const first = Math.floor(place / BLOCK);
    const own = await readLevels(playedId(clip), first, Math.ceil((place + b - a) / BLOCK));
    for (let i = 0; i < own.length; i++) {
      const w = Math.min(out.length - 1, Math.floor((a - from + i * BLOCK) / (WINDOW * BLOCK)));
      out[w] = Math.max(out[w], own[i]);
    }
  }
  const most = out.reduce((m, v) => Math.max(m, v), 0);
  return most > 0 ? out.map((v) => v / most) : out;
}

/** The stretch, of as much as is listened to, in which both lanes have most sound at once. */
async function loudest(model: TakeLane, lane: TakeLane, first: number, last: number, sampleRate: number): Promise<{ from: number; length: number }> {
  const most = MOST_SECONDS * sampleRate;
  if (last - first <= most) return { from: first, length: last - first };
  const [a, b] = [await levels(model, first, last), await levels(lane, first, last)];
  const wide = Math.round(most / (WINDOW * BLOCK));
  const both = a.map((v, i) => Math.min(v, b[i]));
  let sum = both.subarray(0, wide).reduce((x, y) => x + y, 0);
  let best = { sum, at: 0 };
  for (let i = 1; i + wide <= both.length; i++) {
    sum += both[i + wide - 1] - both[i - 1];
    if (sum > best.sum + 1e-6) best = { sum, at: i };
  }
  const from = Math.min(first + best.at * WINDOW * BLOCK, last - most);
  return { from, length: most };
}

/** A lane's sound from a place of the stack on, on so many channels; silence between its clips. A clip of one channel is on all. */
async function sound(doc: Document, reader: StoredReader, lane: TakeLane, from: number, length: number, wide: number): Promise<Float32Array[]> {
  const out = Array.from({ length: wide }, () => new Float32Array(length));
  for (const clip of lane.clips) {
    const [a, b] = [Math.max(from, clip.at), Math.min(from + length, clip.at + clip.length)];
    if (b <= a) continue;
    const place = clip.offset + a - clip.at;
    await reader.prepare([{ sourceId: playedId(clip), from: place, to: place + b - a }]);
    const channels = channelsOf(doc, clip);
    for (const [c, into] of out.entries())
      if (!reader.read(playedId(clip), channels[Math.min(c, channels.length - 1)], place, into, a - from, b - a))
        throw new ApiError(409, "not-ready", `Samples of ${clip.name || "a take"} could not be read. Nothing was changed.`);
  }
  return out;
}
