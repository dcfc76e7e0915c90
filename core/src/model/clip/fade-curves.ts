import type { Fade, FadeCurve } from "../schema";

/** Which part of its whole curve a curve plays: from where, counted from the silent end, and how long the whole is. */
export const placeOf = (curve: FadeCurve): { from: number; of: number } => curve.part ?? { from: 0, of: curve.length };

/** A fade's curves, what is left of the oldest first. */
export function curvesOf(fade: Fade): FadeCurve[] {
  if (fade.length === 0) return [];
  const { over, ...main } = fade;
  return over ? [main, ...over] : [main];
}

/** Where a curve ends, in samples from its silent end; of one that others of its fade reach beyond, its own end counts. */
export const ownLength = (curve: FadeCurve): number => Math.min(curve.length, placeOf(curve).of - placeOf(curve).from);

/** Whether a fade ends in the middle of its curve: a cut took its loud end. */
export const isCutShort = (fade: Fade): boolean =>
  (fade.part !== undefined || fade.over !== undefined) &&
  curvesOf(fade).some((c) => placeOf(c).from + ownLength(c) < placeOf(c).of && c.length === fade.length);
