import { applyEdit } from "@wet-thread/core/edit/registry";
import { type Document, documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import { type Clip, DYES, type Fade, type SourceInfo, type Track } from "@wet-thread/core/model/schema";

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
