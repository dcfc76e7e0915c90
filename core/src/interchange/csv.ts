import type { Document } from "../model/document";
import { timebaseOf } from "../model/document";
import { clipEnd } from "../model/schema";
import { formatPosition, type PositionUnit, parsePosition } from "../time/format";
import { InterchangeError } from "./error";

/*
 * Tables as comma-separated text (RFC 4180). Positions stand in the unit that was chosen, and in samples. A text that begins as a formula does
 * gets an apostrophe in front, so that no spreadsheet runs it; reading takes it off.
 */
const FORMULA = /^[=+\-@\t\r]/;
const guarded = (text: string): string => (FORMULA.test(text) || text.startsWith("'") ? `'${text}` : text);
const unguarded = (text: string): string => (text.startsWith("'") ? text.slice(1) : text);

type Cell = string | number | null;

/** Rows as text; numbers are written as they are, texts guarded and quoted where they must be. */
export function csvOf(rows: readonly (readonly Cell[])[]): string {
  const cell = (value: Cell): string => {
    if (value === null) return "";
    const text = typeof value === "number" ? String(value) : guarded(value);
    return /[",;\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return rows.map((row) => `${row.map(cell).join(",")}\r\n`).join("");
}

const MOST_ROWS = 200_000;

/** What parts the cells: a comma, or where the first line has none, a semicolon, as tables are written where the comma is in numbers. */
function separatorOf(text: string): "," | ";" {
  let quoted = false;
  let semicolon = false;
  for (const c of text) {
    if (c === '"') quoted = !quoted;
    else if (!quoted && c === ",") return ",";
    else if (!quoted && c === ";") semicolon = true;
    else if (!quoted && c === "\n") break;
  }
  return semicolon ? ";" : ",";
}

/** The rows of a text, without empty ones. Throws InterchangeError where a quotation never ends or there are too many. */
export function readCsv(text: string): string[][] {
  const separator = separatorOf(text);
  const rows: string[][] = [];
  let row: string[] = [];
  let value = "";
  let [quoted, begun] = [false, false];
  const endCell = (): void => {
    row.push(value);
    value = "";
    begun = false;
  };
  const endRow = (): void => {
    endCell();
    if (row.some((v) => v !== "")) rows.push(row);
    row = [];
    if (rows.length > MOST_ROWS) throw new InterchangeError(`This table has more than ${MOST_ROWS} rows.`);
  };
  for (let i = text.startsWith("\ufeff") ? 1 : 0; i < text.length; i++) {
    const c = text[i];
    if (quoted) {
      if (c !== '"') value += c;
      else if (text[i + 1] === '"') {
        value += '"';
        i++;
      } else quoted = false;
    } else if (c === '"' && !begun) {
      quoted = true;
      begun = true;
    } else if (c === separator) endCell();
    else if (c === "\n") endRow();
    else if (c !== "\r") {
      value += c;
      begun = true;
    }
  }
  if (quoted) throw new InterchangeError("This table can't be read: a quotation in it never ends.");
  if (value !== "" || row.length > 0) endRow();
  return rows;
}

/** The markers, sections or clips of a document as rows, the first of them the names of the columns. */
export function tableOf(doc: Document, what: "markers" | "sections" | "clips", unit: PositionUnit): Cell[][] {
  const base = timebaseOf(doc);
  const at = (sample: number): string => formatPosition(sample, unit, base);
  const byStart = <T extends { readonly id: string }>(list: Iterable<T>, start: (x: T) => number): T[] =>
    [...list].sort((a, b) => start(a) - start(b) || (a.id < b.id ? -1 : 1));
  if (what === "markers")
    return [
      ["name", "position", "samples", "color"],
      ...byStart(doc.markers.values(), (m) => m.position).map((m): Cell[] => [m.name, at(m.position), m.position, m.color]),
    ];
  if (what === "sections")
    return [
      ["name", "start", "end", "start in samples", "end in samples", "color"],
      ...byStart(doc.sections.values(), (s) => s.start).map((s): Cell[] => [s.name, at(s.start), at(s.end), s.start, s.end, s.color]),
    ];
  return [
    ["track", "name", "start", "end", "start in samples", "end in samples", "recording", "offset in samples", "muted"],
    ...doc.piece.trackOrder.flatMap((id) =>
      (doc.lanes.get(id)?.clips ?? []).map((c): Cell[] => [
        doc.tracks.get(id)?.name ?? "",
        c.name,
        at(c.start),
        at(clipEnd(c)),
        c.start,
        clipEnd(c),
        doc.sources.get(c.sourceId)?.name ?? "",
        c.offset,
        c.mute ? "muted" : "",
      ]),
    ),
  ];
}

/** Markers of a table: by a column of samples, else by positions in any unit that a person may write. What can't be read is told by its row. */
export function markersOf(text: string, doc: Document, unit: PositionUnit): { markers: { position: number; name: string }[]; left: string[] } {
  const rows = readCsv(text);
  const head = rows[0]?.map((h) => h.trim().toLowerCase()) ?? [];
  const [name, samples, position] = [head.indexOf("name"), head.indexOf("samples"), head.indexOf("position")];
  if (samples < 0 && position < 0)
    throw new InterchangeError("This table has no column called “samples” or “position”: it holds no markers that can be read.");
  const base = timebaseOf(doc);
  const markers: { position: number; name: string }[] = [];
  const left: string[] = [];
  rows.slice(1).forEach((row, i) => {
    const called = unguarded(name < 0 ? "" : (row[name] ?? ""));
    const own = samples >= 0 ? (row[samples] ?? "").trim() : "";
    try {
      const place = /^\d+$/.test(own) ? Number(own) : parsePosition(unguarded(row[position] ?? ""), unit, base);
      if (!Number.isSafeInteger(place) || place < 0) throw new RangeError("it lies before the start or farther than can be counted");
      markers.push({ position: place, name: called });
    } catch (error) {
      left.push(`row ${i + 2}: ${(error as Error).message}`);
    }
  });
  return { markers, left };
}
