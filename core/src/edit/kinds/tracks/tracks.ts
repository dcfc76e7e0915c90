import { z } from "zod";
import { DYES, Dye, Gain, Id, LinkName, Name, NewId, nameOf, Pan } from "../../../model/schema";
import { countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import { NOTHING } from "../../law";
import { layCopies } from "../../laying/copies";

const Height = z.int().min(36).max(600);

export const addTrack = defineEdit({
  type: "add-track",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Adds a track, at the end or before the track that is at `index` now.",
  params: z.object({
    id: NewId.optional(),
    name: Name.optional(),
    color: Dye.optional(),
    index: z.int().min(0).optional(),
    height: Height.default(96),
    gain: Gain.default(0),
    pan: Pan.default(0),
    link: LinkName.nullable().default(null),
  }),
  example: { type: "add-track", id: "track-new", name: "Hand bells" },
  apply(tx, { id, name, color, index, ...rest }) {
    const order = tx.doc.piece.trackOrder;
    const trackId = id ?? tx.newId();
    if (tx.doc.tracks.has(trackId)) throw new EditError(`There is already a track "${trackId}".`, "id");
    const track = {
      ...rest,
      id: trackId,
      name: name ?? `Track ${order.length + 1}`,
      color: color ?? DYES[order.length % DYES.length],
      mute: false,
      solo: false,
      hidden: false,
    };
    tx.setTrack(track);
    const next = [...order];
    next.splice(Math.min(index ?? order.length, order.length), 0, trackId);
    tx.setPiece({ trackOrder: next });
    return `Add track ${track.name}`;
  },
});

export const renameTrack = defineEdit({
  type: "rename-track",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Renames a track.",
  params: z.object({ trackId: Id, name: Name }),
  example: { type: "rename-track", trackId: "track-1", name: "Shuttle loom" },
  apply(tx, { trackId, name }) {
    tx.setTrack({ ...tx.track(trackId), name });
    return `Rename track ${name}`;
  },
});

export const removeTrack = defineEdit({
  type: "remove-track",
  law: { sound: "tracks", fields: ["bundle", "take"], lays: "none" },
  about: "Removes a track and the clips on it; the recordings stay.",
  params: z.object({ trackId: Id }),
  example: { type: "remove-track", trackId: "track-2" },
  apply(tx, { trackId }) {
    const track = tx.track(trackId);
    for (const clip of tx.lane(trackId).clips) tx.set("clip", clip.id, null);
    tx.set("track", trackId, null);
    tx.setPiece({ trackOrder: tx.doc.piece.trackOrder.filter((id) => id !== trackId) });
    return `Remove track ${track.name}`;
  },
});

export const moveTrack = defineEdit({
  type: "move-track",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Moves a track up or down to an index in the order of tracks.",
  params: z.object({ trackId: Id, index: z.int().min(0) }),
  example: { type: "move-track", trackId: "track-1", index: 1 },
  apply(tx, { trackId, index }) {
    const track = tx.track(trackId);
    const order = tx.doc.piece.trackOrder.filter((id) => id !== trackId);
    order.splice(Math.min(index, order.length), 0, trackId);
    tx.setPiece({ trackOrder: order });
    return `Move track ${track.name}`;
  },
});

export const setTrack = defineEdit({
  type: "set-track",
  law: { sound: "tracks", fields: NOTHING, lays: "none" },
  about: "Sets mute, solo, gain, pan, colour, height or visibility of tracks; what is left out stays.",
  params: z.object({
    trackIds: TrackIds,
    mute: z.boolean().optional(),
    solo: z.boolean().optional(),
    gain: Gain.optional(),
    pan: Pan.optional(),
    color: Dye.optional(),
    height: Height.optional(),
    hidden: z.boolean().optional(),
    link: LinkName.nullable().optional(),
  }),
  example: { type: "set-track", trackIds: ["track-1", "track-2"], mute: true },
  apply(tx, { trackIds, ...set }) {
    const given = Object.fromEntries(Object.entries(set).filter(([, v]) => v !== undefined));
    const tracks = trackIds.map((id) => tx.track(id, "trackIds"));
    for (const track of tracks) tx.setTrack({ ...track, ...given });
    const who = countNames(
      tracks.map((t) => t.name),
      "track",
    );
    if (set.mute !== undefined) return `${set.mute ? "Mute" : "Unmute"} ${who}`;
    if (set.solo !== undefined) return `${set.solo ? "Solo" : "Unsolo"} ${who}`;
    return `Change ${Object.keys(given)[0] ?? "settings"} of ${who}`;
  },
});

export const duplicateTrack = defineEdit({
  type: "duplicate-track",
  law: { sound: "tracks", fields: NOTHING },
  about: "Lays a copy of a track, with copies of its clips, below it.",
  params: z.object({ trackId: Id, id: NewId.optional(), name: Name.optional() }),
  example: { type: "duplicate-track", trackId: "track-1", name: "Shuttle, once more" },
  apply(tx, { trackId, id, name }) {
    const track = tx.track(trackId);
    const copyId = id ?? tx.newId();
    if (tx.doc.tracks.has(copyId)) throw new EditError(`There is already a track "${copyId}".`, "id");
    const order = [...tx.doc.piece.trackOrder];
    order.splice(order.indexOf(trackId) + 1, 0, copyId);
    tx.setTrack({ ...track, id: copyId, name: name ?? nameOf(`${track.name} copy`), solo: false });
    tx.setPiece({ trackOrder: order });
    layCopies(
      tx,
      tx.lane(trackId).clips.map((c) => ({ ...c, trackId: copyId })),
      { overlap: "layer" },
    );
    return `Duplicate track ${track.name}`;
  },
});
