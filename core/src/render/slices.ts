import { playTape } from "../dsp/stretch-tape";
import { type Document, documentFrom, NEW_PIECE } from "../model/document";
import { type Clip, gainFactor, JUST_LAID } from "../model/schema";
import { type Slice, tapeLength } from "../model/slices";
import { evenMap, runAt } from "../time/time-map";

/** The clip that a slice is of, cut to it: at the beginning of an otherwise empty piece, with the clip's own gain, pan and lines, and without fades. */
function cutTo(clip: Clip, { start, end }: Slice): Clip {
  const { take: _, bars: __, conform: ___, ...kept } = clip;
  const offset = clip.offset + start - clip.start;
  return {
    ...kept,
    trackId: "slice",
    start: 0,
    length: end - start,
    offset,
    ...JUST_LAID,
    bundle: null,
  };
}

/** A piece of nothing but one slice, from its beginning on; null where its clip is gone or no longer covers it. */
export function slicePiece(doc: Document, slice: Slice): Document | null {
  const clip = doc.clips.get(slice.clipId);
  if (!clip || slice.start < clip.start || slice.end > clip.start + clip.length) return null;
  const track = { id: "slice", name: "", color: "woad" as const, height: 36, mute: false, solo: false, gain: 0, pan: 0, hidden: false, link: null };
  return documentFrom(
    {
      sampleRate: doc.sampleRate,
      piece: { ...NEW_PIECE, trackOrder: ["slice"] },
      tracks: [track],
      clips: [cutTo(clip, slice)],
      markers: [],
      sections: [],
    },
    doc.sources,
  );
}

/** Seconds over which a slice ends, so that it does not click where it was cut. */
const ENDS = 0.003;

/** Two channels as a key plays them: turned round, faster or slower as tape is, louder or softer, and ending softly. */
export function playedSlice(
  channels: readonly Float32Array[],
  { reverse, cents, gain }: Pick<Slice, "reverse" | "cents" | "gain">,
  sampleRate: number,
): Float32Array[] {
  let out: Float32Array[] = channels.map((c) => c.slice());
  if (reverse) for (const c of out) c.reverse();
  const { length } = out[0];
  if (cents !== 0) {
    const to = tapeLength(length, cents);
    const map = evenMap(length, to);
    const source = out;
    const fetch = (from: number, count: number): Float32Array[] =>
      source.map((c) => Float32Array.from({ length: count }, (_, i) => c[from + i] ?? 0));
    out = playTape(out.length, fetch, (at) => runAt(map, at), 0, to);
  }
  const factor = gainFactor(gain);
  const ends = Math.min(out[0].length, Math.round(ENDS * sampleRate));
  for (const c of out) for (let i = 0; i < c.length; i++) c[i] *= factor * Math.min(1, (c.length - i) / ends);
  return out;
}
