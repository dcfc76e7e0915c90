import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import { classify, type Seam, type SeamClass } from "@wet-thread/core/seam/seams";
import { formatPosition } from "@wet-thread/core/time/format";
import { laneSeams, seamClass } from "@/timeline/model/seam-classes";

/** One line of the seam check. */
export interface SeamRow {
  readonly seam: Seam;
  readonly trackName: string;
  readonly section: string;
  readonly names: string;
  readonly class: SeamClass;
  /** Undefined until it is measured. */
  readonly measure: SeamMeasure | undefined;
}

export type SortKey = "position" | "track" | "class" | "click" | "dip";
export interface Filter {
  readonly class: SeamClass | "all";
  readonly trackId: string | "all";
  readonly sectionId: string | "all";
  /** Only seams that click at this level or louder, in dB; null for all. */
  readonly level: number | null;
}

export const ALL: Filter = { class: "all", trackId: "all", sectionId: "all", level: null };

/** The seams of a piece as lines, with what has been measured of them. */
export function seamRows(doc: Document, measures: ReadonlyMap<string, SeamMeasure>): SeamRow[] {
  const sections = [...doc.sections.values()].sort((a, b) => a.start - b.start);
  return doc.piece.trackOrder.flatMap((trackId) => {
    const track = doc.tracks.get(trackId);
    return laneSeams(doc, trackId).map((seam): SeamRow => {
      const measure = measures.get(seam.id);
      return {
        seam,
        trackName: track?.name ?? "",
        section: sections.findLast((s) => s.start <= seam.position && seam.position < s.end)?.name ?? "",
        names:
          seam.left && seam.right
            ? seam.left === seam.right
              ? seam.left.name
              : `${seam.left.name} → ${seam.right.name}`
            : (seam.left?.name ?? seam.right?.name ?? ""),
        class: classOf(doc, seam, measure),
        measure,
      };
    });
  });
}

/** The fades alone may tell; else what was measured, else what the page knows. */
function classOf(doc: Document, seam: Seam, measure: SeamMeasure | undefined): SeamClass {
  const byFades = classify(seam, doc.sampleRate, () => undefined);
  return byFades !== "raw" ? byFades : (measure?.class ?? seamClass(doc, seam));
}

export function filtered(doc: Document, rows: readonly SeamRow[], filter: Filter): SeamRow[] {
  const section = filter.sectionId === "all" ? undefined : doc.sections.get(filter.sectionId);
  return rows.filter(
    (r) =>
      (filter.class === "all" || r.class === filter.class) &&
      (filter.trackId === "all" || r.seam.trackId === filter.trackId) &&
      (!section || (r.seam.position >= section.start && r.seam.position <= section.end)) &&
      (filter.level === null || (r.measure?.click ?? Number.NEGATIVE_INFINITY) >= filter.level),
  );
}

/** Raw first, then those that are nearest to it. */
const RANK: Readonly<Record<SeamClass, number>> = { raw: 0, smooth: 1, blended: 2, unbroken: 3 };

export function sorted(rows: readonly SeamRow[], key: SortKey, down: boolean): SeamRow[] {
  const value = (r: SeamRow): number | string => {
    switch (key) {
      case "position":
        return r.seam.position;
      case "track":
        return r.trackName;
      case "class":
        return RANK[r.class];
      case "click":
        return r.measure?.click ?? -999;
      case "dip":
        return r.measure?.dip ?? -999;
    }
  };
  const sign = down ? -1 : 1;
  return rows
    .map((row) => ({ row, value: value(row) }))
    .sort((a, b) => (a.value < b.value ? -sign : a.value > b.value ? sign : a.row.seam.position - b.row.seam.position))
    .map((x) => x.row);
}

const quoted = (text: string): string => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** The lines as CSV (RFC 4180): positions in samples, bars and time, levels in dB. */
export function seamsCsv(doc: Document, rows: readonly SeamRow[]): string {
  const base = timebaseOf(doc);
  const lines = rows.map((r) =>
    [
      String(r.seam.position),
      formatPosition(r.seam.position, "bars", base),
      formatPosition(r.seam.position, "time", base),
      r.trackName,
      r.section,
      r.seam.left?.name ?? "",
      r.seam.right?.name ?? "",
      r.class,
      r.measure ? (r.measure.click === null ? "none" : r.measure.click.toFixed(1)) : "",
      r.measure?.dip == null ? "" : r.measure.dip.toFixed(1),
    ]
      .map(quoted)
      .join(","),
  );
  return `${["position,bars,time,track,section,left,right,class,click dB,level through dB", ...lines].join("\r\n")}\r\n`;
}

export const clickText = (m: SeamMeasure | null | undefined): string =>
  !m ? "…" : m.click === null ? "none" : `${m.click < 0 ? "−" : ""}${Math.abs(m.click).toFixed(0)}`;
export const dipText = (m: SeamMeasure | null | undefined): string =>
  !m || m.dip === null ? "–" : `${m.dip < 0 ? "−" : "+"}${Math.abs(m.dip).toFixed(1)}`;
