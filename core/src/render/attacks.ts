import { applyChanges, type Change, type Document } from "../model/document";
import { hitsBetween } from "../model/hits";
import { type Clip, clipEnd, type Fade, NO_FADE } from "../model/schema";

/** What is heard of an attack, in seconds: a little before it, its first part, and how it goes out. */
const BEFORE = 0.002;
const HEARD = 0.06;
const OUT = 0.03;

const ramp = (length: number): Fade => ({ length, shape: "s", bend: 0 });

/** The attacks of a clip as clips of their own; a clip whose hits are not known is silent. */
function attacksOf(doc: Document, clip: Clip): Clip[] {
  const [before, heard, out] = [BEFORE, HEARD, OUT].map((s) => Math.round(s * doc.sampleRate));
  const hits = hitsBetween(doc.sources, clip, clip.start, clipEnd(clip));
  return hits.map((hit, n) => {
    const start = Math.max(clip.start, hit - before);
    const end = Math.min(clipEnd(clip), hit + heard, (hits[n + 1] ?? Number.POSITIVE_INFINITY) - before);
    const length = Math.max(1, end - start);
    const rise = Math.min(hit - start, length);
    return {
      ...clip,
      id: `${clip.id}~hit${n}`,
      start,
      length,
      offset: clip.offset + start - clip.start,
      fadeIn: rise > 0 ? ramp(rise) : NO_FADE,
      fadeOut: ramp(Math.min(out, Math.floor((length - rise) / 2))),
      blend: null,
      sync: null,
    };
  });
}

/** The piece as it is heard when of some clips only the attacks are: the first 60 ms of each hit, the rest is silence. Never edited. */
export function attacksOnly(doc: Document, clips: Iterable<Clip>): Document {
  const changes: Change[] = [];
  for (const clip of clips) {
    changes.push({ kind: "clip", id: clip.id, before: clip, after: null });
    for (const attack of attacksOf(doc, clip)) changes.push({ kind: "clip", id: attack.id, before: null, after: attack });
    // What came in over its end is not blended with it any more.
    for (const other of doc.lanes.get(clip.trackId)?.within(clip.start, clipEnd(clip)) ?? [])
      if (other.blend?.with === clip.id) changes.push({ kind: "clip", id: other.id, before: other, after: { ...other, blend: null } });
  }
  const gone = new Set(changes.flatMap((c) => (c.kind === "clip" && c.after === null ? [c.id] : [])));
  return applyChanges(
    doc,
    changes.filter((c) => c.after === null || !gone.has(c.id)),
  );
}
