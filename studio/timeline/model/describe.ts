import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { formatChange, formatPosition } from "@wet-thread/core/time/format";
import { describeStep, type GridStep } from "@wet-thread/core/time/grid-step";
import { settings } from "@/state/kept/settings";
import { view } from "@/state/view/view";
import { viewGrid } from "./grid-columns";

const WORDS: Readonly<Record<string, string>> = {
  edge: "at a clip's edge",
  playhead: "at the playhead",
  transient: "at a hit",
  marker: "at a marker",
  range: "at the range's edge",
  zero: "at a zero crossing",
};

/** A step as it stands before the word grid: "1/16", "10 tick", "2 bar". */
export const gridName = (step: GridStep): string => describeStep(step).replace(/^(\d+ (?:bar|beat|tick|frame|sample))s$/, "$1");

/** The lines of the drag flag: the position in both units, the change, and what attracted. */
export function flagLines(
  doc: Document,
  position: number,
  from: number | null,
  target: { kind: string } | null,
  ...extra: (string | undefined)[]
): string[] {
  const base = timebaseOf(doc);
  const lines: string[] = settings().readOuts.map((unit) => formatPosition(position, unit, base));
  if (from !== null) lines.push(formatChange(position - from, doc.sampleRate));
  if (target?.kind === "grid") {
    const name = gridName(viewGrid(doc, settings(), view().start, view().samplesPerPixel).step);
    lines.push(settings().placing === "offset" ? `keeps its offset from the ${name} grid` : `on the ${name} grid`);
  } else if (target && target.kind !== "free") lines.push(WORDS[target.kind] ?? target.kind);
  for (const line of extra) if (line) lines.push(line);
  return lines;
}
