import { z } from "zod";
import { type Clip, clipEnd, Dye, Gain, Name, Pan } from "../../../model/schema";
import { formatLength } from "../../../time/format";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import type { Transaction } from "../../transaction";

export const setGain = defineEdit({
  type: "set-gain",
  law: { sound: "clips", fields: ["gain"], lays: "none" },
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
  law: { sound: "clips", fields: ["mute"], lays: "none" },
  about: "Mutes clips or unmutes them. A muted clip is silent and hides nothing beneath it.",
  params: z.object({ clipIds: ClipIds, mute: z.boolean() }),
  example: { type: "mute", clipIds: ["clip-1"], mute: true },
  links: "clipIds",
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
  law: { sound: "clips", fields: ["name", "color", "pan", "sync"], lays: "none" },
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
    const { sync } = set;
    for (const id of clipIds) {
      const clip = tx.clip(id);
      if (typeof sync === "number" && sync >= clip.length)
        throw new EditError(
          `The sync point would lie beyond ${clip.name || "the clip"}, which is ${formatLength(clip.length, tx.before.sampleRate)} long.`,
          "sync",
        );
      tx.setClip({ ...clip, ...given });
    }
    return `${set.name !== undefined ? "Rename" : "Change"} ${countNames(
      clipIds.map((id) => tx.clip(id).name),
      "clip",
    )}`;
  },
});

export const setLayer = defineEdit({
  type: "set-layer",
  law: { sound: "clips", fields: WINDOW, lays: "none" },
  about: "Takes clips to the top or the bottom of what they overlap on their track, or one up or down.",
  params: z.object({ clipIds: ClipIds, to: z.enum(["top", "bottom", "up", "down"]) }),
  example: { type: "set-layer", clipIds: ["clip-5"], to: "top" },
  links: "clipIds",
  apply(tx, { clipIds, to }) {
    for (const id of new Set(clipIds)) {
      const clip = tx.clip(id);
      const others = overlapping(tx, clip);
      const above = others.filter((c) => c.layer > clip.layer);
      const below = others.filter((c) => c.layer < clip.layer);
      if (to === "top") tx.setClip({ ...clip, layer: Math.max(-1, ...others.map((c) => c.layer)) + 1 });
      else if (to === "up" && above.length)
        swap(
          tx,
          clip,
          above.reduce((a, b) => (b.layer < a.layer ? b : a)),
        );
      else if (to === "down" && below.length)
        swap(
          tx,
          clip,
          below.reduce((a, b) => (b.layer > a.layer ? b : a)),
        );
      else if (to === "bottom") {
        // Everything it lies over goes up in one piece, so that nothing else changes.
        for (const other of below.sort((a, b) => b.layer - a.layer)) swap(tx, tx.clip(id), tx.clip(other.id));
      }
    }
    return `Take ${countNames(
      clipIds.map((id) => tx.clip(id).name),
      "clip",
    )} ${to === "top" || to === "bottom" ? `to the ${to}` : to}`;
  },
});

const overlapping = (tx: Transaction, clip: Clip): Clip[] =>
  tx
    .lane(clip.trackId)
    .within(clip.start, clipEnd(clip))
    .filter((c) => c.id !== clip.id && c.blend?.with !== clip.id && clip.blend?.with !== c.id);

function swap(tx: Transaction, a: Clip, b: Clip): void {
  tx.setClip({ ...a, layer: b.layer });
  tx.setClip({ ...b, layer: a.layer });
}
