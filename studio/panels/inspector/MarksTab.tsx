"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition } from "@wet-thread/core/time/format";
import { Repeat } from "lucide-react";
import { addMarkerAtPlayhead, reveal, sectionFromRange } from "@/commands/edit/actions";
import { keyOf } from "@/commands/keys";
import { useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { setView, useView } from "@/state/view/view";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import { Button } from "@/ui/controls";
import { Empty, Label } from "./parts";
import { TempoList } from "./TempoList";

/** Every marker, section, tempo and meter: a click on a mark jumps there, the small buttons make a range or the loop of a span. */
export function MarksTab() {
  const doc = useSession((s) => s.doc);
  const unit = useSettings((s) => s.readOuts[0]);
  const hasRange = useView((v) => v.range !== null);
  const chosen = useView((v) => v.markId);
  const base = timebaseOf(doc);
  const markers = [...doc.markers.values()].sort((a, b) => a.position - b.position);
  const sections = [...doc.sections.values()].sort((a, b) => a.start - b.start);
  const jump = (position: number, id: string): void => {
    placePlayhead(position);
    reveal(position);
    setView({ markId: id });
  };
  const range = (start: number, end: number): void =>
    setView({ range: { start, end, trackIds: doc.piece.trackOrder }, clipIds: new Set(), seamId: null });
  const row = (id: string, name: string, color: string, position: number, span: { start: number; end: number } | null) => (
    <li key={id} className="group flex items-center gap-1.5 rounded-sm pr-1 hover:bg-weft">
      <button
        type="button"
        aria-pressed={chosen === id}
        className="flex min-w-0 flex-1 items-baseline gap-2 px-1.5 py-1.5 text-left aria-pressed:font-semibold"
        onClick={() => jump(position, id)}
      >
        <span className="size-2.5 shrink-0 self-center rounded-[2px]" style={{ background: `var(--${color})` }} />
        <span className="min-w-0 flex-1 truncate">{name}</span>
        <span className="num shrink-0 text-ink-2 text-sm">{formatPosition(position, unit, base)}</span>
      </button>
      {span && (
        <>
          <button
            type="button"
            className="rounded-sm border border-line bg-raised px-1 text-xs hover:border-ink-3"
            aria-label={`Range from ${name}`}
            title="Make a range of it"
            onClick={() => range(span.start, span.end)}
          >
            range
          </button>
          <button
            type="button"
            className="rounded-sm border border-line bg-raised p-0.5 hover:border-ink-3"
            aria-label={`Loop ${name}`}
            title="Loop it"
            onClick={() => session().edit([{ type: "set-loop", loop: { ...span, on: true } }])}
          >
            <Repeat size={12} />
          </button>
        </>
      )}
    </li>
  );
  return (
    <div>
      <div className="flex gap-2">
        <Button className="flex-1" title={keyOf("marker")} onClick={addMarkerAtPlayhead}>
          Marker here
        </Button>
        <Button className="flex-1" title={keyOf("section")} disabled={!hasRange} onClick={sectionFromRange}>
          Section of range
        </Button>
      </div>
      <Label side={String(markers.length)}>Markers</Label>
      {markers.length === 0 && <Empty title="No markers yet">{keyOf("marker")} sets one at the playhead, also while it plays.</Empty>}
      <ul className="-mx-1.5">
        {markers.map((m, i) =>
          row(
            m.id,
            m.name,
            m.color,
            m.position,
            markers[i + 1] && markers[i + 1].position > m.position ? { start: m.position, end: markers[i + 1].position } : null,
          ),
        )}
      </ul>
      <Label side={String(sections.length)}>Sections</Label>
      <ul className="-mx-1.5">{sections.map((s) => row(s.id, s.name, s.color, s.start, { start: s.start, end: s.end }))}</ul>
      <TempoList />
    </div>
  );
}
