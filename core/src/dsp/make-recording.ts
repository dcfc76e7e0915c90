import { firstAtOrAfter } from "../base/sorted";
import { kindOf, type Making, mapOf } from "../model/recipe/played-recording";
import { madeAt, momentMade, momentRecorded, type Run, runAt, type TimeMap } from "../time/time-map";
import { bendOf } from "./bend";
import { type Anchor, stretchKeepingHits } from "./stretch-hits";
import { along, type Line, stretchSmooth } from "./stretch-smooth";
import { playTape } from "./stretch-tape";
import type { Fetch } from "./stretcher";

/*
 * Derived recordings: what a recipe's stretching, warping and pitch make of a recording, before it is turned round. A long recording is made in
 * pieces whose borders depend on it alone, so that what comes out does not depend on what was asked for first.
 */

/** A recording that something is made of; places and lengths in samples at the project's rate. */
export interface Material {
  readonly length: number;
  readonly channels: number;
  readonly sampleRate: number;
  /** Where its hits are, in order. */
  readonly hits: readonly number[];
}

/** Pieces are about so long, and borders are looked for within this of where they would lie. */
const PIECE_SECONDS = 4;
const SEARCH_SECONDS = 1.3;

/** Without a hit or a pause pieces go on; after so many, the quietest place has to do. */
const MOST_ON = 12;

/** A border lies so long before a hit. */
const BEFORE_HIT_SECONDS = 0.008;

/** A pause is this long and this quiet. */
const PAUSE_SECONDS = 0.03;
const PAUSE = 10 ** (-50 / 20);

/** At a border one piece goes over into the next in this time, around it. */
const CROSS_SECONDS = 0.008;

/** What a piece hears of the recording beyond what it makes. */
const AROUND_SECONDS = 3;

/** Where pieces part: before a hit or in a pause near every fourth second, in places of the recording. */
export interface Borders {
  /** The border of a number, 1 and up; null where the pieces on both sides are one. */
  at(k: number): Promise<number | null>;
  /** How many there can be. */
  readonly count: number;
}

/** The borders of a recording; `read` gives its samples. */
export function bordersOf(material: Material, read: (from: number, count: number) => Promise<readonly Float32Array[]>): Borders {
  const { sampleRate, hits, length } = material;
  const [piece, reach] = [PIECE_SECONDS * sampleRate, SEARCH_SECONDS * sampleRate];
  const known = new Map<number, Promise<number | null>>();
  const find = async (k: number): Promise<number | null> => {
    const [middle, low, high] = [k * piece, k * piece - reach, Math.min(length, k * piece + reach)];
    const i = firstAtOrAfter(hits, middle);
    const near = [hits[i - 1], hits[i]].filter((h) => h !== undefined && h > low && h < high);
    if (near.length > 0)
      return near.reduce((a, b) => (Math.abs(b - middle) < Math.abs(a - middle) ? b : a)) - Math.round(BEFORE_HIT_SECONDS * sampleRate);
    const quiet = quietest(await read(low, high - low), Math.round(PAUSE_SECONDS * sampleRate));
    return quiet.level <= PAUSE || k % MOST_ON === 0 ? low + quiet.at : null;
  };
  return {
    count: Math.max(0, Math.ceil((length - reach) / piece) - 1),
    at: (k) => {
      let border = known.get(k);
      if (!border) {
        border = find(k);
        known.set(k, border);
      }
      return border;
    },
  };
}

/** The middle of the quietest stretch of some length, and how loud it gets. */
function quietest(channels: readonly Float32Array[], span: number): { at: number; level: number } {
  const count = Math.floor(channels[0].length / span);
  let best = { at: 0, level: Number.POSITIVE_INFINITY };
  for (let b = 0; b < count; b++) {
    let level = 0;
    for (const samples of channels) for (let i = b * span; i < (b + 1) * span; i++) level = Math.max(level, Math.abs(samples[i]));
    if (level < best.level) best = { at: b * span + (span >> 1), level };
  }
  return best;
}

/** A piece of a recording, between two borders, or its ends. */
export interface Portion {
  readonly from: number;
  readonly to: number;
}

