"use client";
import type { Seam } from "@wet-thread/core/seam/seams";
import { useEffect, useMemo, useRef, useState } from "react";
import { reveal, smoothEdit } from "@/commands/edit/actions";
import { settleMany } from "@/commands/edit/settle";
import { keyOf } from "@/commands/keys";
import { measurer, useMeasures } from "@/seams/measures";
import { setSettings, useSettings } from "@/state/kept/settings";
import { saveFile } from "@/state/media/save-file";
import { useMedia } from "@/state/media/use-media";
import { session, useSession } from "@/state/sync/session";
import { setView } from "@/state/view/view";
import { Button } from "@/ui/controls";
import { followPointer } from "@/ui/pointer-drag";
import { ALL, type Filter, filtered, type SeamRow, seamRows, seamsCsv, sorted } from "./rows";
import { SeamChart } from "./SeamChart";
import { SeamFilters } from "./SeamFilters";
import { type After, SeamTable, type Sort } from "./SeamTable";

const LEAST_HEIGHT = 160;

/** Asks for the figures of every seam that changed, those shown first being asked for last and so measured first. */
function useAsk(rows: readonly SeamRow[]): void {
  const asked = useRef(new Map<string, Seam>());
  useEffect(() => {
    const fresh = rows.filter((r) => asked.current.get(r.seam.id) !== r.seam).map((r) => r.seam);
    for (const seam of fresh) asked.current.set(seam.id, seam);
    measurer().ask(fresh);
  }, [rows]);
}

function openSeam(seam: Seam): void {
  setView({ seamId: seam.id, tab: "seam", clipIds: new Set(), range: null, trackId: seam.trackId, playhead: seam.position });
  reveal(seam.position);
}

/** Every edit point of the piece in a table, with its figures: to sort, filter, jump to and smooth. */
export function SeamCheck() {
  const doc = useSession((s) => s.doc);
  const measures = useMeasures((s) => s.byId);
  const media = useMedia();
  const high = useSettings((s) => s.seamCheckHeight);
  const [filter, setFilter] = useState<Filter>(ALL);
  const [sort, setSort] = useState<Sort>({ key: "class", down: false });
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [after, setAfter] = useState<After | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: classes depend on samples that come in
  const all = useMemo(() => seamRows(doc, measures), [doc, measures, media]);
  const rows = useMemo(() => sorted(filtered(doc, all, filter), sort.key, sort.down), [doc, all, filter, sort]);
  useAsk(all);
  // What a preview promised no longer holds once something was edited.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the document alone decides
  useEffect(() => setAfter(null), [doc]);
  return (
    <section
      aria-label="Seam check"
      className="relative flex max-h-[70vh] min-w-0 shrink-0 flex-col overflow-hidden border-line border-t bg-surface"
      style={{ height: high }}
    >
      <HeightGrip high={high} />
      <SeamFilters all={all} filter={filter} onFilter={setFilter} />
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1 flex-col">
          <SeamTable
            rows={rows}
            empty={all.length === 0 ? "There are no edit points yet: every clip that you lay or cut shows here." : "No seam is like that."}
            sort={sort}
            onSort={setSort}
            picked={picked}
            onPicked={setPicked}
            after={after}
            onOpen={openSeam}
          />
          <SeamActions rows={rows} picked={picked} onPreview={setAfter} onSmoothed={() => setPicked(new Set())} />
        </div>
        <div className="w-[30%] min-w-[270px] max-w-[460px] shrink-0 border-line border-l max-[1150px]:hidden">
          <SeamChart rows={rows} onOpen={openSeam} />
        </div>
      </div>
    </section>
  );
}

function HeightGrip({ high }: { high: number }) {
  return (
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
  );
}

interface SeamActionsProps {
  readonly rows: readonly SeamRow[];
  readonly picked: ReadonlySet<string>;
  readonly onPreview: (after: After) => void;
  readonly onSmoothed: () => void;
}

/** What is done with the picked seams, or with none picked all raw ones that are shown. */
function SeamActions({ rows, picked, onPreview, onSmoothed }: SeamActionsProps) {
  const doc = useSession((s) => s.doc);
  const meant = (picked.size > 0 ? rows.filter((r) => picked.has(r.seam.id)) : rows.filter((r) => r.class === "raw")).map((r) => r.seam);
  const preview = async (): Promise<void> => {
    const { measures: found, error } = await measurer().try(smoothEdit(doc, meant), meant);
    if (!error) onPreview(new Map(meant.map((s, i) => [s.id, found[i] ?? null])));
  };
  const smooth = (): void => {
    if (session().edit([smoothEdit(doc, meant)], picked.size > 0 ? `Smooth ${meant.length} seams` : "Smooth all raw seams")) onSmoothed();
  };
  const save = (): void => {
    saveFile(`${session().store.getState().versionName} seams.csv`, new Blob([seamsCsv(doc, rows)], { type: "text/csv" }));
  };
  return (
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
        onClick={() => settleMany(meant)}
      >
        Settle {meant.length} …
      </Button>
      <Button onClick={save}>Save as CSV</Button>
      <span className="ml-auto min-w-0 truncate text-ink-3 text-sm">{keyOf("next-seam")} steps from seam to seam at the same zoom</span>
    </div>
  );
}
