"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import { timebaseOf } from "@wet-thread/core/model/document";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import type { Seam, SeamClass } from "@wet-thread/core/seam/seams";
import { formatPosition } from "@wet-thread/core/time/format";
import clsx from "clsx";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { type KeyboardEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { reveal, smoothEdit } from "@/commands/edit/actions";
import { settleMany } from "@/commands/edit/settle";
import { keyOf } from "@/commands/keys";
import { measurer, useMeasures } from "@/seams/measures";
import { setSettings, useSettings } from "@/state/kept/settings";
import { saveFile } from "@/state/media/save-file";
import { useMedia } from "@/state/media/use-media";
import { session, useSession } from "@/state/sync/session";
import { setView, useView } from "@/state/view/view";
import { Button, Segments } from "@/ui/controls";
import { followPointer } from "@/ui/pointer-drag";
import { ALL, clickText, dipText, type Filter, filtered, type SeamRow, type SortKey, seamRows, seamsCsv, sorted } from "./rows";
import { SeamChart } from "./SeamChart";

const ROW = 26;
const CLASSES: readonly (readonly [SeamClass | "all", string])[] = [
  ["all", "All"],
  ["raw", "Raw"],
  ["smooth", "Smooth"],
  ["blended", "Blended"],
  ["unbroken", "Unbroken"],
];
const MARKS: Readonly<Record<SeamClass, ReactNode>> = {
  raw: <path d="M6 1.5 10.5 6 6 10.5 1.5 6Z" fill="none" stroke="var(--madder)" strokeWidth="1.5" />,
  smooth: <circle cx="6" cy="6" r="2.75" fill="var(--ink-2)" />,
  blended: <path d="M2.5 2.5l7 7m0-7-7 7" stroke="var(--ink)" strokeWidth="1.5" />,
  unbroken: <path d="M6 1.5v9" stroke="var(--ink-3)" strokeWidth="1.2" />,
};

type After = ReadonlyMap<string, SeamMeasure | null>;

// Only the rows that are seen exist, which a table element does not allow; roles say the same, and the arrow keys walk the rows.

/** Every edit point of the piece in a table, with its figures: to sort, filter, jump to and smooth. */
export function SeamCheck() {
  const doc = useSession((s) => s.doc);
  const measures = useMeasures((s) => s.byId);
  const media = useMedia();
  const unit = useSettings((s) => s.readOuts[0]);
  const chosen = useView((v) => v.seamId);
  const [filter, setFilter] = useState<Filter>(ALL);
  const [sort, setSort] = useState<{ key: SortKey; down: boolean }>({ key: "class", down: false });
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [after, setAfter] = useState<After | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: classes depend on samples that come in
  const all = useMemo(() => seamRows(doc, measures), [doc, measures, media]);
  const rows = useMemo(() => sorted(filtered(doc, all, filter), sort.key, sort.down), [doc, all, filter, sort]);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  useAsk(all);
  // What is on the screen is measured first.
  const seen = virtual
    .getVirtualItems()
    .map((item) => rows[item.index])
    .filter((r) => r && !r.measure)
    .map((r) => r.seam);
  const seenIds = seen.map((s) => s.id).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the ids stand for the seams, which are made anew each time
  useEffect(() => measurer().ask(seen), [seenIds]);
  const high = useSettings((s) => s.seamCheckHeight);
  const measured = all.reduce((n, r) => n + (r.measure ? 1 : 0), 0);
  const counts = all.reduce<Record<string, number>>((n, r) => {
    n[r.class] = (n[r.class] ?? 0) + 1;
    return n;
  }, {});
  const base = timebaseOf(doc);
  const meant = picked.size > 0 ? rows.filter((r) => picked.has(r.seam.id)) : rows.filter((r) => r.class === "raw");
  const open = (seam: Seam): void => {
    setView({ seamId: seam.id, tab: "seam", clipIds: new Set(), range: null, trackId: seam.trackId, playhead: seam.position });
    reveal(seam.position);
  };
  // What a preview promised no longer holds once something was edited.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the document alone decides
  useEffect(() => setAfter(null), [doc]);
  const preview = async (): Promise<void> => {
    const seams = meant.map((r) => r.seam);
    const { measures: found, error } = await measurer().try(smoothEdit(doc, seams), seams);
    if (!error) setAfter(new Map(seams.map((s, i) => [s.id, found[i] ?? null])));
  };
  const smooth = (): void => {
    if (
      session().edit(
        [
          smoothEdit(
            doc,
            meant.map((r) => r.seam),
          ),
        ],
        picked.size > 0 ? `Smooth ${meant.length} seams` : "Smooth all raw seams",
      )
    ) {
      setPicked(new Set());
      setAfter(null);
    }
  };
  const save = (): void => {
    saveFile(`${session().store.getState().versionName} seams.csv`, new Blob([seamsCsv(doc, rows)], { type: "text/csv" }));
  };
  const step = (e: KeyboardEvent): void => {
    const at = rows.findIndex((r) => r.seam.id === chosen);
    const to = e.key === "ArrowDown" ? at + 1 : e.key === "ArrowUp" ? at - 1 : -1;
    if (to < 0 || !rows[to]) return;
    e.preventDefault();
    e.stopPropagation();
    open(rows[to].seam);
    virtual.scrollToIndex(to);
  };
  return (
    <section
      aria-label="Seam check"
      className="relative flex max-h-[70vh] min-w-0 shrink-0 flex-col overflow-hidden border-line border-t bg-surface"
      style={{ height: high }}
    >
      <div
        className="absolute inset-x-0 top-0 z-10 h-[6px] cursor-ns-resize touch-none"
        title="Drag for the height of the seam check"
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          const y0 = e.clientY;
          followPointer(e.currentTarget, e.pointerId, {
            move: (m) =>
              setSettings({ seamCheckHeight: Math.round(Math.max(LEAST_HEIGHT, Math.min(window.innerHeight * 0.7, high + y0 - m.clientY))) }),
            drop: () => {},
            cancel: () => setSettings({ seamCheckHeight: high }),
          });
        }}
      />
      <div className="flex min-h-10 shrink-0 flex-wrap items-center gap-1.5 border-line border-b px-3 py-1">
        <h2 className="shrink-0 font-semibold">Seam check</h2>
        <div className="w-[424px] shrink-0 text-[12px]">
          <Segments
            label="Class"
            value={filter.class}
            onChange={(c) => setFilter({ ...filter, class: c })}
            options={CLASSES.map(([id, name]) => [id, `${name} ${id === "all" ? all.length : (counts[id] ?? 0)}`] as const)}
          />
        </div>
        <Choice
          label="Track"
          value={filter.trackId}
          onChange={(trackId) => setFilter({ ...filter, trackId })}
          options={[["all", "All tracks"], ...doc.piece.trackOrder.map((id) => [id, doc.tracks.get(id)?.name ?? ""] as const)]}
        />
        <Choice
          label="Section"
          value={filter.sectionId}
          onChange={(sectionId) => setFilter({ ...filter, sectionId })}
          options={[["all", "All sections"], ...[...doc.sections.values()].map((s) => [s.id, s.name] as const)]}
        />
        <Choice
          label="Click"
          value={filter.level === null ? "all" : String(filter.level)}
          onChange={(v) => setFilter({ ...filter, level: v === "all" ? null : Number(v) })}
          options={[
            ["all", "Any click"],
            ["-60", "From −60 dB"],
            ["-48", "From −48 dB"],
            ["-36", "From −36 dB"],
            ["-24", "From −24 dB"],
          ]}
        />
        <span className="num ml-auto shrink-0 text-ink-2 text-sm" data-testid="measured">
          {measured < all.length ? `${measured} of ${all.length} measured` : `${all.length} measured`}
        </span>
        <button
          type="button"
          aria-label="Close seam check"
          className="shrink-0 rounded-sm p-1 hover:bg-weft"
          onClick={() => setSettings({ seamCheck: false })}
        >
          <X size={15} />
        </button>
      </div>
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1 flex-col">
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
                    onChange={(e) => setPicked(e.target.checked ? new Set(rows.map((r) => r.seam.id)) : new Set())}
                  />
                </span>
                <Head name="Kind" k="class" sort={sort} onSort={setSort} />
                <Head name="Place" k="position" sort={sort} onSort={setSort} />
                <Head name="Track" k="track" sort={sort} onSort={setSort} />
                <span role="columnheader">Clips</span>
                <Head name="Click dB" k="click" sort={sort} onSort={setSort} right />
                <Head name="Level dB" k="dip" sort={sort} onSort={setSort} right />
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
                    onOpen={open}
                    onPick={(id, on) => setPicked(on ? new Set([...picked, id]) : new Set([...picked].filter((p) => p !== id)))}
                  />
                ))}
              </div>
              {rows.length === 0 && (
                <div role="row" tabIndex={-1} className="p-6 text-center text-ink-2">
                  <span role="cell">
                    {all.length === 0 ? "There are no edit points yet: every clip that you lay or cut shows here." : "No seam is like that."}
                  </span>
                </div>
              )}
            </div>
          </div>
          <div className="flex h-10 shrink-0 items-center gap-2 border-line border-t px-3 [&>button]:shrink-0 [&>button]:whitespace-nowrap [&>button]:px-2.5">
            <Button look="main" disabled={meant.length === 0} onClick={smooth}>
              {picked.size > 0 ? `Smooth ${meant.length} picked` : `Smooth ${meant.length} raw`}
            </Button>
            <Button disabled={meant.length === 0} onClick={() => void preview()}>
              Preview the figures
            </Button>
            <Button
              disabled={meant.length === 0}
              title="Each splice goes to the place nearby where both sides are most alike; what would be worse stays"
              onClick={() => settleMany(meant.map((r) => r.seam))}
            >
              Settle {meant.length} …
            </Button>
            <Button onClick={save}>Save as CSV</Button>
            <span className="ml-auto min-w-0 truncate text-ink-3 text-sm">{keyOf("next-seam")} steps from seam to seam at the same zoom</span>
          </div>
        </div>
        <div className="w-[30%] min-w-[270px] max-w-[460px] shrink-0 border-line border-l max-[1150px]:hidden">
          <SeamChart rows={rows} onOpen={open} />
        </div>
      </div>
    </section>
  );
}

const LEAST_HEIGHT = 160;
const GRID = "16px 84px 84px minmax(56px,1fr) minmax(70px,1.6fr) 64px 62px 112px";

/** Asks for the figures of every seam that changed, those shown first being asked for last and so measured first. */
function useAsk(rows: readonly SeamRow[]): void {
  const asked = useRef(new Map<string, Seam>());
  useEffect(() => {
    const fresh = rows.filter((r) => asked.current.get(r.seam.id) !== r.seam).map((r) => r.seam);
    for (const seam of fresh) asked.current.set(seam.id, seam);
    measurer().ask(fresh);
  }, [rows]);
}

function Head({
  name,
  k,
  sort,
  onSort,
  right = false,
}: {
  name: string;
  k: SortKey;
  sort: { key: SortKey; down: boolean };
  onSort: (s: { key: SortKey; down: boolean }) => void;
  right?: boolean;
}) {
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

function Choice({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="h-7 min-w-[112px] rounded-md border border-line bg-raised px-1.5 text-ink-2"
    >
      {options.map(([id, name]) => (
        <option key={id} value={id}>
          {name}
        </option>
      ))}
    </select>
  );
}
