import { csvOf, markersOf, tableOf } from "@wet-thread/core/interchange/csv";
import { type EdlSettings, edlOf, readEdl } from "@wet-thread/core/interchange/edl";
import { InterchangeError } from "@wet-thread/core/interchange/error";
import { midiOf, readMidi } from "@wet-thread/core/interchange/midi";
import { otioOf, type ReadTimeline, readOtio } from "@wet-thread/core/interchange/otio";
import { safeName } from "@wet-thread/core/media/file-names";
import { type Document, documentFrom, timebaseOf } from "@wet-thread/core/model/document";
import { problems } from "@wet-thread/core/model/invariants";
import { nameOf, VersionData } from "@wet-thread/core/model/schema";
import { formatPosition } from "@wet-thread/core/time/format";
import { TempoMap } from "@wet-thread/core/time/tempo";
import { FRAME_RATES } from "@wet-thread/core/time/timecode";
import { z } from "zod";
import { ApiError, notFound } from "../http/errors";
import { newId } from "../process/ids";
import { zipOf } from "../process/zip";
import { firstVersion } from "./projects";
import { newVersion } from "./version-list";
import { editVersion, loadVersion } from "./versions";

// Files of other programs, out of a version and into a new one. What a format can't hold is told, never dropped in silence.

export const OutQuery = z.object({
  check: z.coerce.number().optional().describe("1: only what the format can't hold"),
  what: z.enum(["markers", "sections", "clips", "seams"]).default("markers").describe("of a table"),
  start: z
    .string()
    .regex(/^\d{2}:\d{2}:\d{2}[:;]\d{2}$/, "A time is written like 01:00:00:00.")
    .optional()
    .describe("of an EDL: what the beginning of the piece is called; left out, 01:00:00:00"),
  frameRate: z
    .enum(FRAME_RATES.map((r) => r.id) as [string, ...string[]])
    .optional()
    .describe("of an EDL; left out, the piece's own"),
  unit: z.enum(["bars", "time", "timecode", "samples"]).default("time").describe("of the positions in a table"),
});
export const FORMATS = ["otio", "edl", "midi", "csv"] as const;
export type Format = (typeof FORMATS)[number];

export interface Written {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly type: string;
  readonly name: string;
  readonly left: readonly string[];
}

/** A seam as a table has it. */
export interface SeamRow {
  readonly trackId: string;
  readonly position: number;
  readonly left: string | null;
  readonly right: string | null;
  readonly class: string;
  readonly click: number | null;
  readonly dip: number | null;
}

const utf8 = new TextEncoder();

/** Some texts as one zip. */
async function zipped(files: readonly (readonly [string, string])[]): Promise<Uint8Array<ArrayBuffer>> {
  const parts: Uint8Array[] = [];
  for await (const part of zipOf(files.map(([name, content]) => ({ name: safeName(name), content })))) parts.push(part);
  return new Uint8Array(Buffer.concat(parts));
}

/** A version in another program's format; `seams` are measured beforehand, where they are asked for. */
export async function written(
  doc: Document,
  name: string,
  format: Format,
  { what, unit, start, frameRate }: z.infer<typeof OutQuery>,
  seams: readonly SeamRow[] = [],
): Promise<Written> {
  if (format === "midi") {
    const { bytes, left } = midiOf(doc);
    return { bytes, left, type: "audio/midi", name: `${name}.mid` };
  }
  if (format === "otio") {
    const { text, left } = otioOf(doc, name);
    return { bytes: utf8.encode(text), left, type: "application/json; charset=utf-8", name: `${name}.otio` };
  }
  if (format === "edl") {
    const { lists, left } = edlOf(doc, name, { start, frameRate });
    if (lists.length === 1) return { bytes: utf8.encode(lists[0]), left, type: "text/plain; charset=utf-8", name: `${name}.edl` };
    return { bytes: await zipped(lists.map((text, i) => [`${name} ${i + 1}.edl`, text])), left, type: "application/zip", name: `${name} EDL.zip` };
  }
  const base = timebaseOf(doc);
  const clip = (id: string | null): string => (id === null ? "" : (doc.clips.get(id)?.name ?? ""));
  const rows =
    what === "seams"
      ? [
          ["track", "position", "samples", "from", "to", "kind", "click in dB", "dip in dB"],
          ...seams.map((s) => [
            doc.tracks.get(s.trackId)?.name ?? "",
            formatPosition(s.position, unit, base),
            s.position,
            clip(s.left),
            clip(s.right),
            s.class,
            s.click,
            s.dip,
          ]),
        ]
      : tableOf(doc, what, unit);
  return { bytes: utf8.encode(csvOf(rows)), left: [], type: "text/csv; charset=utf-8", name: `${name} ${what}.csv` };
}

