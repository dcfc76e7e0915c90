import { hitsBetween } from "../model/clip/hits";
import { applyChanges, type Change, type Document } from "../model/document";
import { type Clip, type Fade, NO_FADE } from "../model/schema";
import { heardOf } from "./heard";

/** What is heard of an attack, in seconds: a little before it, its first part, and how it goes out. */
const BEFORE = 0.002;
const HEARD = 0.06;
const OUT = 0.03;
const SILENT_DB = -144;

const ramp = (length: number): Fade => ({ length, shape: "s", bend: 0 });

/** The attacks of a clip within a stretch in which it is heard, as clips of their own. */
function attacksIn(doc: Document, clip: Clip, from: number, to: number): Clip[] {
  const [before, heard, out] = [BEFORE, HEARD, OUT].map((s) => Math.round(s * doc.sampleRate));
  const hits = hitsBetween(doc.sources, clip, from, to);
  return hits.map((hit, n) => {
    const start = Math.max(from, hit - before);
    const end = Math.min(to, hit + heard, (hits[n + 1] ?? Number.POSITIVE_INFINITY) - before);
    const length = Math.max(1, end - start);
    const rise = Math.min(hit - start, length);
    return {
      ...clip,
      id: `${clip.id}~hit${hit}`,
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

/**
 * The piece as it is heard when of some clips only the attacks are: the first 60 ms of each hit. The clips themselves stay, silent, so that they
 * hide what they hid; a clip whose hits are not known is silent. Never edited.
 */
export function attacksOnly(doc: Document, clips: Iterable<Clip>): Document {
  const changes: Change[] = [];
  for (const clip of clips) {
    const lane = doc.lanes.get(clip.trackId);
    const stretches = lane ? heardOf(lane).filter((h) => h.clip === clip) : [];
    changes.push({ kind: "clip", id: clip.id, before: clip, after: { ...clip, gain: SILENT_DB } });
    for (const { from, to } of stretches)
      for (const attack of attacksIn(doc, clip, from, to)) changes.push({ kind: "clip", id: attack.id, before: null, after: attack });
  }
  return applyChanges(doc, changes);
}
