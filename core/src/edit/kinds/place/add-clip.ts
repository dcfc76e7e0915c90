import { z } from "zod";
import { Clip, Dye, Fade, Gain, Id, Length, Name, NewId, NO_FADE, Pan, Position } from "../../../model/schema";
import { formatLength } from "../../../time/format";
import { defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams, resolveOverlaps } from "../../laying/overlap";
import { neighbourParams } from "../../opening/neighbours";
import { roomFor } from "../../opening/openings";

export const addClip = defineEdit({
  type: "add-clip",
  law: { sound: "clips", fields: WINDOW, lays: "one" },
  about:
    "Lays a window on a recording on a track; without `length`, all of the recording from `offset` on. Rippling or reordering, room is made for it.",
  params: z.object({
    id: NewId.optional(),
    trackId: Id,
    sourceId: Id,
    start: Position,
    offset: Position.default(0),
    length: Length.optional(),
    name: Name.optional(),
    color: Dye.nullable().default(null),
    gain: Gain.default(0),
    pan: Pan.default(0),
    mute: z.boolean().default(false),
    fadeIn: Fade.default(NO_FADE),
    fadeOut: Fade.default(NO_FADE),
    channels: Clip.shape.channels.describe("which channels of the recording it plays, one or a pair, from 0; left out, the first two"),
    ...overlapParams,
    ...neighbourParams,
  }),
  example: { type: "add-clip", id: "clip-new", trackId: "track-1", sourceId: "source-1", start: 480000, offset: 0, length: 48000 },
  apply(tx, { id, length, name, overlap, blendLength, attacks, channels, neighbours, reach, ...rest }) {
    const source = tx.before.sources.get(rest.sourceId);
    if (!source) throw new EditError(`The project has no recording "${rest.sourceId}".`, "sourceId");
    tx.track(rest.trackId);
    if (rest.offset >= source.length)
      throw new EditError(`The recording is ${formatLength(source.length, tx.before.sampleRate)} long; a clip can't start beyond its end.`, "offset");
    const silent = channels?.find((c) => c >= source.channels);
    if (silent !== undefined)
      throw new EditError(`${source.name} has ${source.channels} channels; there is no channel ${silent}, counted from 0.`, "channels");
    const clipId = id ?? tx.newId();
    if (tx.doc.clips.get(clipId)) throw new EditError(`There is already a clip "${clipId}".`, "id");
    const clip = {
      ...rest,
      id: clipId,
      length: length ?? source.length - rest.offset,
      name: name ?? source.name,
      layer: 0,
      blend: null,
      sync: null,
      bundle: tx.inside,
      ...(channels && { channels }),
    };
    const by = roomFor(tx, [clip], neighbours, reach);
    tx.setClip({ ...clip, start: clip.start + by });
    resolveOverlaps(tx, [clipId], { overlap, blendLength, attacks });
    return `Add ${clip.name}`;
  },
});
