/** Index of the first value at or above `position` in a sorted list. */
export const firstAtOrAfter = (sorted: ArrayLike<number>, position: number): number => firstWhere(sorted.length, (i) => sorted[i] >= position);

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
