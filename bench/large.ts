import { applyEdit } from "@wet-thread/core/edit/registry";
import { type Document, documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import { type Bundle, type Clip, DYES, type Fade, type SourceInfo, type TakeLane, type Track } from "@wet-thread/core/model/schema";

export const RATE = 48_000;
const FADE: Fade = { length: 192, shape: "power", bend: 0 };

/** One lane of so many pieces, cut out of one long recording in one go. */
export function onePieceCut(pieces: number): Document {
  const length = pieces * 3000;
  const { sources: _, ...data } = { ...largePiece(1, 1) };
  const none = { length: 0, shape: "power" as const, bend: 0 };
  const [clip] = data.clips.values();
  const whole = documentFrom(
    {
      sampleRate: RATE,
      piece: data.piece,
      tracks: [...data.tracks.values()],
      clips: [{ ...clip, id: "take", sourceId: "long", start: 0, offset: 0, length, fadeIn: none, fadeOut: none }],
      markers: [],
      sections: [],
    },
    new Map([["long", { id: "long", name: "Long take", length, channels: 1 }]]),
  );
  const at = Array.from({ length: pieces - 1 }, (_, i) => (i + 1) * 3000);
  return applyEdit(whole, { type: "split", trackIds: [clip.trackId], at, key: "cuts" }).doc;
}

/** A piece of `tracks` × `perTrack` clips, each with fades, side by side with small gaps. */
export function largePiece(tracks: number, perTrack: number): Document {
  const source: SourceInfo = { id: "s", name: "Bed", length: 60 * RATE, channels: 1 };
  const list: Track[] = Array.from({ length: tracks }, (_, i) => ({
    id: `t${i}`,
    name: `Track ${i + 1}`,
    color: DYES[i % DYES.length],
    height: 40,
    mute: false,
    solo: false,
    gain: 0,
    pan: 0,
    hidden: false,
    link: null,
  }));
  const clips: Clip[] = list.flatMap((t, i) =>
    Array.from({ length: perTrack }, (_, k) => ({
      id: `c${i}-${k}`,
      trackId: t.id,
      sourceId: "s",
      start: k * 30_000 + i * 37,
      length: k % 3 === 0 ? 30_000 : 24_000,
      offset: (k * 7919) % (50 * RATE),
      name: `Clip ${k + 1}`,
      color: null,
      gain: 0,
      pan: 0,
      mute: false,
      layer: 0,
      fadeIn: FADE,
      fadeOut: FADE,
      blend: null,
      sync: null,
      bundle: null,
    })),
  );
  return documentFrom(
    {
      sampleRate: RATE,
      piece: { ...NEW_PIECE, tempo: [{ tick: 0, bpm: 92 }], trackOrder: list.map((t) => t.id) },
      tracks: list,
      clips,
      markers: [],
      sections: [],
    },
    new Map([["s", source]]),
  );
}

/**
 * The piece as it is after months of work: of the clips of `largePiece` a tenth lie in bundles, a twentieth in take stacks, half have bare edges, a
 * third have envelopes, and in every fifth place three lie over each other.
 */
export function fullPiece(tracks: number, perTrack: number): Document {
  const plain = largePiece(tracks, perTrack);
  const bundles: Bundle[] = [];
  const none: Fade = { length: 0, shape: "power", bend: 0 };
  const clips = [...plain.clips.values()].map((clip): Clip => {
    const [i, k] = clip.id.slice(1).split("-").map(Number);
    const full = { ...clip };
    if (k % 2 === 0) [full.fadeIn, full.fadeOut] = [none, none];
    if (k % 3 === 0) full.envelopes = { gain: [0, 8000, 16_000].map((at, n) => ({ at: clip.offset + at, value: -n })) };
    if (k % 5 === 1 || k % 5 === 2) {
      // Pulled out over what lies before it, on a layer of its own.
      const by = Math.min(8000, clip.offset);
      Object.assign(full, { layer: k % 5, start: clip.start - by, offset: clip.offset - by, length: clip.length + by });
    }
    const bundle = { name: "Held", color: null, parent: null, pattern: null, start: full.start, trackId: clip.trackId };
    if (k % 20 === 4 || k % 20 === 5) {
      full.bundle = `b${i}-${k - (k % 20)}`;
      if (k % 20 === 4) bundles.push({ ...bundle, id: full.bundle });
    } else if (k % 20 === 13) {
      full.bundle = `s${i}-${k}`;
      full.take = `${full.bundle}-a`;
      const lane = (name: string, offset: number): TakeLane => ({
        ...{ id: `${full.bundle}-${name}`, name, color: null, rating: 0, hidden: false },
        clips: [
          {
            at: 0,
            length: full.length,
            offset,
            sourceId: "s",
            name,
            color: null,
            gain: 0,
            pan: 0,
            mute: false,
            fadeIn: none,
            fadeOut: none,
            sync: null,
          },
        ],
      });
      bundles.push({ ...bundle, id: full.bundle, takes: [lane("a", full.offset), lane("b", 1000)] });
    }
    return full;
  });
  return documentFrom(
    { sampleRate: RATE, piece: plain.piece, tracks: [...plain.tracks.values()], clips, markers: [], sections: [], bundles },
    plain.sources,
  );
}
