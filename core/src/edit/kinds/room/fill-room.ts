import { z } from "zod";
import { isLent } from "../../../dsp/fades";
import { type Clip, clipEnd, Gain, Id, JUST_LAID, Length, NO_FADE, Position } from "../../../model/schema";
import { formatLength } from "../../../time/format";
import { defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { blendClips } from "../../laying/crossfade";
import { emptyParts } from "../../opening/neighbours";
import { type Strand, weave } from "../../room/weave";
import type { Transaction } from "../../transaction";

/** Blends between woven pieces are so long where no length is named, and those into the sound beside a gap a quarter of it. Seconds. */
const BLEND = 0.04;
const NAME = "Room";

const Passages = z
  .array(
    z
      .object({
        sourceId: Id,
        channels: z.array(z.int().min(0).max(255)).min(1).max(2).optional(),
        from: Position,
        to: Position,
        gain: Gain.default(0),
      })
      .refine((p) => p.to > p.from, { message: "A passage ends after it starts.", path: ["to"] }),
  )
  .min(1, "Name at least one quiet passage.")
  .max(1000);

/** The one clip that is heard up to, or from, a place of a track; undefined where none or several are, and where it is muted. */
function beside(tx: Transaction, trackId: string, at: number, side: "before" | "after"): Clip | undefined {
  const found = tx
    .lane(trackId)
    .within(side === "before" ? at - 1 : at, side === "before" ? at : at + 1)
    .filter((c) => (side === "before" ? clipEnd(c) === at : c.start === at));
  return found.length === 1 && !found[0].mute ? found[0] : undefined;
}

/** Crossfades two clips that meet at a place over [at − before, at + after), at constant power; leaves them where there is no material for it. */
function blendAt(tx: Transaction, leftId: string, rightId: string, at: number, before: number, after: number): void {
  const [left, right] = [tx.clip(leftId), tx.clip(rightId)];
  // A crossfade that is there stays: a clip's edge belongs to one.
  if (right.blend || before + after < 1) return;
  const shape = "power" as const;
  try {
    blendClips(tx, { ...left, fadeOut: NO_FADE }, { ...right, fadeIn: NO_FADE }, at, {
      length: before + after,
      place: "free",
      law: "power",
      linked: true,
      shape,
      bend: 0,
      reach: { before, after },
    });
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
  }
}

export const fillRoom = defineEdit({
  type: "fill-room",
  law: { sound: "span", fields: WINDOW },
  about:
    "Fills what is empty in a span of a track with the room's own sound, woven from quiet passages of recordings, forwards and backwards, each brought to the level wanted by its gain. The pieces blend with each other and, inside them, with the clips beside the gap; nothing of 50 ms or more is heard again within 2 s. Refused where the passages hold too little. `/room` finds passages and levels.",
  params: z
    .object({ trackId: Id, start: Position, end: Position, passages: Passages, blendLength: Length.optional().describe("left out, 40 ms") })
    .refine((p) => p.end > p.start, { message: "A span ends after it starts.", path: ["end"] }),
  example: {
    type: "fill-room",
    trackId: "track-1",
    start: 96000,
    end: 120000,
    passages: [{ sourceId: "source-1", from: 240000, to: 300000, gain: 0 }],
  },
  apply(tx, { trackId, start, end, passages, blendLength }) {
    tx.track(trackId, "trackId");
    const { sampleRate, sources } = tx.before;
    for (const p of passages) {
      const source = sources.get(p.sourceId);
      if (!source) throw new EditError(`The project has no recording "${p.sourceId}".`, "passages");
      if (p.to > source.length)
        throw new EditError(`${source.name} is ${formatLength(source.length, sampleRate)} long; a passage ends after it.`, "passages");
      const channel = p.channels?.find((c) => c >= source.channels);
      if (channel !== undefined)
        throw new EditError(`${source.name} has ${source.channels} channels; there is no channel ${channel}, counted from 0.`, "passages");
    }
    const gaps = emptyParts(tx, trackId, start, end);
    if (gaps.length === 0) throw new EditError("There is no gap to fill there.", "start");
    const blend = blendLength ?? Math.round(BLEND * sampleRate);
    const edge = Math.ceil(blend / 4);
    for (const gap of gaps) fill(tx, trackId, gap, weave(tx, trackId, gap.from, gap.to, passages, blend), blend, edge);
    return gaps.length === 1 ? "Fill gap with room" : `Fill ${gaps.length} gaps with room`;
  },
});

function fill(tx: Transaction, trackId: string, gap: { from: number; to: number }, strands: readonly Strand[], blend: number, edge: number): void {
  const before = beside(tx, trackId, gap.from, "before");
  const after = beside(tx, trackId, gap.to, "after");
  const ids = strands.map(({ passage, reverse, start, offset, length }) => {
    const id = tx.newId();
    tx.setClip({
      id,
      trackId,
      sourceId: passage.sourceId,
      start,
      offset,
      length,
      name: NAME,
      color: null,
      gain: passage.gain,
      pan: 0,
      ...JUST_LAID,
      bundle: tx.inside,
      ...(passage.channels && { channels: [...passage.channels] }),
      ...(reverse && { recipe: { reverse: true as const } }),
    });
    return id;
  });
  for (let i = 1; i < ids.length; i++) {
    const length = Math.min(blend, Math.floor(strands[i - 1].length / 2), Math.floor(strands[i].length / 2));
    blendAt(tx, ids[i - 1], ids[i], strands[i].start, Math.floor(length / 2), Math.ceil(length / 2));
  }
  // Into the sound beside the gap it blends inside that sound, whose hidden rest may be another word.
  // A longer fade that somebody gave it stays: the room ends beside it.
  const gives = (fade: Clip["fadeIn"]): boolean => fade.length <= edge || isLent(fade);
  if (before && gives(before.fadeOut)) blendAt(tx, before.id, ids[0], gap.from, Math.min(edge, Math.floor(before.length / 2)), 0);
  if (after && gives(after.fadeIn)) blendAt(tx, ids[ids.length - 1], after.id, gap.to, 0, Math.min(edge, Math.floor(after.length / 2)));
}
