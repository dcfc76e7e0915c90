import { z } from "zod";
import { bareFade, layOver, risesOver, standsOpen } from "../../../dsp/fades";
import { blendAfter } from "../../../model/document";
import { playedSource, playsSame } from "../../../model/recipe/played-recording";
import { Bend, BlendLaw, type Clip, clipEnd, type Fade, FadeShape, Id, Length, Position } from "../../../model/schema";
import { takeOut } from "../../cutting/cut";
import { fadeRoom } from "../../cutting/parts";
import { defineEdit } from "../../definition";
import { BARE_EDGES } from "../../edge-origins";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { blendClips, materialAt } from "../../laying/crossfade";
import type { Transaction } from "../../transaction";

/** A seam as it is named: the clips heard on both sides, and where it lies. */
export const NamedSeam = z.object({ left: Id.nullable(), right: Id.nullable(), position: Position });

export const smooth = defineEdit({
  type: "smooth",
  law: { sound: "seams", fields: WINDOW },
  about:
    "Gives each seam the shortest that makes it inaudible: a centred blend of `length` where both sides have material for it, else fades on the sides that are barer than that. Where one clip lies over the other, what is hidden of the lower one is put away. `how` asks for one of both.",
  params: z.object({
    seams: z.array(NamedSeam).min(1, "Name at least one seam."),
    length: Length,
    shape: FadeShape.default("power"),
    bend: Bend.default(0),
    law: BlendLaw.default("auto"),
    how: z.enum(["best", "blend", "fades"]).default("best"),
  }),
  links: "seams",
  example: { type: "smooth", seams: [{ left: "clip-1", right: "clip-2", position: 48000 }], length: 192 },
  apply(tx, { seams, length, how, law, shape, bend }) {
    const fade: Fade = { length, shape, bend };
    /** Clips whose end was blended here; those that were before are looked up where they lay. */
    const blended = new Set<string>();
    // A blend that a later seam of the same edit leaves no room for ends in fades.
    tx.ownEdge = { ...BARE_EDGES, ...fade, lent: false };
    /** Smooths one seam; false where nothing could be, or had to be, done. */
    const smoothOne = (seam: (typeof seams)[number]): boolean => {
      const sides = { left: sideOf(tx, seam.left, seam.position), right: sideOf(tx, seam.right, seam.position) };
      const { left, right } = sides.left && sides.right ? uncovered(tx, sides.left, sides.right, seam.position) : sides;
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
          mayHide: true,
        });
        blended.add(out.id);
        return true;
      }
      if (how === "blend") return false;
      const faded = out !== null && !endsInBlend(tx, out, blended) && fadeEdge(tx, tx.clip(out.id), "fadeOut", fade);
      const now = into && tx.clip(into.id);
      return (now !== null && !now.blend && fadeEdge(tx, now, "fadeIn", fade)) || faded;
    };
    const done = seams.filter(smoothOne).length;
    if (done === 0)
      throw new EditError(
        how === "blend"
          ? "No side has enough material beyond its edge to blend."
          : "There is nothing to smooth: the edges fade already, or are cut off by a clip over them.",
        "seams",
      );
    const left = seams.length - done;
    if (left > 0)
      tx.notes.push(
        `${left} of ${seams.length} seams ${left === 1 ? "was" : "were"} left: ${how === "blend" ? "no side has enough material beyond its edge there" : "they fade already, or are cut off by a clip over them"}.`,
      );
    if (how === "blend") return done === 1 ? "Blend seam" : `Blend ${done} seams`;
    return done === 1 ? "Smooth seam" : `Smooth ${done} seams`;
  },
});

const LEAST_SECONDS = 0.001;
const FAR = { fadeIn: "fadeOut", fadeOut: "fadeIn" } as const;

/**
 * Fades one bare edge of a clip at the set length. A clip too short for a fade at both edges gives each half, also where the other edge
 * has taken all of it before. False where there is a longer fade already, or no room.
 */
function fadeEdge(tx: Transaction, clip: Clip, side: "fadeIn" | "fadeOut", fade: Fade): boolean {
  const [own, far] = [clip[side], clip[FAR[side]]];
  const half = Math.floor(clip.length / 2);
  const least = Math.ceil(LEAST_SECONDS * tx.before.sampleRate);
  const farIsBlend = side === "fadeOut" ? clip.blend !== null : blendAfter(tx.before, clip) !== undefined;
  const free = fadeRoom(clip, far);
  const shrinks = !farIsBlend && free < least && half >= least && far.length > half;
  const room = shrinks ? clip.length - half : far.length > 0 ? free : Math.max(half, clip.length - fade.length);
  const length = Math.min(fade.length, room);
  if (length < 1 || (risesOver(own, 1) && own.length >= length)) return false;
  const laid = own.length > 0 && standsOpen(own) ? layOver(own, { ...fade, length }) : { ...fade, length };
  if (!laid || laid.length > (shrinks ? clip.length - half : free)) return false;
  tx.setClip({ ...clip, [side]: laid, ...(shrinks && { [FAR[side]]: { ...bareFade(far), length: half } }) });
  return true;
}

/** A side of a seam as it is now: the clip that was named, or what became of its part there when another seam parted it. */
function sideOf(tx: Transaction, id: string | null, position: number): Clip | null {
  if (id === null) return null;
  const clip = tx.clip(id, "seams");
  if (clip.start <= position && position <= clipEnd(clip)) return clip;
  const rest = tx
    .lane(clip.trackId)
    .within(position - 1, position + 1)
    .find((c) => playsSame(c, clip) && c.offset - c.start === clip.offset - clip.start);
  return rest ?? clip;
}

/**
 * Where one side lies over the other, what is hidden of the lower one is put away, so that both have an edge at the seam. Nothing that
 * is heard changes by that; undo brings it back.
 */
function uncovered(tx: Transaction, left: Clip, right: Clip, position: number): { left: Clip; right: Clip } {
  if (left.id === right.id || left.trackId !== right.trackId || left.blend?.with === right.id || right.blend?.with === left.id)
    return { left, right };
  if (right.start === position && clipEnd(left) > position && left.start < position) {
    takeOut(tx, left.id, position, Math.min(clipEnd(left), clipEnd(right)));
    return { left: tx.clip(left.id), right };
  }
  if (clipEnd(left) === position && right.start < position && clipEnd(right) > position) {
    takeOut(tx, right.id, Math.max(right.start, left.start), position);
    const rest = tx
      .lane(right.trackId)
      .clips.find((c) => c.start === position && playsSame(c, right) && c.offset === right.offset + position - right.start);
    return { left, right: rest ?? right };
  }
  return { left, right };
}

const withoutFade = (clip: Clip, side: "fadeIn" | "fadeOut"): Clip => ({ ...clip, [side]: bareFade(clip[side]) });

/** Whether both recordings go on far enough beyond a splice, and the clips' other fades leave room, for a centred blend. */
function hasMaterial(tx: Transaction, left: Clip, right: Clip, splice: number, length: number): boolean {
  const half = Math.ceil(length / 2);
  const has = materialAt(left, right, splice, playedSource(tx.before.sources, left)?.length ?? 0);
  return Math.min(has.before, has.after, left.length - left.fadeIn.length, right.length - right.fadeOut.length, splice) >= half;
}

/** Whether a clip's end is blended: here, or before and still. */
function endsInBlend(tx: Transaction, clip: Clip, blended: ReadonlySet<string>): boolean {
  if (blended.has(clip.id)) return true;
  const was = tx.before.clips.get(clip.id);
  return was !== undefined && blendAfter(tx.before, was) !== undefined;
}
