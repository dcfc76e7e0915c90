/** Index of the first value at or above `position` in a sorted list. */
export const firstAtOrAfter = (sorted: ArrayLike<number>, position: number): number => firstWhere(sorted.length, (i) => sorted[i] >= position);

/** The first of `count` indices from which on something holds. */
export function firstWhere(count: number, holds: (index: number) => boolean): number {
  let low = 0;
  let high = count;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (!holds(middle)) low = middle + 1;
    else high = middle;
  }
  return low;
}
