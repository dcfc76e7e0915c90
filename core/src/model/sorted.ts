/** Index of the first value at or above `position` in a sorted list. */
export function firstAtOrAfter(sorted: ArrayLike<number>, position: number): number {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle] < position) low = middle + 1;
    else high = middle;
  }
  return low;
}