/** The pieces that samples [from, to) of what is made need; tape needs no pieces, and neither does a short recording. */
export async function piecesFor(material: Material, making: Making, borders: Borders, from: number, to: number): Promise<Portion[]> {
  const map = mapOf(making);
  const { length, sampleRate } = material;
  const cross = Math.round(CROSS_SECONDS * sampleRate);
  const found: Portion[] = [];
  let begin = 0;
  // Pieces before the first that is needed are gone through without a look at the samples as far as hits tell them.
  const first = Math.max(1, Math.floor(momentRecorded(map, Math.max(0, from - cross)) / (PIECE_SECONDS * sampleRate)) - MOST_ON - 1);
  for (let k = first; k <= borders.count; k++) {
    const border = await borders.at(k);
    if (border === null) continue;
    if (madeAt(map, border) + cross <= from) begin = border;
    else {
      found.push({ from: begin, to: border });
      begin = border;
      if (madeAt(map, border) - cross >= to) return found;
    }
  }
  found.push({ from: begin, to: length });
  return found;
}

/** The stretch of the recording that making a piece reads. */
export function heardFor({ sampleRate, length }: Material, piece: Portion): Portion {
  const around = AROUND_SECONDS * sampleRate;
  return { from: Math.max(0, piece.from - around), to: Math.min(length, piece.to + around) };
}

/** Places along a map's ties, each times `by`, as a line for the vocoder. */
function lineOf(map: TimeMap, by: number): Line {
  return { from: map.ties.map((t) => t.from), to: map.ties.map((t) => t.to * by), outside: (map.outside.to / map.outside.from) * by };
}

/** Samples that lie in memory, as they are asked for; silence outside. */
const within =
  (samples: readonly Float32Array[], start: number): Fetch =>
  (from, count) =>
    samples.map((own) => {
      if (from >= start && from + count <= start + own.length) return own.subarray(from - start, from - start + count);
      const out = new Float32Array(count);
      const [a, b] = [Math.max(from, start), Math.min(from + count, start + own.length)];
      if (b > a) out.set(own.subarray(a - start, b - start), a - from);
      return out;
    });

/**
 * Samples [from, stop) of what is made, by a piece that reaches to `to` and hears `heard` of the recording from sample `start` on: wherever it stops,
 * they are the same. `loadStretcher` comes first.
 */
function madeBy(
  material: Material,
  making: Making,
  heard: readonly Float32Array[],
  start: number,
  from: number,
  to: number,
  stop: number,
): Float32Array[] {
  const { channels, sampleRate, hits } = material;
  const fetch = within(heard, start);
  const map = mapOf(making);
  const kind = kindOf(making);
  const pitch = 2 ** ((making.pitch ?? 0) / 1200);
  if (kind === "tape" && pitch === 1 && !making.pitchLine) return playTape(channels, fetch, (at) => runAt(map, at), from, stop);
  // A shift in pitch is made by stretching by as much and playing that faster, or slower, as tape does.
  const bend = making.pitchLine && bendOf(map, making.pitchLine, making.pitch ?? 0, kind === "tape", start, start + heard[0].length);
  const line = bend?.line ?? (kind === "tape" ? { from: [0, 1], to: [0, pitch], outside: pitch } : lineOf(map, pitch));
  const stretched = (a: number, b: number): Float32Array[] => {
    if (kind !== "hits") return stretchSmooth(channels, sampleRate, fetch, line, a, b);
    const end = start + heard[0].length;
    const anchors: Anchor[] = [];
    for (let i = firstAtOrAfter(hits, start); i < hits.length && hits[i] < end; i++) {
      const at = Math.round(bend ? along(line, hits[i]) : momentMade(map, hits[i]) * pitch);
      if (at > (anchors.at(-1)?.to ?? Number.NEGATIVE_INFINITY)) anchors.push({ from: hits[i], to: at });
    }
    return stretchKeepingHits(channels, sampleRate, fetch, line, anchors, a, b);
  };
  if (pitch === 1 && !bend) return stretched(from, stop);
  const steady = (at: number): Run => {
    const { moment, pace, until } = kind === "tape" ? runAt(map, at) : { moment: at, pace: 1, until: Number.POSITIVE_INFINITY };
    return { moment: moment * pitch, pace: pace * pitch, until };
  };
  const run = bend ? bend.run : steady;
  const first = run(from);
  const margin = Math.ceil(160 * Math.max(bend?.pace ?? 1, first.pace, run(to).pace, 1));
  const [a, b] = [Math.floor(first.moment) - margin, Math.ceil(run(stop).moment) + margin];
  return playTape(channels, within(stretched(a, b), a), run, from, stop);
}

