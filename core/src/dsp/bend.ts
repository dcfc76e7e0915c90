import { lastAtOrBefore, lastWhere } from "../base/sorted";
import type { EnvelopePoint } from "../model/schema";
import { MOST_PITCH } from "../model/schema";
import { momentRecorded, type Run, runAt, type TimeMap } from "../time/time-map";
import { envelopeValue } from "./envelope";
import { exp } from "./maths";
import type { Line } from "./stretch-smooth";

/*
 * Pitch that moves: a recording is stretched by as much as its pitch is to rise at each moment, and that is played faster by as much, so that
 * nothing changes its place. Both go by the same cells of time, in each of which the pitch is steady.
 */

/** Samples of what is made in which the pitch is steady; counted from zero, so that whoever makes a stretch has the same cells. */
const CELL = 256;
/** Tape's filter goes by steps of a semitone where its pace moves: to make its weights anew for each cell would take longer than all else. */
const BANDS = 12;

/** The paces that tape's filter is made for, and the one of them that takes in a pace. */
const PACES = Array.from({ length: 7 * BANDS }, (_, k) => exp((k * Math.LN2) / BANDS));
function bandOf(pace: number): number {
  return PACES.find((band) => band >= pace * (1 - 1e-9)) ?? pace;
}

/** How pitch moves over a stretch of a recording. */
export interface Bend {
  /** Where moments of the recording lie in what is stretched first. */
  readonly line: Line;
  /** What of that is played at a sample of what is made. */
  run(at: number): Run;
  /** The highest pace of all. */
  readonly pace: number;
}

/** The ratio of frequencies of an envelope of pitch at a moment of the recording, in cents with `pitch` added, no more than two octaves either way. */
export function pitchRatio(line: readonly EnvelopePoint[], pitch: number, at: number): number {
  const cents = Math.max(-MOST_PITCH, Math.min(MOST_PITCH, pitch + envelopeValue(line, at)));
  return exp((cents * Math.LN2) / 1200);
}

/**
 * The bend of [from, to) of a recording by an envelope of pitch, in cents, and a pitch added to it. `tape`: its speed goes with its pitch, and
 * only what the envelope adds is stretched first.
 */
export function bendOf(map: TimeMap, points: readonly EnvelopePoint[], pitch: number, tape: boolean, from: number, to: number): Bend {
  const ratio = (at: number): number => pitchRatio(points, pitch, at);
  const made = (own: number): number => {
    // The place in what is made, found by its cells below; exact enough to choose them.
    let [low, high] = [-1, 1];
    while (momentRecorded(map, low) > own) low *= 2;
    while (momentRecorded(map, high) < own) high *= 2;
    return low + lastWhere(high - low, (i) => momentRecorded(map, low + i) <= own);
  };
  const [first, last] = [Math.floor(made(from) / CELL), Math.ceil((made(to) + 1) / CELL)];
  const edges = Array.from({ length: last - first + 1 }, (_, k) => (first + k) * CELL);
  // Where the map turns, a cell ends too.
  const ties = map.ties.map((t) => t.to).filter((t) => t > edges[0] && t < edges[edges.length - 1] && t % CELL !== 0);
  const places = ties.length > 0 ? [...edges, ...ties].sort((a, b) => a - b) : edges;
  const own = places.map((at) => momentRecorded(map, at));
  const paces = places.slice(1).map((_, k) => ratio((own[k] + own[k + 1]) / 2));
  const stretched = [0];
  for (let k = 0; k < paces.length; k++) stretched.push(stretched[k] + paces[k] * (tape ? own[k + 1] - own[k] : places[k + 1] - places[k]));
  const cellOf = (at: number): number => Math.max(0, Math.min(places.length - 2, lastAtOrBefore(places, at)));
  return {
    line: {
      from: own,
      to: stretched,
      outside: (stretched[stretched.length - 1] - stretched[stretched.length - 2]) / (own[own.length - 1] - own[own.length - 2]),
    },
    run(at) {
      const k = cellOf(at);
      const until = k === places.length - 2 ? Number.POSITIVE_INFINITY : places[k + 1];
      const { pace: mapped } = tape ? runAt(map, at) : { pace: 1 };
      const pace = paces[k] * mapped;
      const moment = stretched[k] + paces[k] * (tape ? momentRecorded(map, at) - own[k] : at - places[k]);
      return { moment, pace, until, band: bandOf(pace) };
    },
    pace: Math.max(...paces.map((p, k) => p * (tape ? (own[k + 1] - own[k]) / (places[k + 1] - places[k]) : 1))),
  };
}
