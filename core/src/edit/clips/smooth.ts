import { z } from "zod";
import { blendAfter } from "../../model/document";
import { Bend, BlendLaw, type Clip, clipEnd, type Fade, FadeShape, Id, Length, Position } from "../../model/schema";
import { defineEdit } from "../definition";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";
import { blendClips, materialAt } from "./blends";

/** A seam as it is named: the clips heard on both sides, and where it lies. */
export const NamedSeam = z.object({ left: Id.nullable(), right: Id.nullable(), position: Position });

export const smooth = defineEdit({
  type: "smooth",
  about:
    "Gives each seam the shortest that makes it inaudible: a centred blend of `length` where both sides have material for it, else fades on the sides that are barer than that. `how` asks for one of both.",
  params: z.object({
    seams: z.array(NamedSeam).min(1, "Name at least one seam."),
    length: Length,
    shape: FadeShape.default("power"),
    bend: Bend.default(0),
    law: BlendLaw.default("auto"),
    how: z.enum(["best", "blend", "fades"]).default("best"),
  }),
  example: { type: "smooth", seams: [{ left: "clip-1", right: "clip-2", position: 48000 }], length: 192 },
  apply(tx, { seams, length, how, law, shape, bend }) {
    const fade: Fade = { length, shape, bend };
    /** Clips whose end was blended here; those that were before are looked up where they lay. */
    const blended = new Set<string>();
    let done = 0;
    for (const seam of seams) {
      const left = seam.left === null ? null : tx.clip(seam.left, "seams");
      const right = seam.right === null ? null : tx.clip(seam.right, "seams");
      const out = left && left !== right && clipEnd(left) === seam.position ? left : null;
      const into = right && left !== right && right.start === seam.position ? right : null;
      const free = out && into && out.trackId === into.trackId && !into.blend && !endsInBlend(tx, out, blended);
      if (free && how !== "fades" && hasMaterial(tx, out, into, seam.position, length)) {
        blendClips(tx, withoutFade(out, "fadeOut"), withoutFade(into, "fadeIn"), seam.position, {
          length,
          place: "centred",
          law,
          linked: true,
          shape,
          bend,
        });
        blended.add(out.id);
        done++;
      } else if (how !== "blend") {
        const outLength = out && !endsInBlend(tx, out, blended) ? Math.min(length, out.length - out.fadeIn.length) : 0;
        if (out && outLength > out.fadeOut.length) {
          tx.setClip({ ...out, fadeOut: { ...fade, length: outLength } });
          done++;
        }
        const now = into && tx.clip(into.id);
        const inLength = now && !now.blend ? Math.min(length, now.length - now.fadeOut.length) : 0;
        if (now && inLength > now.fadeIn.length) {
          tx.setClip({ ...now, fadeIn: { ...fade, length: inLength } });
          done++;
        }
      }
    }
    if (done === 0)
      throw new EditError(
        how === "blend"
          ? "No side has enough material beyond its edge to blend."
          : "There is nothing to smooth: the edges fade already, or are cut off by a clip over them.",
        "seams",
      );
    return seams.length === 1 ? "Smooth seam" : `Smooth ${seams.length} seams`;
  },
});

const withoutFade = (clip: Clip, side: "fadeIn" | "fadeOut"): Clip => ({ ...clip, [side]: { ...clip[side], length: 0, part: undefined } });

/** Whether both recordings go on far enough beyond a splice, and the clips' other fades leave room, for a centred blend. */
function hasMaterial(tx: Transaction, left: Clip, right: Clip, splice: number, length: number): boolean {
  const half = Math.ceil(length / 2);
  const has = materialAt(left, right, splice, tx.before.sources.get(left.sourceId)?.length ?? 0);
  return Math.min(has.before, has.after, left.length - left.fadeIn.length, right.length - right.fadeOut.length, splice) >= half;
}

/** Whether a clip's end is blended: here, or before and still. */
function endsInBlend(tx: Transaction, clip: Clip, blended: ReadonlySet<string>): boolean {
  if (blended.has(clip.id)) return true;
  const was = tx.before.clips.get(clip.id);
  return was !== undefined && blendAfter(tx.before, was) !== undefined;
}
