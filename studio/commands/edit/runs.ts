import { newKey } from "@wet-thread/core/edit/registry";

/** Presses that follow one another within this many ms are one run. */
const REST_MS = 700;

/** What makes presses one step for undo: the same thing pressed again without a rest. */
export class Runs {
  private last: { readonly what: string; readonly row: string; readonly at: number } | null = null;

  constructor(private readonly restMs = REST_MS) {}

  /** The row of a press that does `what`: that of the press before where it goes on, else a new one. */
  row(what: string, now = performance.now()): string {
    const { last } = this;
    const row = last?.what === what && now - last.at < this.restMs ? last.row : newKey();
    this.last = { what, row, at: now };
    return row;
  }
}
