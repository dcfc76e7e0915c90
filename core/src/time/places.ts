import type { MeterMap } from "./meter";
import type { TempoMap } from "./tempo";

/** A place counted on the maps: bars before it (from 0), the beat from 1, and ticks into it, with their fraction. */
export interface MapPlace {
  readonly bar: number;
  readonly beat: number;
  readonly tick: number;
}
interface Maps {
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
}

/** The bar, beat and tick of a position in samples; one that is at a tick is read as that tick, never as a fraction before it. */
export function placeAt(sample: number, { tempo, meter }: Maps): MapPlace {
  const { bar, ...rest } = meter.position(tempo.placeOf(sample));
  return { bar: bar - meter.firstBar, ...rest };
}

/** The sample at which a place lies; a beat may lie beyond its bar. */
export const sampleOf = ({ bar, ...rest }: MapPlace, { tempo, meter }: Maps): number =>
  tempo.sampleAt(meter.tickOf({ bar: bar + meter.firstBar, ...rest }));

const same = (a: MapPlace, b: MapPlace): boolean => a.bar === b.bar && a.beat === b.beat && a.tick === b.tick;

/** The place that a position keeps: what an earlier change left with it, while that leads there, else what the maps say. */
const placeKept = (sample: number, kept: MapPlace | undefined, maps: Maps, leadsTo = (p: MapPlace) => sampleOf(p, maps)): MapPlace =>
  kept && leadsTo(kept) === sample ? kept : placeAt(sample, maps);

/**
 * Where a position goes when the maps change and it keeps its bar, beat and tick. `kept` is what an earlier change left with it: it counts
 * while it leads to the position. What is returned with the new position is to be left with it, so that the way back leads to where it
 * came from; undefined where the new position alone tells it.
 */
export function keepingPlace(
  sample: number,
  kept: MapPlace | undefined,
  before: Maps,
  after: Maps,
): { position: number; bars: MapPlace | undefined } {
  const place = placeKept(sample, kept, before);
  const position = Math.max(0, sampleOf(place, after));
  return { position, bars: same(placeAt(position, after), place) ? undefined : place };
}

export interface PlacedSpan {
  readonly start: number;
  readonly end: number;
  readonly bars?: { readonly start: MapPlace; readonly end: MapPlace };
}

/** As `keepingPlace`, for a span. Where bars become shorter its end may fall before its start: it keeps one sample, and its place. */
export function keepingSpan({ start, end, bars }: PlacedSpan, before: Maps, after: Maps): PlacedSpan {
  const from = placeKept(start, bars?.start, before);
  const to = placeKept(end, bars?.end, before, (p) => Math.max(start + 1, sampleOf(p, before)));
  const position = Math.max(0, sampleOf(from, after));
  const last = Math.max(position + 1, sampleOf(to, after));
  const told = same(placeAt(position, after), from) && same(placeAt(last, after), to);
  return { start: position, end: last, ...(!told && { bars: { start: from, end: to } }) };
}
