import { playedId, playedSource } from "../../model/recipe/played-recording";
import { type Clip, clipEnd } from "../../model/schema";
import { formatLength } from "../../time/format";
import { EditError } from "../errors";
import type { Transaction } from "../transaction";

/** A quiet stretch [from, to) of a recording, forwards, and the gain in dB that brings it to the level wanted. */
export interface Passage {
  readonly sourceId: string;
  readonly channels?: readonly number[];
  readonly from: number;
  readonly to: number;
  readonly gain: number;
}

/** A piece of a passage: where it goes on the timeline without its blends, and what it plays there. */
export interface Strand {
  readonly passage: Passage;
  readonly reverse: boolean;
  readonly start: number;
  /** Where in what is played (backwards, where it is reversed) it begins. */
  readonly offset: number;
  readonly length: number;
}

/** Seconds within which nothing is heard again that is as long as `AGAIN` seconds. */
const APART = 2;
const AGAIN = 0.05;
/** A gap that would take more pieces than this is refused: nobody means to lay so many clips at once. */
const MOST_PIECES = 5000;

/** Something that is heard: a stretch of what a played id names, and when. */
interface Heard {
  readonly id: string;
  readonly from: number;
  readonly to: number;
  readonly at: number;
}

/** What a track plays near a span, as far as it lies within it, from its clips. */
function heardNear(tx: Transaction, trackId: string, from: number, to: number): Heard[] {
  return tx
    .lane(trackId)
    .within(Math.max(0, from), to)
    .map((c: Clip) => {
      const [a, b] = [Math.max(c.start, from), Math.min(clipEnd(c), to)];
      return { id: playedId(c), from: c.offset + a - c.start, to: c.offset + b - c.start, at: a };
    });
}

/**
 * Weaves a gap [from, to) of a track from passages, one after the other, forwards and then backwards; each piece has `margin` more of its passage
 * on both sides, for the blends. Nothing of 50 ms or more is heard again within two seconds, on either side of it. Throws EditError where the
 * passages hold too little, naming how much they hold.
 */
export function weave(tx: Transaction, trackId: string, from: number, to: number, passages: readonly Passage[], margin: number): Strand[] {
  const { sampleRate, sources } = tx.before;
  const apart = APART * sampleRate;
  const again = AGAIN * sampleRate;
  const pool = [false, true].flatMap((reverse) =>
    passages.map((passage) => {
      const length = playedSource(sources, { sourceId: passage.sourceId })?.length ?? 0;
      const [a, b] = reverse ? [length - passage.to, length - passage.from] : [passage.from, passage.to];
      const id = playedId({ sourceId: passage.sourceId, ...(reverse && { recipe: { reverse: true as const } }) });
      return { passage, reverse, id, from: a + margin, to: b - margin };
    }),
  );
  const usable = pool.filter((p) => p.to - p.from >= Math.max(1, 2 * margin));
  let heard = heardNear(tx, trackId, from - apart, to + apart);
  const strands: Strand[] = [];
  let [next, at] = [0, from];
  while (at < to) {
    const left = to - at;
    // What is long past counts no more.
    if (heard.length > 4 * usable.length + 64) heard = heard.filter((h) => h.at + h.to - h.from >= at - apart);
    /** As much of a stretch, from a place on, as the gap has room for and nothing near has played; never so that a sliver is left. */
    const freeOf = (p: (typeof usable)[number]): { offset: number; length: number } | null => {
      let [a, b] = [p.from, p.to];
      // As much of one recording that is heard near takes that part of the stretch away, and leaves the longer rest.
      for (const h of heard) {
        if (h.id !== p.id || h.at + (h.to - h.from) < at - apart || h.at > at + (b - a) + apart) continue;
        const [x, y] = [Math.max(a - margin, h.from), Math.min(b + margin, h.to)];
        if (y - x < again) continue;
        if (x - margin - a >= b - (y + margin)) b = x - margin;
        else a = y + margin;
      }
      let length = Math.min(left, b - a);
      if (length < left && left - length < 2 * margin) length = left - 2 * margin;
      return length >= Math.min(left, Math.max(1, 2 * margin)) ? { offset: a, length } : null;
    };
    let found: { p: (typeof usable)[number]; offset: number; length: number } | undefined;
    for (let i = 0; i < usable.length && !found; i++) {
      const p = usable[(next + i) % usable.length];
      const free = freeOf(p);
      if (free) {
        found = { p, ...free };
        next = (next + i + 1) % usable.length;
      }
    }
    if (!found) {
      const held = passages.reduce((sum, p) => sum + p.to - p.from, 0);
      throw new EditError(
        `The pauses hold ${formatLength(held, sampleRate)} of room; a gap of ${formatLength(to - from, sampleRate)} needs more, so that nothing is heard again within ${APART} s.`,
        "passages",
      );
    }
    if (strands.length >= MOST_PIECES)
      throw new EditError(
        `A gap of ${formatLength(to - from, sampleRate)} would take more than ${MOST_PIECES} pieces of these passages: fill it in parts, or name longer passages.`,
        "passages",
      );
    const { p, offset, length } = found;
    strands.push({ passage: p.passage, reverse: p.reverse, start: at, offset, length });
    heard.push({ id: p.id, from: offset - margin, to: offset + length + margin, at: at - margin });
    at += length;
  }
  return strands;
}
