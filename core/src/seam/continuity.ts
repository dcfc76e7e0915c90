import { type Clip, clipEnd, type Fade } from "../model/schema";

/** A fade's gain runs on over a split when both parts belong to one curve. */
function fadeRunsOn(quiet: Fade, loud: Fade): boolean {
  const a = quiet.part ?? { from: 0, of: quiet.length };
  const b = loud.part;
  return b !== undefined && quiet.shape === loud.shape && quiet.bend === loud.bend && a.of === b.of && a.from + quiet.length === b.from;
}

/** Whether no gain changes at the join: no fade there, or one curve that runs on through it. */
function gainRunsOn(left: Clip, right: Clip): boolean {
  if (left.gain !== right.gain || left.pan !== right.pan) return false;
  const inRunsOn = right.fadeIn.length === 0 || (left.fadeIn.length === left.length && fadeRunsOn(left.fadeIn, right.fadeIn));
  const outRunsOn = left.fadeOut.length === 0 || (right.fadeOut.length === right.length && fadeRunsOn(right.fadeOut, left.fadeOut));
  // A fade-in that ends just at the join has reached full gain there only if nothing of its curve is left.
  const inDone =
    left.fadeIn.length < left.length ||
    right.fadeIn.length > 0 ||
    !left.fadeIn.part ||
    left.fadeIn.part.from + left.fadeIn.length === left.fadeIn.part.of;
  const outDone =
    right.fadeOut.length < right.length ||
    left.fadeOut.length > 0 ||
    !right.fadeOut.part ||
    right.fadeOut.part.from + right.fadeOut.length === right.fadeOut.part.of;
  return inRunsOn && outRunsOn && inDone && outDone;
}

/** Whether the left clip's recording runs on into the right one sample for sample, gain and all. */
export function unbroken(left: Clip, right: Clip): boolean {
  return (
    left.trackId === right.trackId &&
    left.sourceId === right.sourceId &&
    left.mute === right.mute &&
    clipEnd(left) === right.start &&
    left.offset + left.length === right.offset &&
    !right.blend &&
    gainRunsOn(left, right)
  );
}
