// Measures what the budgets name: a table, or with --json one array of {name, value, unit, reference?, ratio?}. A word (core, media, page)
// measures only that part.
import { coreRows } from "./core";
import { mediaRows } from "./media";
import { pageRows } from "./page";
import { print, type Row } from "./rows";

const parts = { core: coreRows, media: mediaRows, page: pageRows } as const;
const wanted = process.argv.slice(2).filter((a): a is keyof typeof parts => a in parts);
const rows: Row[] = [];
for (const [name, measure] of Object.entries(parts)) {
  if (wanted.length && !wanted.includes(name as keyof typeof parts)) continue;
  rows.push(...(await measure()));
}
print(rows, process.argv.includes("--json"));
