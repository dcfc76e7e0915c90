/** One line of the table. */
export interface Row {
  readonly name: string;
  readonly value: number;
  readonly unit: string;
  readonly budget: string;
  readonly reference?: number;
  readonly ratio?: number;
}

export const p95 = (times: number[]): number => [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)];
export const median = (times: number[]): number => [...times].sort((a, b) => a - b)[Math.floor(times.length / 2)];
/** Milliseconds that something takes. */
export function timed(run: () => void): number {
  const start = performance.now();
  run();
  return performance.now() - start;
}

/** Prints rows as a table, or as one array of {name, value, unit, reference?, ratio?}. */
export function print(rows: readonly Row[], json: boolean): void {
  if (json) return console.log(JSON.stringify(rows.map(({ budget: _, ...r }) => r)));
  const short = (x: number | undefined): number | undefined => x && Number(x.toPrecision(3));
  console.table(rows.map((r) => ({ ...r, value: short(r.value), reference: short(r.reference), ratio: short(r.ratio) })));
}
