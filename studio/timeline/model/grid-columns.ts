import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { type GridLines, gridLines, stepSamples } from "@wet-thread/core/time/grid";
import type { GridStep } from "@wet-thread/core/time/grid-step";
import { type Settings, stepInForce } from "@/state/kept/settings";

/** Lines closer than this are thinned to every so-manieth, in pixels. */
const MIN_DRAWN = 6;

/** The grid in force at a view: its lines, and whether the drawing must leave some out. */
export interface ViewGrid {
  readonly lines: GridLines;
  readonly step: GridStep;
  readonly thinned: boolean;
}

let kept: { key: string; piece: unknown; grid: ViewGrid } | null = null;

export function viewGrid(doc: Document, settings: Settings, start: number, samplesPerPixel: number): ViewGrid {
  const timebase = timebaseOf(doc);
  const tick = Math.max(0, timebase.tempo.ticksAt(start));
  const step = stepInForce(settings, samplesPerPixel, timebase, tick);
  const thinned = stepSamples(step, timebase, tick) / samplesPerPixel < MIN_DRAWN;
  const key = JSON.stringify([step, thinned]);
  if (kept?.key !== key || kept.piece !== doc.piece) kept = { key, piece: doc.piece, grid: { lines: gridLines(step, timebase), step, thinned } };
  return kept.grid;
}

/** The grid's lines in [from, to), at most `most` of them. */
export function linesBetween(lines: GridLines, from: number, to: number, most = 4096): number[] {
  const found: number[] = [];
  for (let at = from - 1; found.length < most; ) {
    at = lines.after(at).sample;
    if (at >= to) break;
    found.push(at);
  }
  return found;
}

let columns = new Uint8Array(0);

/** Strength of the grid line in each device column: 3 bar or like, 2 beat or like, 1 finer, 0 none. Dense lines are thinned to coarser ones. */
export function gridColumns(grid: ViewGrid, width: number, start: number, perColumn: number, show: boolean): Uint8Array {
  if (columns.length < width) columns = new Uint8Array(width);
  columns.fill(0);
  if (!show) return columns;
  let least = 0;
  let at = grid.lines.before(Math.max(0, start)).sample - 1;
  const end = start + width * perColumn;
  for (let drawn = 0; drawn < 4000; drawn++) {
    const line = grid.lines.after(at);
    if (line.sample > end) break;
    at = grid.thinned ? Math.max(line.sample, at + Math.floor(perColumn)) : line.sample;
    if (grid.thinned) least = 1;
    const x = Math.floor((line.sample - start) / perColumn);
    if (x >= 0 && x < width && line.rank >= least) columns[x] = Math.max(columns[x], line.rank + 1);
  }
  return columns;
}
