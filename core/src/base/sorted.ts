/*
 * Searching in what is sorted. Those that samples and grid lines are counted by have a loop of their own: asking a function at each step takes
 * them four times as long.
 */

/** Index of the first value at or above `position` in a sorted list. */
export function firstAtOrAfter(sorted: ArrayLike<number>, position: number): number {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (sorted[middle] < position) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Index of the last value at or below `position` in a sorted list; −1 where all lie above. */
export function lastAtOrBefore(sorted: ArrayLike<number>, position: number): number {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (sorted[middle] <= position) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/**
 * Index of the last thing of a list, sorted by one of their figures, for which that is at or below `value`; −1 where it is above for all. Fast as long as
 * things of one kind alone are searched here: the ties of time maps, which are asked for each sample.
 */
export function lastBy<K extends string>(sorted: readonly { readonly [P in K]: number }[], key: K, value: number): number {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (sorted[middle][key] <= value) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** The first of `count` indices from which on something holds. */
export function firstWhere(count: number, holds: (index: number) => boolean): number {
  let low = 0;
  let high = count;
  while (low < high) {
    // Counts of samples may be past 2^31.
    const middle = Math.floor((low + high) / 2);
    if (!holds(middle)) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The last of `count` indices up to which something holds; −1 where it does not hold at the first. */
export const lastWhere = (count: number, holds: (index: number) => boolean): number => firstWhere(count, (i) => !holds(i)) - 1;
