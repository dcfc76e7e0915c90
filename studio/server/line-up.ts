import { lineUp } from "@wet-thread/core/analysis/line-up";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import { playedId } from "@wet-thread/core/model/recipe/played-recording";
import { clipEnd, Id, type TakeLane } from "@wet-thread/core/model/schema";
import { z } from "zod";
import { ApiError } from "./errors";
import { madeFirst } from "./made";
import { StoredReader } from "./samples";
import { loadVersion } from "./versions";

export const LineUpRequest = z.object({ bundleId: Id, laneId: Id });

/** How far a lane may be moved, and how much of it is listened to, in seconds. */
const REACH_SECONDS = 1;
const MOST_SECONDS = 20;

/** By how many samples a lane of a take stack has to be moved to be most alike to the one that is picked where it lies, else to the first. */
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
  if (!model) throw new ApiError(422, "impossible", "There is no other lane to line it up with.", { path: "laneId", kept: "Nothing was changed." });
  const first = Math.max(Math.min(...lane.clips.map((c) => c.at)), Math.min(...model.clips.map((c) => c.at)));
  const last = Math.min(Math.max(...lane.clips.map((c) => c.at + c.length)), Math.max(...model.clips.map((c) => c.at + c.length)));
  const length = Math.min(last - first, MOST_SECONDS * doc.sampleRate);
  if (!(length > 0))
    throw new ApiError(422, "impossible", `${lane.name || "The lane"} and ${model.name || "the other"} do not lie over each other.`, {
      path: "laneId",
      kept: "Nothing was changed.",
    });
  const reader = new StoredReader(madeFirst);
  const [a, b] = [await sound(reader, model, first, length), await sound(reader, lane, first, length)];
  return { revision, with: model.id, ...lineUp(a, b, REACH_SECONDS * doc.sampleRate) };
}

/** A lane's sound, its first channel, from a place of the stack on; silence between its clips. */
async function sound(reader: StoredReader, lane: TakeLane, from: number, length: number): Promise<Float32Array> {
  const out = new Float32Array(length);
  for (const clip of lane.clips) {
    const [a, b] = [Math.max(from, clip.at), Math.min(from + length, clip.at + clip.length)];
    if (b <= a) continue;
    const place = clip.offset + a - clip.at;
    await reader.prepare([{ sourceId: playedId(clip), from: place, to: place + b - a }]);
    if (!reader.read(playedId(clip), clip.channels?.[0] ?? 0, place, out, a - from, b - a))
      throw new ApiError(409, "not-ready", `Samples of ${clip.name || "a take"} could not be read. Nothing was changed.`);
  }
  return out;
}
