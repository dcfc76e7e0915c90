// Measures what the budgets name: a table, or with --json one array of {name, value, unit, reference?, ratio?}. Words measure only those parts.
import { besideRows } from "./beside";
import { codecRows } from "./codecs";
import { coreRows } from "./core";
import { derivedRows, stretchedRows } from "./derived";
import { hitRows } from "./hits";
import { madeRows } from "./made";
import { manyRows } from "./many";
import { mediaRows } from "./media";
import { pageRows } from "./page";
import { print, type Row } from "./rows";

const parts: Readonly<Record<string, () => Row[] | Promise<Row[]>>> = {
  core: coreRows,
  hits: hitRows,
  made: madeRows,
  stretched: stretchedRows,
  derived: derivedRows,
  codecs: codecRows,
  media: mediaRows,
  many: manyRows,
  beside: besideRows,
  large: pageRows("large"),
  play: pageRows("play"),
  record: pageRows("record"),
  takes: pageRows("takes"),
  long: pageRows("long"),
};
const json = process.argv.includes("--json");
const wanted = process.argv.slice(2).filter((a) => a in parts);
const rows: Row[] = [];
for (const [name, measure] of Object.entries(parts)) {
  if (wanted.length && !wanted.includes(name)) continue;
  const more = await measure();
  rows.push(...more);
  if (!json) print(more, false);
}
if (json) print(rows, true);
