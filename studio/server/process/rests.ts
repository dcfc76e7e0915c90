/** A process that lived for so long did not break at once. */
const QUICK_MS = 5000;
const FIRST_MS = 1000;
const MOST_MS = 30_000;
/** So often is one that ends at once begun again as soon as ever. */
const FREE = 3;

/** How long one rests before a process that has ended is begun again: one that ends as soon as it is there is not begun without a pause. */
export class Rests {
  private quick = 0;

  constructor(private readonly what: string) {}

  /** The rest, in ms, after a process that lived for so long; that it ended is said, and when it is begun again. */
  after(livedMs: number, how: string): number {
    this.quick = livedMs < QUICK_MS ? this.quick + 1 : 0;
    const rest = Math.min(MOST_MS, FIRST_MS * 2 ** Math.max(0, this.quick - FREE));
    console.error(`${this.what} ended by itself (${how}); it is begun again in ${Math.round(rest / 1000)} s.`);
    return rest;
  }
}
