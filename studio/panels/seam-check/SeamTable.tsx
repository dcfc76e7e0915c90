"use client";
import { useVirtualizer, type Virtualizer } from "@tanstack/react-virtual";
import { timebaseOf } from "@wet-thread/core/model/document";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import type { Seam, SeamClass } from "@wet-thread/core/seam/seams";
import { formatPosition } from "@wet-thread/core/time/format";
import clsx from "clsx";
import { ArrowDown, ArrowUp } from "lucide-react";
import { type KeyboardEvent, type ReactNode, useEffect, useRef } from "react";
import { measurer } from "@/seams/measures";
import { useSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { clickText, dipText, type SeamRow, type SortKey } from "./rows";

const ROW = 26;
const GRID = "16px 84px 84px minmax(56px,1fr) minmax(70px,1.6fr) 64px 62px 112px";
const MARKS: Readonly<Record<SeamClass, ReactNode>> = {
  raw: <path d="M6 1.5 10.5 6 6 10.5 1.5 6Z" fill="none" stroke="var(--madder)" strokeWidth="1.5" />,
  smooth: <circle cx="6" cy="6" r="2.75" fill="var(--ink-2)" />,
  blended: <path d="M2.5 2.5l7 7m0-7-7 7" stroke="var(--ink)" strokeWidth="1.5" />,
  unbroken: <path d="M6 1.5v9" stroke="var(--ink-3)" strokeWidth="1.2" />,
};

/** What seams would be once they are smoothed, by seam; null where one stays as it is. */
export type After = ReadonlyMap<string, SeamMeasure | null>;
export interface Sort {
  readonly key: SortKey;
  readonly down: boolean;
}

export interface SeamTableProps {
  readonly rows: readonly SeamRow[];
  /** What stands where there are no rows. */
  readonly empty: string;
  readonly sort: Sort;
  readonly onSort: (sort: Sort) => void;
  readonly picked: ReadonlySet<string>;
  readonly onPicked: (picked: ReadonlySet<string>) => void;
  readonly after: After | null;
  readonly onOpen: (seam: Seam) => void;
}

/** What is on the screen is measured first. */
function useSeenFirst(rows: readonly SeamRow[], virtual: Virtualizer<HTMLDivElement, Element>): void {
  const seen = virtual
    .getVirtualItems()
    .map((item) => rows[item.index])
    .filter((r) => r && !r.measure)
    .map((r) => r.seam);
  const seenIds = seen.map((s) => s.id).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the ids stand for the seams, which are made anew each time
  useEffect(() => measurer().ask(seen), [seenIds]);
}

// Only the rows that are seen exist, which a table element does not allow; roles say the same, and the arrow keys walk the rows.

/** Seams in rows, with their figures: sorted by a column, picked, opened. */
export function SeamTable({ rows, empty, sort, onSort, picked, onPicked, after, onOpen }: SeamTableProps) {
  const unit = useSettings((s) => s.readOuts[0]);
  const base = timebaseOf(useSession((s) => s.doc));
  const chosen = useView((v) => v.seamId);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  useSeenFirst(rows, virtual);
  const step = (e: KeyboardEvent): void => {
    const at = rows.findIndex((r) => r.seam.id === chosen);
    const to = e.key === "ArrowDown" ? at + 1 : e.key === "ArrowUp" ? at - 1 : -1;
    if (to < 0 || !rows[to]) return;
    e.preventDefault();
    e.stopPropagation();
    onOpen(rows[to].seam);
    virtual.scrollToIndex(to);
  };
  return (
    <div role="table" aria-label="Seams" aria-rowcount={rows.length} className="flex min-h-0 flex-1 flex-col">
      <div role="rowgroup" className="shrink-0">
        <div
          role="row"
          tabIndex={-1}
          className="grid shrink-0 items-center gap-2 border-line border-b px-3 text-ink-2 text-sm"
          style={{ gridTemplateColumns: GRID, height: ROW }}
        >
          <span role="columnheader" className="flex">
            <input
              type="checkbox"
              aria-label="Pick all that are shown"
              className="accent-[var(--indigo)]"
              checked={rows.length > 0 && rows.every((r) => picked.has(r.seam.id))}
              onChange={(e) => onPicked(e.target.checked ? new Set(rows.map((r) => r.seam.id)) : new Set())}
            />
          </span>
          <Head name="Kind" k="class" sort={sort} onSort={onSort} />
          <Head name="Place" k="position" sort={sort} onSort={onSort} />
          <Head name="Track" k="track" sort={sort} onSort={onSort} />
          <span role="columnheader">Clips</span>
          <Head name="Click dB" k="click" sort={sort} onSort={onSort} right />
          <Head name="Level dB" k="dip" sort={sort} onSort={onSort} right />
          <span role="columnheader" className="text-right">
            {after ? "Then" : ""}
          </span>
        </div>
      </div>
      <div
        ref={scroller}
        tabIndex={0}
        role="rowgroup"
        onKeyDown={step}
        className="min-h-0 flex-1 overflow-y-auto outline-offset-[-2px]"
        data-testid="seam-rows"
      >
        <div role="presentation" className="relative w-full" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => (
            <Line
              key={rows[item.index].seam.id}
              row={rows[item.index]}
              top={item.start}
              place={formatPosition(rows[item.index].seam.position, unit, base)}
              chosen={rows[item.index].seam.id === chosen}
              picked={picked.has(rows[item.index].seam.id)}
              after={after?.get(rows[item.index].seam.id)}
              onOpen={onOpen}
              onPick={(id, on) => onPicked(on ? new Set([...picked, id]) : new Set([...picked].filter((p) => p !== id)))}
            />
          ))}
        </div>
        {rows.length === 0 && (
          <div role="row" tabIndex={-1} className="p-6 text-center text-ink-2">
            <span role="cell">{empty}</span>
          </div>
        )}
      </div>
    </div>
  );
}

