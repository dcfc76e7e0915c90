import { z } from "zod";
import { Dye, Gain, Name, Pan } from "../../model/schema";
import { ClipIds, countNames, defineEdit } from "../definition";

export const setGain = defineEdit({
  type: "set-gain",
  about: "Sets the gain of clips in dB, or changes it `by` some dB each.",
  params: z
    .object({ clipIds: ClipIds, gain: Gain.optional(), by: z.number().min(-192).max(192).optional() })
    .refine((p) => (p.gain === undefined) !== (p.by === undefined), { message: "Give `gain` or `by`.", path: ["gain"] }),
  example: { type: "set-gain", clipIds: ["clip-1"], gain: -3 },
  apply(tx, { clipIds, gain, by }) {
    for (const id of clipIds) {
      const clip = tx.clip(id);
      tx.setClip({ ...clip, gain: gain ?? Math.max(-144, Math.min(48, clip.gain + (by as number))) });
    }
    return `Gain of ${countNames(
      clipIds.map((id) => tx.clip(id).name),
      "clip",
    )}`;
  },
});

export const mute = defineEdit({
  type: "mute",
  about: "Mutes clips or unmutes them. A muted clip is silent and hides nothing beneath it.",
  params: z.object({ clipIds: ClipIds, mute: z.boolean() }),
  example: { type: "mute", clipIds: ["clip-1"], mute: true },
  apply(tx, { clipIds, mute }) {
    for (const id of clipIds) tx.setClip({ ...tx.clip(id), mute });
    return `${mute ? "Mute" : "Unmute"} ${countNames(
      clipIds.map((id) => tx.clip(id).name),
      "clip",
    )}`;
  },
});

export const setClip = defineEdit({
  type: "set-clip",
  about: "Sets the name, colour, pan or sync point of clips; what is left out stays.",
  params: z.object({
    clipIds: ClipIds,
    name: Name.optional(),
    color: Dye.nullable().optional(),
    pan: Pan.optional(),
    sync: z.int().min(0).nullable().optional(),
  }),
  example: { type: "set-clip", clipIds: ["clip-1"], name: "Shuttle, first hit" },
  apply(tx, { clipIds, ...set }) {
    const given = Object.fromEntries(Object.entries(set).filter(([, v]) => v !== undefined));
    for (const id of clipIds) tx.setClip({ ...tx.clip(id), ...given });
    return `${set.name !== undefined ? "Rename" : "Change"} ${countNames(
      clipIds.map((id) => tx.clip(id).name),
      "clip",
    )}`;
  },
});