/** Bytes that such a file may have. */
export const MOST_FILE = 32 * 1024 * 1024;

/** Reads a MIDI file or a table of markers into a new version of a project. */
export async function readInto(
  projectId: string,
  bytes: Uint8Array,
  called: string,
  query: Pick<z.infer<typeof OutQuery>, "unit" | "start" | "frameRate">,
) {
  const name = nameOf(called.replace(/\.[A-Za-z0-9]{1,5}$/, "").trim() || "Read in");
  const first = await firstVersion(projectId);
  if (!first) throw notFound("project", projectId);
  const { doc } = await loadVersion(first);
  const timeline = timelineOf(bytes, doc, query);
  if (timeline) {
    const { id } = await newVersion(projectId, { name: timeline.name || name, description: "" }, timeline.data);
    return { version: { id, name: timeline.name || name }, left: timeline.left, missing: timeline.missing };
  }
  const { edits, left } = editsOf(bytes, doc, query.unit);
  const { id } = await newVersion(projectId, { name, description: "" });
  if (edits.length > 0) await editVersion(id, { revision: 0, edits, name: "Read in" });
  return { version: { id, name }, left, missing: [] as string[] };
}

/** A timeline of a file, its content such as a version may have; null for a file of another kind. Throws ApiError 422 in words where it can't be read. */
function timelineOf(bytes: Uint8Array, { sources, sampleRate, piece }: Document, query: EdlSettings): ReadTimeline | null {
  const start = bytes.findIndex((b) => b > 32 && b < 127);
  const json = start >= 0 && bytes[start] === 0x7b;
  const list = /^\s*(TITLE:|FCM:|\d{3,6}\s+\S+\s+(A|B|V|NONE))/i.test(String.fromCharCode(...bytes.subarray(Math.max(0, start), start + 200)));
  if (!json && !list) return null;
  const refused = (why: string) => new ApiError(422, "unreadable", `${why} Nothing was changed.`, { path: "body", kept: "Nothing was changed." });
  try {
    const text = new TextDecoder().decode(bytes);
    const read = json ? readOtio(text, sources, sampleRate, newId) : readEdl(text, sources, sampleRate, { ...query, like: piece.frameRate }, newId);
    const data = VersionData.parse(read.data);
    const [wrong] = problems(documentFrom(data, sources));
    if (wrong) throw refused(`This timeline can't be laid as it is: ${wrong}.`);
    return { ...read, data };
  } catch (error) {
    if (error instanceof InterchangeError) throw refused(error.message);
    if (error instanceof z.ZodError)
      throw refused(`This timeline holds what no version can: ${error.issues[0].path.join(".")}: ${error.issues[0].message}`);
    throw error;
  }
}

/** What a file asks for, as edits of a blank version. Throws ApiError 422 in words where it can't be read. */
function editsOf(bytes: Uint8Array, like: Document, unit: z.infer<typeof OutQuery>["unit"]) {
  const marker = (position: number, name: string) => ({ type: "add-marker", position, name: nameOf(name) });
  try {
    if (String.fromCharCode(...bytes.subarray(0, 4)) === "MThd") {
      const { tempo, meter, firstBar, markers, left } = readMidi(bytes);
      const map = new TempoMap(tempo, like.sampleRate);
      const time = { type: "set-time", tempo: [...tempo], meter: [...meter], firstBar, keep: "time" };
      return { edits: [time, ...markers.map((m) => marker(map.tickToSample(m.tick), m.name))], left: [...left] };
    }
    const { markers, left } = markersOf(new TextDecoder("utf-8", { fatal: true }).decode(bytes), like, unit);
    return { edits: markers.map((m) => marker(m.position, m.name)), left };
  } catch (error) {
    if (!(error instanceof InterchangeError || error instanceof TypeError || error instanceof RangeError)) throw error;
    const why = error instanceof InterchangeError ? error.message : "This is neither a MIDI file nor a table of text.";
    throw new ApiError(422, "unreadable", `${why} Nothing was changed.`, { path: "body", kept: "Nothing was changed." });
  }
}
