import { playedSource } from "./played";
import { type Clip, clipEnd, type SourceInfo } from "./schema";
import { firstAtOrAfter } from "./sorted";

/**
 * The hits of a clip's recording that it plays, at their places on the timeline, in order, in [from, to) of the timeline in samples. None where the
 * recording's hits are not known.
 */
export function hitsBetween(sources: ReadonlyMap<string, SourceInfo>, clip: Clip, from: number, to: number): number[] {
  const hits = playedSource(sources, clip)?.hits ?? [];
  const shift = clip.start - clip.offset;
  const end = Math.min(to, clipEnd(clip)) - shift;
  const found: number[] = [];
  for (let i = firstAtOrAfter(hits, Math.max(from, clip.start) - shift); i < hits.length && hits[i] < end; i++) found.push(hits[i] + shift);
  return found;
}
