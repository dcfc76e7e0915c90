import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { formatBars, formatChange, formatClock } from "@wet-thread/core/time/format";

const WORDS: Readonly<Record<string, string>> = {
  grid: "on the grid",
  edge: "at a clip's edge",
  playhead: "at the playhead",
  transient: "at a hit",
  marker: "at a marker",
  range: "at the range's edge",
};

/** The lines of the drag flag: the position in both units, the change, and what attracted. */
export function flagLines(doc: Document, position: number, from: number | null, target: { kind: string } | null, extra?: string): string[] {
  const lines = [formatBars(position, timebaseOf(doc)), formatClock(position, doc.sampleRate)];
  if (from !== null) lines.push(formatChange(position - from, doc.sampleRate));
  if (target) lines.push(WORDS[target.kind] ?? target.kind);
  if (extra) lines.push(extra);
  return lines;
}
