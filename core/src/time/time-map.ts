import { lastBy } from "../base/sorted";
import { commonDivisor, roundMultiple } from "./rational";

/*
 * Where moments of a recording lie in one that is made from it by stretching or warping. Places are edges, so that lengths follow from them
 * and what lies side by side stays so.
 */

/** A moment of the recording tied to one of what is made of it, both in samples. */
export interface Tie {
  readonly from: number;
  readonly to: number;
}

/** Pieces of a map are at most so many times as long or as short as the recording. */
export const MOST_STRETCH = 8;

/** Straight between ties; before the first and after the last it goes on with `outside.to` samples made of `outside.from`. */
export interface TimeMap {
  readonly ties: readonly Tie[];
  readonly outside: Tie;
}

/** Every `from` samples become `to`. */
export const evenMap = (from: number, to: number): TimeMap => ({
  ties: [
    { from: 0, to: 0 },
    { from, to },
  ],
  outside: { from, to },
});

/** Straight between its points; outside them nothing is stretched. */
export const warpedMap = (points: readonly Tie[]): TimeMap => ({ ties: points, outside: { from: 1, to: 1 } });

/** Whether a piece of a map is within what can be stretched. */
export const stretchable = (from: number, to: number): boolean => from > 0 && to > 0 && to <= from * MOST_STRETCH && from <= to * MOST_STRETCH;

type Side = "from" | "to";

/** The tie that a place counts from, and the slope there. */
function pieceAt({ ties, outside }: TimeMap, at: number, side: Side): { tie: Tie; slope: Tie } {
  const i = lastBy(ties, side, at);
  const [a, b] = [ties[i], ties[i + 1]];
  if (!a) return { tie: b, slope: outside };
  if (!b) return { tie: a, slope: outside };
  return { tie: a, slope: { from: b.from - a.from, to: b.to - a.to } };
}

/** An edge of the recording in what is made of it, rounded once, halves up. */
export function madeAt(map: TimeMap, edge: number): number {
  const { tie, slope } = pieceAt(map, edge, "from");
  return tie.to + roundMultiple(edge - tie.from, slope.to, slope.from);
}

/** An edge of what is made in the recording, rounded once, halves up. */
export function recordedAt(map: TimeMap, edge: number): number {
  const { tie, slope } = pieceAt(map, edge, "to");
  return tie.from + roundMultiple(edge - tie.to, slope.from, slope.to);
}

/** The moment of the recording that lies at a moment of what is made, between samples too. */
export function momentRecorded(map: TimeMap, at: number): number {
  const { tie, slope } = pieceAt(map, at, "to");
  return tie.from + ((at - tie.to) * slope.from) / slope.to;
}

/** The moment of what is made at which a moment of the recording lies, between samples too. */
export function momentMade(map: TimeMap, at: number): number {
  const { tie, slope } = pieceAt(map, at, "from");
  return tie.to + ((at - tie.from) * slope.to) / slope.from;
}

/** What is made from a place on at one pace: the moment there, how many samples of the recording pass in one made, and where that ends. */
export interface Run {
  readonly moment: number;
  readonly pace: number;
  readonly until: number;
  /** The pace that tape's filter goes by, where it is not its own. */
  readonly band?: number;
  /** Moments lie at whole numbers of so many parts of a sample; left out where they lie anywhere. */
  readonly parts?: number;
}

/** The run of one pace that a place of what is made lies in, from that place on. */
export function runAt(map: TimeMap, at: number): Run {
  const { tie, slope } = pieceAt(map, at, "to");
  return {
    moment: momentRecorded(map, at),
    pace: slope.from / slope.to,
    until: map.ties.find((t) => t.to > at)?.to ?? Number.POSITIVE_INFINITY,
    ...(Number.isInteger(tie.from) && Number.isInteger(tie.to) && Number.isInteger(at) && { parts: slope.to / commonDivisor(slope.from, slope.to) }),
  };
}
