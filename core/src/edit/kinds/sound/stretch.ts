import { z } from "zod";
import { kindOf, ownWindow } from "../../../model/recipe/played-recording";
import { type Clip, Length, Pitch, StretchKind } from "../../../model/schema";
import { fromDecimal } from "../../../time/rational";
import { MOST_STRETCH } from "../../../time/time-map";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { landingParams, layRemade } from "../../remaking/remade-clips";
import { recordingOf, remade, retimed, type Timing, timingOf } from "../../remaking/remake";
import { checkRatio, type Ratio, stretchedTo } from "../../remaking/stretched";
import type { Transaction } from "../../transaction";

const distinct = (tx: Transaction, ids: readonly string[]): Clip[] => [...new Set(ids)].map((id) => tx.clip(id));
const namesOf = (clips: readonly Clip[]): string =>
  countNames(
    clips.map((c) => c.name),
    "clip",
  );

export const stretch = defineEdit({
  type: "stretch",
  law: { sound: "clips", fields: [...WINDOW, "recipe", "conform"], lays: "none" },
  about:
    "Makes clips longer or shorter by stretching their sound: to a `length`, by a `factor` of the recording's own (1 is as it was), or by a `ratio`, exactly `from` samples to `to`; or changes only the `kind` (smooth keeps pitch, hits keeps attacks too, tape changes pitch with speed). The recording is not changed; `edge` is the one that moves.",
  params: z
    .object({
      clipIds: ClipIds,
      kind: StretchKind.optional(),
      length: Length.optional(),
      factor: z
        .number()
        .min(1 / MOST_STRETCH)
        .max(MOST_STRETCH)
        .optional(),
      ratio: z.object({ from: Length, to: Length }).optional(),
      edge: z.enum(["start", "end"]).default("end"),
      ...landingParams,
    })
    .refine((p) => [p.length, p.factor, p.ratio].filter((x) => x !== undefined).length <= 1, {
      message: "Give `length`, `factor` or `ratio`, one of them.",
      path: ["length"],
    })
    .refine((p) => p.kind !== undefined || p.length !== undefined || p.factor !== undefined || p.ratio !== undefined, {
      message: "Give `length`, `factor`, `ratio` or `kind`.",
      path: ["length"],
    }),
  example: { type: "stretch", clipIds: ["clip-1"], length: 96000, kind: "smooth" },
  links: "clipIds",
  apply(tx, { clipIds, kind, length, factor, ratio, edge, ...landing }) {
    const clips = distinct(tx, clipIds);
    const ratios = new Map<string, Ratio>();
    const ratioOf = (clip: Clip): Ratio => {
      const source = recordingOf(tx, clip);
      const window = ownWindow(source, clip);
      if (ratio) return ratio;
      if (factor !== undefined) {
        const { num, den } = fromDecimal(factor);
        return { from: Number(den), to: Number(num) };
      }
      // A window so short that it maps to none of its recording counts as one sample of it.
      return { from: Math.max(1, window.to - window.from), to: length ?? clip.length };
    };
    for (const clip of clips) if (!tx.leads.has(clip.id)) ratios.set(clip.id, ratioOf(clip));
    const next = clips.map((clip) => {
      const source = recordingOf(tx, clip);
      const own = kind ?? kindOf(clip.recipe);
      const only = length === undefined && factor === undefined && ratio === undefined;
      if (only) {
        const made = timingOf(clip);
        const making = made?.warp
          ? { ...made, warp: { ...made.warp, kind: own } }
          : made?.stretch
            ? { ...made, stretch: { ...made.stretch, kind: own } }
            : made && { ...made, stretch: { kind: own, from: 1, to: 1 } };
        if (!making) throw new EditError(`${clip.name || "The clip"} is neither stretched nor shifted in pitch.`, "kind");
        return remade(source, clip, retimed(source, clip, making, "kind"), "kind");
      }
      const wanted = ratios.get(tx.leads.get(clip.id) ?? clip.id) as Ratio;
      const path = ratio ? "ratio" : factor === undefined ? "length" : "factor";
      checkRatio(clip, wanted.from, wanted.to, path);
      return remade(source, clip, retimed(source, clip, stretchedTo(source, clip, own, wanted), path), path);
    });
    layRemade(tx, next, edge, landing);
    return `Stretch ${namesOf(clips)}`;
  },
});

export const setPitch = defineEdit({
  type: "set-pitch",
  law: { sound: "clips", fields: ["recipe"], lays: "none" },
  about: "Shifts the pitch of clips by cents (-2400 to 2400) and keeps their length; 0 takes the shift off.",
  params: z.object({ clipIds: ClipIds, cents: Pitch, kind: StretchKind.optional() }),
  example: { type: "set-pitch", clipIds: ["clip-1"], cents: -200 },
  links: "clipIds",
  apply(tx, { clipIds, cents, kind }) {
    const clips = distinct(tx, clipIds);
    for (const clip of clips) {
      const source = recordingOf(tx, clip);
      const { stretch: had, warp, pitchLine } = timingOf(clip) ?? {};
      const own = kind ?? kindOf(clip.recipe);
      const timing: Timing = {
        ...(warp ? { warp: { ...warp, kind: own } } : { stretch: had ? { ...had, kind: own } : { kind: own, from: 1, to: 1 } }),
        ...(cents !== 0 && { pitch: cents }),
        ...(pitchLine && { pitchLine }),
      };
      tx.setClip(remade(source, clip, retimed(source, clip, timing, "cents"), "cents"));
    }
    return cents === 0 ? `Take pitch shift off ${namesOf(clips)}` : `Shift pitch of ${namesOf(clips)}`;
  },
});

export const asRecorded = defineEdit({
  type: "as-recorded",
  law: { sound: "clips", fields: [...WINDOW, "recipe", "conform"], lays: "none" },
  about: "Takes stretch, warp and pitch, its envelope too, off clips: the same moments of the recording, as long and as high as they were.",
  params: z.object({ clipIds: ClipIds, ...landingParams }),
  example: { type: "as-recorded", clipIds: ["clip-6"] },
  links: "clipIds",
  apply(tx, { clipIds, ...landing }) {
    const clips = distinct(tx, clipIds);
    if (clips.every((c) => !timingOf(c))) throw new EditError("These clips play their recordings as they were.", "clipIds");
    const next = clips.map((clip) => {
      const source = recordingOf(tx, clip);
      return remade(source, clip, retimed(source, clip, undefined, "clipIds"), "clipIds");
    });
    layRemade(tx, next, "end", landing);
    return `${namesOf(clips)} as recorded`;
  },
});
