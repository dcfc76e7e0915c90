import { curvesOf, ownLength, placeOf } from "../model/clip/fade-curves";
import { type BlendLaw, type Fade, type FadeCurve, type FadeShape, MOST_OVER } from "../model/schema";

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

/** The gain of one curve `i` samples from its silent end; past its loud end it is 1. */
function curveAt(curve: FadeCurve, i: number): number {
  if (i >= curve.length) return 1;
  const { from, of } = curve.part ?? { from: 0, of: curve.length };
  return curveGain(curve.shape, curve.bend, Math.min(1, (from + i + 0.5) / of));
}

/** The gain `i` samples from the silent end of a fade, i in [0, length). A fade-out is asked from its end. */
export function fadeGain(fade: Fade, i: number): number {
  let gain = curveAt(fade, i);
  if (fade.over) for (const curve of fade.over) gain *= curveAt(curve, i);
  return gain;
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

/** A fade without length that remembers its shape. */
export const bareFade = (fade: Pick<Fade, "shape" | "bend">): Fade => ({ length: 0, shape: fade.shape, bend: fade.bend });

/** The fade with another length, its curve filling it again. */
export const fadeOfLength = (fade: Fade, length: number): Fade =>
  length === fade.length ? fade : { length, shape: fade.shape, bend: fade.bend, ...(length > 0 && lentOf(fade)) };

/** What says of a fade that it is lent; nothing where it is not. */
const lentOf = ({ lent, bare }: FadeCurve): Pick<FadeCurve, "lent" | "bare"> => ({ ...(lent && { lent }), ...(bare !== undefined && { bare }) });

/** Whether some curve of a fade is one that an edge got by itself. */
export const isLent = (fade: Fade): boolean => fade.lent !== undefined || (fade.over?.some((c) => c.lent) ?? false);

const isLentFrom = (curve: FadeCurve, from: number): boolean => curve.lent !== undefined && placeOf(curve).from === from;

/**
 * The fade without what its edge got by itself. What is left of such a curve whose silent end was cut off is told by how far `from` that end it
 * begins.
 */
export function withoutLent(fade: Fade, from = 0): Fade {
  if (!isLent(fade)) return fade;
  const own = curvesOf(fade).flatMap((c) => (isLentFrom(c, from) ? [] : [{ ...c, length: ownLength(c) }]));
  return fadeOfCurves(own, fade);
}

/** How far from its silent end the lent curve that begins at `from` was cut off; null where it ends by itself, or there is none. */
export function lentRest(fade: Fade, from = 0): number | null {
  const curve = curvesOf(fade).find((c) => isLentFrom(c, from));
  const end = curve && placeOf(curve).from + ownLength(curve);
  return curve && end !== undefined && end < placeOf(curve).of ? end : null;
}

/** The fade as one that a person set. */
export function keptFade(fade: Fade): Fade {
  if (!isLent(fade)) return fade;
  return fadeOfCurves(
    curvesOf(fade).map(({ lent: _, bare: __, ...curve }) => curve),
    fade,
  );
}

/** The fade that some curves make together, the first being the oldest; without any, a bare one that remembers a shape. */
export function fadeOfCurves(curves: readonly FadeCurve[], shape: Pick<Fade, "shape" | "bend">): Fade {
  const [main, ...over] = curves;
  if (!main) return bareFade(shape);
  if (over.length === 0) return main;
  return { ...main, length: Math.max(...curves.map((c) => c.length)), over };
}

/** The piece of a fade that is left when its loud end is cut off after `length` samples from its silent end. */
export function fadeQuietPart(fade: Fade, length: number): Fade {
  if (length >= fade.length) return fade;
  return fadeOfCurves(
    curvesOf(fade).map((c) => (c.length > length ? { ...c, length, part: placeOf(c) } : c)),
    fade,
  );
}

/** The piece of a fade that is left when its silent end is cut off, `cut` samples of it. */
export function fadeLoudPart(fade: Fade, cut: number): Fade {
  if (cut <= 0) return fade;
  const left = curvesOf(fade).flatMap((c) => {
    const length = ownLength(c) - cut;
    return length > 0 ? [{ ...c, length, part: { from: placeOf(c).from + cut, of: placeOf(c).of } }] : [];
  });
  return fadeOfCurves(left, fade);
}

/** A fade that a cut took the loud end of, on a clip that grew to `length` samples: its curves go on as far as there is room again. */
export const fadeGrown = (fade: Fade, length: number): Fade =>
  fadeOfCurves(
    curvesOf(fade).map((c) => {
      const { from, of } = placeOf(c);
      const most = Math.min(of - from, length);
      return c.length === fade.length && most > c.length ? whole({ ...c, length: most }) : c;
    }),
    fade,
  );

/** A curve without its part where nothing is missing of it. */
function whole(curve: FadeCurve): FadeCurve {
  const { part, ...rest } = curve;
  return part && part.from === 0 && part.of === curve.length ? rest : curve;
}

/** Whether a clip's edge stands open: without a fade, or with what is left of one whose silent end is gone. */
export const standsOpen = (fade: Fade): boolean =>
  // Most fades are whole: they are told at once.
  fade.length === 0 || (fade.part !== undefined && curvesOf(fade).every((c) => placeOf(c).from > 0));

/** Whether some curve of a fade rises from silence over at least so many samples. */
export const risesOver = (fade: Fade, least: number): boolean => curvesOf(fade).some((c) => placeOf(c).from === 0 && ownLength(c) >= least);

/** A fade laid over an edge that stands open: it multiplies what is left of an older one. Refused (null) once too many lie there. */
export function layOver(fade: Fade, edge: FadeCurve): Fade | null {
  if (edge.length === 0) return fade;
  const curves = curvesOf(fade);
  if (curves.length > MOST_OVER) return null;
  const { length, shape, bend } = edge;
  return fadeOfCurves([...curves, { length, shape, bend, ...lentOf(edge) }], edge);
}

/**
 * Whether what fades through a joint runs on there: every curve of the first clip's fade that reaches its end (`length` is the clip's)
 * before it is done goes on in the second one, which begins nothing of its own. For fade-outs the two are asked the other way round.
 */
export function fadesRunOn(quiet: Fade, length: number, loud: Fade): boolean {
  const open = curvesOf(quiet).filter((c) => c.length >= length && ownLength(c) >= length && placeOf(c).from + length < placeOf(c).of);
  const rest = curvesOf(loud);
  return open.length === rest.length && open.every((c, i) => runsInto(c, length, rest[i]));
}

const runsInto = (a: FadeCurve, length: number, b: FadeCurve): boolean =>
  a.shape === b.shape && a.bend === b.bend && b.part !== undefined && placeOf(a).of === b.part.of && placeOf(a).from + length === b.part.from;

/** A fade that a cut divided, whole again: `quiet` lay on a clip of `length` samples, and ran on into `loud`. */
export function fadeMadeWhole(quiet: Fade, length: number, loud: Fade): Fade {
  if (loud.length === 0) return quiet;
  const rest = curvesOf(loud);
  const curves = curvesOf(quiet).map((c): FadeCurve => {
    const next = rest.find((r) => runsInto(c, length, r));
    if (!next) return c;
    return whole({ ...c, length: length + ownLength(next), part: placeOf(c) });
  });
  return fadeOfCurves(curves, quiet);
}