/**
 * What a piece makes: samples from `at` on, with `cross` more on each side where another piece lies there, which `joinPieces` lays over each
 * other. `heard` is the recording's sound from sample `start` on (`heardFor`). Who needs only samples [needed.from, needed.to) does not wait for all
 * that follows them, nor, where hits are kept, for what lies before the hit before them.
 */
export function makePiece(
  material: Material,
  making: Making,
  piece: Portion,
  heard: readonly Float32Array[],
  start: number,
  needed: Portion = { from: Number.NEGATIVE_INFINITY, to: Number.POSITIVE_INFINITY },
): MadePiece {
  const map = mapOf(making);
  const cross = Math.round(CROSS_SECONDS * material.sampleRate);
  const [first, last] = [piece.from > 0, piece.to < material.length];
  const begin = madeAt(map, piece.from) - (first ? cross : 0);
  const end = Math.max(begin + 1, madeAt(map, piece.to) + (last ? cross : 0));
  const to = Math.max(begin + 1, Math.min(end, needed.to));
  const from = Math.min(to - 1, Math.max(begin, hitBefore(material, making, piece, needed.from)));
  return {
    at: from,
    before: first && from === begin ? 2 * cross : 0,
    after: last && to === end ? 2 * cross : 0,
    samples: madeBy(material, making, heard, start, from, end, to),
  };
}

/** Where the last hit of a piece at or before a sample lies, where what is made begins anew with each: nothing before it bears on what follows it. */
function hitBefore({ hits }: Material, making: Making, piece: Portion, at: number): number {
  if (kindOf(making) !== "hits" || making.pitch || making.pitchLine) return Number.NEGATIVE_INFINITY;
  const map = mapOf(making);
  let found = Number.NEGATIVE_INFINITY;
  for (let i = firstAtOrAfter(hits, piece.from); i < hits.length && hits[i] < piece.to; i++) {
    const place = Math.round(momentMade(map, hits[i]));
    if (place > at) break;
    found = place;
  }
  return found;
}

export interface MadePiece {
  readonly at: number;
  /** So many of its first samples lie over the last ones of the piece before. */
  readonly before: number;
  /** So many of its last ones lie under the first ones of the piece after. */
  readonly after: number;
  readonly samples: readonly Float32Array[];
}

/** Pieces side by side as one stretch of samples; where two lie over each other, one goes over into the next. */
export function joinPieces(pieces: readonly MadePiece[]): MadePiece {
  const [one] = pieces;
  const last = pieces[pieces.length - 1];
  const out = one.samples.map(() => new Float32Array(last.at + last.samples[0].length - one.at));
  pieces.forEach((piece, i) => {
    piece.samples.forEach((own, c) => {
      const at = piece.at - one.at;
      const over = i === 0 ? 0 : piece.before;
      for (let k = 0; k < over; k++) {
        const w = (k + 0.5) / over;
        out[c][at + k] = out[c][at + k] * (1 - w) + own[k] * w;
      }
      out[c].set(own.subarray(over), at + over);
    });
  });
  return { at: one.at, before: one.before, after: last.after, samples: out };
}

/** All of what is made of a recording that lies in memory: for tests and short work. `loadStretcher` comes first. */
export async function makeWhole(material: Material, making: Making, samples: readonly Float32Array[]): Promise<Float32Array[]> {
  const read = async (from: number, count: number) => samples.map((s) => s.subarray(from, from + count));
  const length = Math.max(1, madeAt(mapOf(making), material.length));
  const pieces = await piecesFor(material, making, bordersOf(material, read), 0, length);
  const made = pieces.map((piece) => {
    const { from, to } = heardFor(material, piece);
    return makePiece(
      material,
      making,
      piece,
      samples.map((s) => s.subarray(from, to)),
      from,
    );
  });
  return joinPieces(made).samples.map((s) => s.slice(0, length));
}
