import { z } from "zod";
import { foundHits, hitsBetween } from "../../../model/clip/hits";
import { ownPlace } from "../../../model/recipe/played-recording";
import { type Clip, type ClipHits, clipEnd, Position, Sensitivity, type SourceInfo } from "../../../model/schema";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import type { Transaction } from "../../transaction";

/*
 * Which hits clips have: the sensitivity, and what people added, moved or took away. It belongs to the version and is kept in the clip, at
 * places of the recording itself, so that it stays with the sound whatever becomes of the clip.
 */
const Places = z.array(Position).min(1, "Name at least one place.").max(4096).describe("places on the timeline");

/** A clip with what was set; nothing where nothing is left of it. */
function withHits({ hits: _, ...clip }: Clip, set: ClipHits): Clip {
  const hits = Object.fromEntries(Object.entries(set).filter(([, v]) => v !== undefined && !(Array.isArray(v) && v.length === 0)));
  return Object.keys(hits).length ? { ...clip, hits } : clip;
}

const inOrder = (places: Iterable<number>): number[] => [...new Set(places)].sort((a, b) => a - b);
const named = (tx: Transaction, clipIds: readonly string[]): string =>
  countNames(
    clipIds.map((id) => tx.clip(id).name),
    "clip",
  );

/** A clip whose hits at some places of its recording are gone. */
function without(clip: Clip, source: SourceInfo, gone: readonly number[]): Clip {
  const { added = [], removed = [], ...rest } = clip.hits ?? {};
  const taken = new Set(gone);
  const found = new Set(source.found?.map((h) => h.at) ?? source.hits);
  return withHits(clip, {
    ...rest,
    added: added.filter((at) => !taken.has(at)),
    // What was only added leaves nothing behind.
    removed: inOrder([...removed, ...gone.filter((at) => found.has(at))]),
  });
}

/** A clip with hits at some more places of its recording. What it would show but for having been taken away only comes back. */
function withAdded(clip: Clip, source: SourceInfo, more: readonly number[]): Clip {
  const { added = [], removed = [], ...rest } = clip.hits ?? {};
  const back = new Set(more);
  const shown = new Set(foundHits(source, clip.hits).map((h) => h.at));
  return withHits(clip, {
    ...rest,
    removed: removed.filter((at) => !back.has(at)),
    added: inOrder([...added, ...more.filter((at) => !shown.has(at))]),
  });
}

/** A clip's recording, whose hits are known. */
function heard(tx: Transaction, clip: Clip): SourceInfo {
  const source = tx.before.sources.get(clip.sourceId);
  if (!source?.hits) throw new EditError(`The hits of ${clip.name || "the clip"} are not known yet.`, "clipIds");
  return source;
}

/** Places of the timeline as places of a clip's recording; those at which it does not play are left. */
function recorded(tx: Transaction, clip: Clip, at: readonly number[]): number[] {
  const inside = at.filter((place) => place >= clip.start && place < clipEnd(clip));
  const source = inside.length > 0 ? heard(tx, clip) : null;
  return source ? inside.map((place) => ownPlace(source, clip, place - clip.start + clip.offset)) : [];
}

/** Where a clip has hits on the timeline. */
const placesOf = (tx: Transaction, clip: Clip): number[] => hitsBetween(tx.before.sources, clip, clip.start, clipEnd(clip));

export const setSensitivity = defineEdit({
  type: "set-sensitivity",
  law: { sound: "nowhere", fields: ["hits"], lays: "none" },
  about:
    "Sets which hits of their recordings clips have: those of a strength of at least 1 − sensitivity; null for the usual 0.5. Where all were cleared, those found count again.",
  params: z.object({ clipIds: ClipIds, sensitivity: Sensitivity.nullable() }),
  example: { type: "set-sensitivity", clipIds: ["clip-1"], sensitivity: 0.3 },
  apply(tx, { clipIds, sensitivity }) {
    for (const id of clipIds) {
      const clip = tx.clip(id);
      tx.setClip(withHits(clip, { ...clip.hits, cleared: undefined, sensitivity: sensitivity ?? undefined }));
    }
    return `Sensitivity of ${named(tx, clipIds)}`;
  },
});

