import type { Lane } from "@wet-thread/core/model/index/lane";

const known = new WeakMap<Lane, ReadonlyMap<string, number>>();

/**
 * The numbers of a lane's clips that share their name with another one there, in order of time from 1: pieces of a split are told apart by
 * them. A clip that is named for itself has none. Kept while the lane does not change.
 */
export function pieceNumbers(lane: Lane): ReadonlyMap<string, number> {
  let numbers = known.get(lane);
  if (!numbers) {
    const times = new Map<string, number>();
    for (const { name } of lane.clips) times.set(name, (times.get(name) ?? 0) + 1);
    const next = new Map<string, number>();
    const made = new Map<string, number>();
    for (const { id, name } of lane.clips) {
      if (name === "" || (times.get(name) ?? 0) < 2) continue;
      const n = (next.get(name) ?? 0) + 1;
      next.set(name, n);
      made.set(id, n);
    }
    numbers = made;
    known.set(lane, numbers);
  }
  return numbers;
}
