import type { BlendLaw, Fade, FadeShape } from "../model/schema";

const K = 5;

/** u warped by a bend b in [−1, 1]: (e^{6bu} − 1)/(e^{6b} − 1); b = 0 is the identity (semantics, Fades). */
export function bendWarp(u: number, bend: number): number {
  return bend === 0 ? u : Math.expm1(6 * bend * u) / Math.expm1(6 * bend);
}

/** The gain of a shape at u in [0, 1], rising from 0 to 1 (semantics, Fades). */
export function shapeGain(shape: FadeShape, u: number): number {
  switch (shape) {
    case "straight":
      return u;
    case "power":
      return Math.sin((Math.PI * u) / 2);
    case "s":
      return (1 - Math.cos(Math.PI * u)) / 2;
    case "slow":
      return Math.expm1(K * u) / Math.expm1(K);
    case "fast":
      return Math.expm1(-K * u) / Math.expm1(-K);
  }
}

/** The rising curve of a shape and bend at u. */
export const curveGain = (shape: FadeShape, bend: number, u: number): number => shapeGain(shape, bendWarp(u, bend));

/** The gain `i` samples from the silent end of a fade, i in [0, length). A fade-out is asked from its end. */
export function fadeGain(fade: Fade, i: number): number {
  const { from, of } = fade.part ?? { from: 0, of: fade.length };
  return curveGain(fade.shape, fade.bend, (from + i + 0.5) / of);
}

export interface BlendGains {
  readonly gainIn: number;
  readonly gainOut: number;
}

/** Likeness below this is taken as this, so that Auto never divides by nearly nothing. */
export const LEAST_LIKENESS = -0.5;

/**
 * Both gains of a linked crossfade, `i` samples into an overlap of `length`. Equal gain: they add up to 1; equal power: their squares
 * do; auto: the outgoing curve mirrors the incoming one and both are divided so that the expected level is constant for sides whose
 * normalised correlation is `likeness` (semantics, Crossfades).
 */
export function blendGains(law: BlendLaw, incoming: Pick<Fade, "shape" | "bend">, i: number, length: number, likeness: number): BlendGains {
  const gainIn = curveGain(incoming.shape, incoming.bend, (i + 0.5) / length);
  if (law === "gain") return { gainIn, gainOut: 1 - gainIn };
  if (law === "power") return { gainIn, gainOut: Math.sqrt(Math.max(0, 1 - gainIn * gainIn)) };
  const gainOut = curveGain(incoming.shape, incoming.bend, (length - i - 0.5) / length);
  const r = Math.max(LEAST_LIKENESS, Math.min(1, likeness));
  const level = Math.sqrt(gainIn * gainIn + gainOut * gainOut + 2 * r * gainIn * gainOut);
  return { gainIn: gainIn / level, gainOut: gainOut / level };
}

/** The fade with another length, its curve filling it again. */
export const fadeOfLength = (fade: Fade, length: number): Fade => (length === fade.length ? fade : { length, shape: fade.shape, bend: fade.bend });

/** The piece of a fade that is left when its loud end is cut off after `length` samples from its silent end. */
export function fadeQuietPart(fade: Fade, length: number): Fade {
  if (length >= fade.length) return fade;
  const { from, of } = fade.part ?? { from: 0, of: fade.length };
  return { ...fade, length, part: { from, of } };
}

/** The piece of a fade that is left when its silent end is cut off, `cut` samples of it. */
export function fadeLoudPart(fade: Fade, cut: number): Fade {
  if (cut <= 0) return fade;
  if (cut >= fade.length) return { length: 0, shape: fade.shape, bend: fade.bend };
  const { from, of } = fade.part ?? { from: 0, of: fade.length };
  return { ...fade, length: fade.length - cut, part: { from: from + cut, of } };
}