export const addHits = defineEdit({
  type: "add-hits",
  law: { sound: "nowhere", fields: ["hits"], lays: "none" },
  about: "Adds hits to clips where they play at places of the timeline; one that was taken away there comes back.",
  params: z.object({ clipIds: ClipIds, at: Places }),
  example: { type: "add-hits", clipIds: ["clip-1"], at: [30_000] },
  apply(tx, { clipIds, at }) {
    let count = 0;
    for (const id of clipIds) {
      const clip = tx.clip(id);
      const there = new Set(placesOf(tx, clip));
      const more = recorded(
        tx,
        clip,
        at.filter((place) => !there.has(place)),
      );
      if (more.length) tx.setClip(withAdded(clip, heard(tx, clip), more));
      count += more.length;
    }
    if (count === 0) throw new EditError("There is a hit there already, or none of the clips plays there.", "at");
    return count === 1 ? "Add a hit" : `Add ${count} hits`;
  },
});

export const moveHit = defineEdit({
  type: "move-hit",
  law: { sound: "nowhere", fields: ["hits"], lays: "none" },
  about: "Moves one hit of a clip to another place of the timeline within it; the sound stays where it is.",
  params: z.object({ clipId: z.string(), from: Position, to: Position }),
  example: { type: "move-hit", clipId: "clip-1", from: 24_000, to: 24_100 },
  apply(tx, { clipId, from, to }) {
    const clip = tx.clip(clipId);
    const hits = placesOf(tx, clip);
    if (!hits.includes(from)) throw new EditError("There is no hit at that place.", "from");
    if (to < clip.start || to >= clipEnd(clip)) throw new EditError("A hit stays within its clip.", "to");
    if (to !== from && hits.includes(to)) throw new EditError("There is a hit there already.", "to");
    if (to === from) return "Move a hit";
    const source = heard(tx, clip);
    tx.setClip(withAdded(without(clip, source, recorded(tx, clip, [from])), source, recorded(tx, clip, [to])));
    return "Move a hit";
  },
});

export const removeHits = defineEdit({
  type: "remove-hits",
  law: { sound: "nowhere", fields: ["hits"], lays: "none" },
  about:
    "Takes hits of clips away: those at places of the timeline, or, where `at` is left out, all of them, so that only what is added from then on counts.",
  params: z.object({ clipIds: ClipIds, at: Places.optional() }),
  example: { type: "remove-hits", clipIds: ["clip-1"] },
  apply(tx, { clipIds, at }) {
    const meant = at && new Set(at);
    let count = 0;
    for (const id of clipIds) {
      const clip = tx.clip(id);
      const gone = placesOf(tx, clip).filter((h) => !meant || meant.has(h));
      if (gone.length === 0) continue;
      count += gone.length;
      const { added: _, removed: __, ...kept } = clip.hits ?? {};
      tx.setClip(meant ? without(clip, heard(tx, clip), recorded(tx, clip, gone)) : withHits(clip, { ...kept, cleared: true }));
    }
    if (count === 0) throw new EditError("There is no hit to take away.", "at");
    return count === 1 ? "Remove a hit" : `Remove ${count} hits`;
  },
});

export const resetHits = defineEdit({
  type: "reset-hits",
  law: { sound: "nowhere", fields: ["hits"], lays: "none" },
  about: "Gives clips their hits as they were found: nothing added, moved or taken away, at the usual sensitivity.",
  params: z.object({ clipIds: ClipIds }),
  example: { type: "reset-hits", clipIds: ["clip-1"] },
  apply(tx, { clipIds }) {
    for (const id of clipIds) tx.setClip(withHits(tx.clip(id), {}));
    return `Hits of ${named(tx, clipIds)} as found`;
  },
});
