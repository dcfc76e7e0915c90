import { lineThinned, lineWithin } from "../../dsp/envelope";
import type { EnvelopePoint } from "../../model/schema";

const PLAIN: readonly EnvelopePoint[] = [{ at: 0, value: 0 }];

/**
 * A track's ride with another laid over a span of it: from `at` on, for `length` samples, it goes as `span` does from 0 on, and outside as it was.
 * Where either has none it is at 0 dB; null where neither has one.
 */
export function rideOver(
  around: readonly EnvelopePoint[] | undefined,
  span: readonly EnvelopePoint[] | undefined,
  at: number,
  length: number,
): EnvelopePoint[] | null {
  if (!around && !span) return null;
  const own = around ?? PLAIN;
  const end = at + length;
  const within = lineWithin(span ?? PLAIN, 0, length, "gain").map((p) => ({ ...p, at: p.at + at }));
  const last = Math.max(end + 1, own[own.length - 1].at + 1);
  return lineThinned([...(at > 0 ? lineWithin(own, 0, at, "gain") : []), ...within, ...lineWithin(own, end, last, "gain")]);
}
