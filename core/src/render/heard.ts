import { firstWhere } from "../base/sorted";
import type { Lane } from "../model/index/lane";
import { type Clip, clipEnd } from "../model/schema";

/** A stretch of a clip that is heard: [from, to) on the timeline. */
export interface Heard {
  readonly clip: Clip;
  readonly from: number;
  readonly to: number;
}

const above = (a: Clip, b: Clip): boolean => (a.layer !== b.layer ? a.layer > b.layer : a.start !== b.start ? a.start > b.start : a.id > b.id);
const blended = (a: Clip, b: Clip): boolean => a.blend?.with === b.id || b.blend?.with === a.id;

const kept = new WeakMap<Lane, readonly Heard[]>();

/**
 * What is heard of a lane: at each moment the highest layer (among equals the later start), with its partner inside a blend. Muted
 * clips are silent and hide nothing. Sorted by `from`; kept as long as the lane is.
 */
export function heardOf(lane: Lane): readonly Heard[] {
  let heard = kept.get(lane);
  if (!heard) {
    heard = sweep(lane.clips.filter((c) => !c.mute));
    kept.set(lane, heard);
  }
  return heard;
}

function sweep(clips: readonly Clip[]): Heard[] {
  const out: Heard[] = [];
  let open = new Map<Clip, number>();
  const sound = (now: readonly Clip[], at: number): void => {
    const next = new Map<Clip, number>();
    for (const clip of now) next.set(clip, open.get(clip) ?? at);
    for (const [clip, from] of open) if (!next.has(clip) && at > from) out.push({ clip, from, to: at });
    open = next;
  };
  let active: Clip[] = [];
  let i = 0;
  while (i < clips.length || active.length) {
    if (active.length === 0 && open.size === 0 && (i + 1 >= clips.length || clips[i + 1].start >= clipEnd(clips[i]))) {
      // A clip that meets no other, as most do, is heard from end to end.
      out.push({ clip: clips[i], from: clips[i].start, to: clipEnd(clips[i]) });
      i++;
      continue;
    }
    const nextStart = i < clips.length ? clips[i].start : Number.POSITIVE_INFINITY;
    const at = active.reduce((m, c) => Math.min(m, clipEnd(c)), nextStart);
    active = active.filter((c) => clipEnd(c) > at);
    while (i < clips.length && clips[i].start === at) active.push(clips[i++]);
    if (active.length === 0) {
      sound([], at);
      continue;
    }
    const top = active.reduce((a, b) => (above(b, a) ? b : a));
    sound(active.length === 1 ? active : active.filter((c) => c === top || blended(c, top)), at);
  }
  return out.sort((a, b) => a.from - b.from || a.clip.start - b.clip.start);
}

/** The first stretch that may reach past a position: stretches of a lane overlap by at most one blend. */
export function firstHeardAt(heard: readonly Heard[], position: number): number {
  const first = firstWhere(heard.length, (i) => heard[i].to > position);
  // `to` is sorted but for partners of a blend; one step back covers them.
  return Math.max(0, first - 2);
}
