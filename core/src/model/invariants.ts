import { isCutShort } from "./clip/fade-curves";
import type { Document } from "./document";
import { playedSource } from "./recipe/played-recording";
import { type Clip, clipEnd } from "./schema";

export const NOTHING_WRONG: string[] = [];

/** Whether a clip is one of the many with which nothing can be wrong that a closer look would find. */
function isPlain(doc: Document, clip: Clip): boolean {
  const source = playedSource(doc.sources, clip);
  return (
    source !== undefined &&
    doc.tracks.has(clip.trackId) &&
    Number.isSafeInteger(clip.start + clip.length) &&
    clip.start >= 0 &&
    clip.length >= 1 &&
    clip.offset >= 0 &&
    clip.offset + clip.length <= source.length &&
    clip.sync === null &&
    clip.fadeIn.length + clip.fadeOut.length <= clip.length &&
    !clip.fadeIn.part &&
    !clip.fadeOut.part &&
    !clip.blend &&
    !clip.channels
  );
}

/** What is wrong with one clip of a document, in words; empty when nothing is. */
export function clipProblems(doc: Document, clip: Clip): string[] {
  if (isPlain(doc, clip)) return NOTHING_WRONG;
  const found: string[] = [];
  const say = (ok: boolean, what: string): void => {
    if (!ok) found.push(`${clip.name || clip.id}: ${what}`);
  };
  const source = playedSource(doc.sources, clip);
  say(doc.tracks.has(clip.trackId), "it lies on a track that does not exist");
  say(source !== undefined, "its recording does not exist");
  say(Number.isSafeInteger(clip.start) && clip.start >= 0, "it would start before zero");
  say(Number.isSafeInteger(clip.length) && clip.length >= 1, "it would have no length");
  say(clip.offset >= 0 && (!source || clip.offset + clip.length <= source.length), "it would reach past its recording's ends");
  say(clip.start + clip.length <= Number.MAX_SAFE_INTEGER, "it would reach further than can be counted");
  say(clip.sync === null || clip.sync < clip.length, "its sync point would lie beyond it");
  const crossing = clip.fadeIn.length + clip.fadeOut.length > clip.length;
  const fit = clip.fadeIn.length <= clip.length && clip.fadeOut.length <= clip.length;
  // What a cut left of a fade fills its whole part, and may lie over the fade of the edge that was cut.
  say(!crossing || (fit && [clip.fadeIn, clip.fadeOut].some((f) => f.length === clip.length && isCutShort(f))), "its fades would cross");
  for (const { part, length, over } of [clip.fadeIn, clip.fadeOut])
    say(!part || (part.from < part.of && (over !== undefined || part.from + length <= part.of)), "a fade's part lies outside the fade");
  if (clip.channels) say(!source || clip.channels.every((c) => c < source.channels), "its recording has no such channel");
  if (clip.blend) {
    const left = doc.clips.get(clip.blend.with);
    say(left !== undefined && left.trackId === clip.trackId, "it blends with a clip that is not on its track");
    if (left) {
      const overlap = clipEnd(left) - clip.start;
      say(overlap > 0 && left.start <= clip.start && clipEnd(left) <= clipEnd(clip), "it blends with a clip that it does not follow");
      say(clip.fadeIn.length === overlap && left.fadeOut.length === overlap, "a blend's fades don't span its overlap");
    }
  }
  return found;
}

/** Every broken invariant of a document. */
export function problems(doc: Document): string[] {
  const found: string[] = [];
  const order = doc.piece.trackOrder;
  if (new Set(order).size !== order.length || order.length !== doc.tracks.size || order.some((id) => !doc.tracks.has(id)))
    found.push("the order of tracks does not name each track once");
  let count = 0;
  for (const [id, lane] of doc.lanes) {
    if (!doc.tracks.has(id)) found.push(`lane ${id} has no track`);
    lane.clips.forEach((clip, i) => {
      count++;
      if (clip.trackId !== id) found.push(`${clip.id} lies in another track's lane`);
      if (doc.clips.get(clip.id) !== clip) found.push(`${clip.id} is not the clip of the index`);
      if (!lane.within(clip.start, clip.start + 1).includes(clip)) found.push(`${clip.id} is not found where it lies`);
      if (i > 0 && lane.clips[i - 1].start > clip.start) found.push(`${clip.id} is out of order`);
      found.push(...clipProblems(doc, clip));
      const followers = lane.within(clip.start, clipEnd(clip)).filter((c) => c.blend?.with === clip.id);
      if (followers.length > 1) found.push(`${clip.id} is blended twice`);
      const tied = lane
        .within(clip.start, clipEnd(clip))
        .find((c) => c !== clip && c.layer === clip.layer && c.blend?.with !== clip.id && clip.blend?.with !== c.id);
      if (tied) found.push(`${clip.id} and ${tied.id} overlap on one layer`);
    });
  }
  if (count !== doc.clips.size) found.push("the index holds clips that no lane has");
  const filled = new Set<string>();
  for (const clip of doc.clips.values()) {
    for (let id = clip.bundle; id !== null && !filled.has(id); id = doc.bundles.get(id)?.parent ?? null) {
      if (!doc.bundles.has(id)) found.push(`${clip.id} lies in bundle ${id}, which does not exist`);
      filled.add(id);
    }
  }
  for (const bundle of doc.bundles.values()) {
    if (!filled.has(bundle.id)) found.push(`bundle ${bundle.id} is empty`);
    if (bundle.parent !== null && !doc.bundles.has(bundle.parent)) found.push(`bundle ${bundle.id} lies in one that does not exist`);
  }
  for (const section of doc.sections.values()) if (section.end <= section.start) found.push(`section ${section.name} has no length`);
  return found;
}