function Head({ name, k, sort, onSort, right = false }: { name: string; k: SortKey; sort: Sort; onSort: (s: Sort) => void; right?: boolean }) {
  const on = sort.key === k;
  return (
    <span role="columnheader" aria-sort={on ? (sort.down ? "descending" : "ascending") : "none"} className={right ? "text-right" : ""}>
      <button
        type="button"
        className={clsx("inline-flex items-center gap-1 rounded-sm hover:text-ink", on && "font-semibold text-ink")}
        onClick={() => onSort({ key: k, down: on ? !sort.down : k === "click" || k === "dip" })}
      >
        {name}
        {on && (sort.down ? <ArrowDown size={11} aria-hidden /> : <ArrowUp size={11} aria-hidden />)}
      </button>
    </span>
  );
}

interface LineProps {
  row: SeamRow;
  top: number;
  place: string;
  chosen: boolean;
  picked: boolean;
  after: SeamMeasure | null | undefined;
  onOpen: (seam: Seam) => void;
  onPick: (id: string, on: boolean) => void;
}

function Line({ row, top, place, chosen, picked, after, onOpen, onPick }: LineProps) {
  const { seam, measure } = row;
  return (
    <div
      role="row"
      tabIndex={-1}
      aria-selected={chosen}
      className={clsx(
        "absolute inset-x-0 grid cursor-default items-center gap-2 px-3",
        chosen ? "bg-weld/10 outline outline-weld outline-offset-[-1px]" : "hover:bg-weft",
      )}
      style={{ top, height: ROW, gridTemplateColumns: GRID }}
      onClick={() => onOpen(seam)}
    >
      <span role="cell" className="flex">
        <input
          type="checkbox"
          aria-label={`Pick the seam at ${place} on ${row.trackName}`}
          className="accent-[var(--indigo)]"
          checked={picked}
          onClick={(e) => e.stopPropagation()}
          onChange={(e) => onPick(seam.id, e.target.checked)}
        />
      </span>
      <span role="cell" className="flex items-center gap-1.5">
        <svg viewBox="0 0 12 12" className="size-3 shrink-0" aria-hidden>
          {MARKS[row.class]}
        </svg>
        <span className={row.class === "raw" ? "font-semibold text-madder" : "text-ink-2"}>{row.class}</span>
      </span>
      <span role="cell" className="num">
        {place}
      </span>
      <span role="cell" className="truncate">
        {row.trackName}
      </span>
      <span role="cell" className="truncate text-ink-2" title={row.names}>
        {row.names}
      </span>
      <span role="cell" className={clsx("num text-right", measure?.click != null && "font-semibold text-madder")}>
        {clickText(measure)}
      </span>
      <span role="cell" className="num text-right">
        {dipText(measure)}
      </span>
      <span role="cell" className="num text-right text-fern">
        {after === undefined ? "" : after === null ? "stays" : `${after.class}, ${clickText(after)}`}
      </span>
    </div>
  );
}
