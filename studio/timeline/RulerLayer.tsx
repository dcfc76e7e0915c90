"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import type { Marker, Section } from "@wet-thread/core/model/schema";
import { formatPosition, parsePosition } from "@wet-thread/core/time/format";
import { METER_DENOMINATORS, type MeterEvent } from "@wet-thread/core/time/meter";
import type { TempoEvent } from "@wet-thread/core/time/tempo";
import { Popover } from "radix-ui";
import { type CSSProperties, type ReactNode, useState } from "react";
import { toast } from "sonner";
import { addMarker } from "@/commands/marks";
import { session, useSession } from "@/state/session";
import { useSettings } from "@/state/settings";
import { setView, useView, view } from "@/state/view";
import { Button, Field, Segments, Swatches } from "@/ui/controls";
import { dragPoint } from "./drag-point";
import { rulerRows } from "./rulers";
import { snapped } from "./snapping";

/** Samples to pixels, followed while the view moves. */
function useScale(): { px: (sample: number) => number; width: number } {
  const start = useView((v) => v.start);
  const per = useView((v) => v.samplesPerPixel);
  const width = useView((v) => v.width);
  return { px: (sample) => (sample - start) / per, width };
}

/** Marks on the rulers that are things of their own: sections, markers, tempo and meter, and the loop. */
export function RulerLayer() {
  const rulers = useSettings((s) => s.rulers);
  const rows = rulerRows(rulers);
  const sections = rows.find((r) => r.kind === "sections");
  const tempo = rows.find((r) => r.kind === "tempo");
  const counted = rows.find((r) => r.kind !== "sections" && r.kind !== "tempo");
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {sections && (
        <Row top={sections.top} height={sections.height} label="Sections and markers">
          <button
            type="button"
            tabIndex={-1}
            aria-label="Double-click to set a marker here"
            className="pointer-events-auto absolute inset-0 cursor-default"
            onDoubleClick={(e) => {
              const at = view().start + (e.clientX - e.currentTarget.getBoundingClientRect().left) * view().samplesPerPixel;
              addMarker(snapped(session().doc, { wanted: Math.max(0, at), origin: 0 }).position);
            }}
          />
          <Sections />
          <Markers />
        </Row>
      )}
      {tempo && (
        <Row top={tempo.top} height={tempo.height} label="Tempo and meter">
          <TempoAndMeter />
        </Row>
      )}
      {counted && (
        <div className="absolute inset-x-0 h-[5px]" style={{ top: counted.top }}>
          <LoopBar />
        </div>
      )}
    </div>
  );
}

function Row({ top, height, label, children }: { top: number; height: number; label: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: a strip of marks, no form
    <div role="group" aria-label={label} className="absolute inset-x-0" style={{ top, height }}>
      {children}
    </div>
  );
}

function Panel({ open, onClose, at, children }: { open: boolean; onClose: () => void; at: ReactNode; children: ReactNode }) {
  return (
    <Popover.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Popover.Anchor asChild>{at}</Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={8}
          className="z-40 w-[264px] space-y-2.5 rounded-lg border border-line bg-raised p-3 shadow-float outline-none"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** A position typed in any unit, or a word on what was not understood. */
function typed(text: string, from: number, then: (position: number) => void): void {
  try {
    then(parsePosition(text, "bars", timebaseOf(session().doc), from));
  } catch (error) {
    toast.error((error as Error).message);
  }
}

function Sections() {
  const sections = useSession((s) => s.doc.sections);
  return [...sections.values()].map((s) => <SectionMark key={s.id} section={s} />);
}

function SectionMark({ section }: { section: Section }) {
  const { px, width } = useScale();
  const [moving, setMoving] = useState<Partial<Section> | null>(null);
  const open = useView((v) => v.markPanel && v.markId === section.id);
  const doc = useSession((s) => s.doc);
  const { start, end } = { ...section, ...moving };
  const [x0, x1] = [px(start), px(end)];
  if (x1 < 0 || x0 > width) return null;
  const set = (change: Partial<Section>): void => void session().edit([{ type: "set-section", id: section.id, ...change }]);
  const edge = (side: "start" | "end") => (
    <span
      className="absolute inset-y-0 w-[7px] cursor-ew-resize"
      style={side === "start" ? { left: -2 } : { right: -1 }}
      onPointerDown={(e) =>
        dragPoint(
          e,
          { origin: section[side], exceptMark: section.id, ...(side === "start" ? { most: section.end - 1 } : { least: section.start + 1 }) },
          { show: (at) => setMoving(at === null ? null : { [side]: at }), commit: (at) => set({ [side]: at }) },
        )
      }
    />
  );
  const range = (): void =>
    setView({ range: { start: section.start, end: section.end, trackIds: doc.piece.trackOrder }, clipIds: new Set(), seamId: null });
  const mark = (
    <div
      className="pointer-events-auto absolute top-[3px] h-[16px]"
      data-mark={section.id}
      style={{
        left: Math.max(x0, -3),
        width: Math.min(x1, width + 8) - Math.max(x0, -3) - 1,
        background: `color-mix(in srgb, var(--${section.color}) 18%, var(--surface))`,
        borderLeft: `2.5px solid var(--${section.color})`,
      }}
    >
      <button
        type="button"
        className="block h-full w-full truncate px-1.5 text-left font-semibold text-sm leading-none"
        onClick={range}
        onDoubleClick={() => setView({ markId: section.id, markPanel: true })}
      >
        {section.name}
      </button>
      {edge("start")}
      {edge("end")}
    </div>
  );
  return (
    <Panel open={open} onClose={() => setView({ markPanel: false })} at={mark}>
      <Field label="Name of the section" numeric={false} value={section.name} onCommit={(name) => set({ name })} />
      <div className="grid grid-cols-2 gap-2">
        <Field
          label="Start of the section"
          value={formatPosition(section.start, "bars", timebaseOf(doc))}
          onCommit={(t) => typed(t, section.start, (start) => set({ start }))}
        />
        <Field
          label="End of the section"
          value={formatPosition(section.end, "bars", timebaseOf(doc))}
          onCommit={(t) => typed(t, section.end, (end) => set({ end }))}
        />
      </div>
      <Swatches value={section.color} onChange={(color) => set({ color })} />
      <div className="flex gap-2">
        <Button className="flex-1" onClick={() => session().edit([{ type: "set-loop", loop: { start: section.start, end: section.end, on: true } }])}>
          Loop it
        </Button>
        <Button className="flex-1" onClick={() => session().edit([{ type: "remove-section", id: section.id }])}>
          Remove
        </Button>
      </div>
    </Panel>
  );
}

function Markers() {
  const markers = useSession((s) => s.doc.markers);
  return [...markers.values()].map((m) => <MarkerMark key={m.id} marker={m} />);
}

function MarkerMark({ marker }: { marker: Marker }) {
  const { px, width } = useScale();
  const [moving, setMoving] = useState<number | null>(null);
  const open = useView((v) => v.markPanel && v.markId === marker.id);
  const base = timebaseOf(useSession((s) => s.doc));
  const x = px(moving ?? marker.position);
  if (x < -60 || x > width + 10) return null;
  const set = (change: Partial<Marker>): void => void session().edit([{ type: "set-marker", id: marker.id, ...change }]);
  const mark = (
    <button
      type="button"
      aria-label={`Marker ${marker.name}`}
      data-mark={marker.id}
      title={marker.name}
      className="pointer-events-auto absolute bottom-px flex h-[14px] cursor-ew-resize touch-none items-center rounded-r-sm pr-1.5 pl-1 font-semibold text-[10.5px] leading-none"
      style={
        {
          left: x,
          background: `color-mix(in srgb, var(--${marker.color}) 28%, var(--raised))`,
          borderLeft: `2px solid var(--${marker.color})`,
        } as CSSProperties
      }
      onPointerDown={(e) =>
        dragPoint(
          e,
          { origin: marker.position, exceptMark: marker.id },
          {
            show: setMoving,
            commit: (position) => set({ position }),
            click: () => setView({ markId: marker.id, markPanel: true, playhead: view().playing ? view().playhead : marker.position }),
          },
        )
      }
    >
      {marker.name}
    </button>
  );
  return (
    <Panel open={open} onClose={() => setView({ markPanel: false })} at={mark}>
      <Field label="Name of the marker" numeric={false} value={marker.name} onCommit={(name) => set({ name })} />
      <Field
        label="Position of the marker"
        value={formatPosition(marker.position, "bars", base)}
        onCommit={(t) => typed(t, marker.position, (position) => set({ position }))}
      />
      <Swatches value={marker.color} onChange={(color) => set({ color })} />
      <Button className="w-full" onClick={() => session().edit([{ type: "remove-marker", id: marker.id }])}>
        Remove
      </Button>
    </Panel>
  );
}

function LoopBar() {
  const loop = useSession((s) => s.doc.piece.loop);
  const { px } = useScale();
  const [moving, setMoving] = useState<{ start: number; end: number } | null>(null);
  if (!loop) return null;
  const shown = moving ?? loop;
  const set = (start: number, end: number): void => void session().edit([{ type: "set-loop", loop: { ...loop, start, end } }]);
  const length = loop.end - loop.start;
  return (
    <button
      type="button"
      aria-label={`Loop ${loop.on ? "on" : "off"}`}
      className="pointer-events-auto absolute inset-y-0 cursor-grab touch-none rounded-[1px]"
      style={{ left: px(shown.start), width: Math.max(4, px(shown.end) - px(shown.start)), background: loop.on ? "var(--indigo)" : "var(--ink-3)" }}
      onPointerDown={(e) =>
        dragPoint(
          e,
          { origin: loop.start },
          {
            show: (at) => setMoving(at === null ? null : { start: at, end: at + length }),
            commit: (at) => set(at, at + length),
            click: () => session().edit([{ type: "set-loop", loop: { ...loop, on: !loop.on } }], loop.on ? "Loop off" : "Loop on"),
          },
        )
      }
    >
      <span
        className="absolute inset-y-0 -left-1 w-2.5 cursor-ew-resize"
        onPointerDown={(e) =>
          dragPoint(
            e,
            { origin: loop.start, most: loop.end - 1 },
            { show: (at) => setMoving(at === null ? null : { start: at, end: loop.end }), commit: (at) => set(at, loop.end) },
          )
        }
      />
      <span
        className="absolute inset-y-0 -right-1 w-2.5 cursor-ew-resize"
        onPointerDown={(e) =>
          dragPoint(
            e,
            { origin: loop.end, least: loop.start + 1 },
            { show: (at) => setMoving(at === null ? null : { start: loop.start, end: at }), commit: (at) => set(loop.start, at) },
          )
        }
      />
    </button>
  );
}

/** What a change of the map leaves in place; chosen once, kept while the page is open. */
let keepChoice: "time" | "bars" = "time";

function TempoAndMeter() {
  const { tempo, meter } = useSession((s) => s.doc.piece);
  const doc = useSession((s) => s.doc);
  const base = timebaseOf(doc);
  const [adding, setAdding] = useState<{ tick: number; x: number } | null>(null);
  const setTempo = (events: readonly TempoEvent[]): void =>
    void session().edit([{ type: "set-time", tempo: [...events].sort((a, b) => a.tick - b.tick), keep: keepChoice }]);
  const setMeter = (events: readonly MeterEvent[]): void =>
    void session().edit([{ type: "set-time", meter: [...events].sort((a, b) => a.tick - b.tick), keep: keepChoice }]);
  const barAt = (sample: number): number => {
    const bar = base.meter.barIndexAt(Math.max(0, base.tempo.sampleToTick(sample)));
    const [a, b] = [base.meter.barIndexToTick(bar), base.meter.barIndexToTick(bar + 1)];
    return sample - base.tempo.tickToSample(a) < base.tempo.tickToSample(b) - sample ? a : b;
  };
  return (
    <>
      <button
        type="button"
        aria-label="Add a tempo or meter"
        className="pointer-events-auto absolute inset-0 cursor-copy"
        onClick={(e) => {
          const x = e.clientX - e.currentTarget.getBoundingClientRect().left;
          const at = view().start + x * view().samplesPerPixel;
          setAdding({ tick: base.tempo.sampleToTick(snapped(doc, { wanted: Math.max(0, at), origin: 0 }).position), x });
        }}
      />
      {adding && (
        <Panel open onClose={() => setAdding(null)} at={<span className="absolute bottom-0 h-1 w-1" style={{ left: adding.x }} />}>
          <p className="num text-ink-2 text-sm">at {formatPosition(base.tempo.tickToSample(adding.tick), "bars", base)}</p>
          <div className="flex gap-2">
            <Button
              className="flex-1"
              onClick={() => {
                if (!tempo.some((t) => t.tick === adding.tick))
                  setTempo([...tempo, { tick: adding.tick, bpm: Math.round(base.tempo.bpmAt(adding.tick) * 100) / 100 }]);
                setAdding(null);
              }}
            >
              Add tempo
            </Button>
            <Button
              className="flex-1"
              onClick={() => {
                const tick = barAt(base.tempo.tickToSample(adding.tick));
                const { numerator, denominator } = base.meter.meterAt(tick);
                if (!meter.some((m) => m.tick === tick)) setMeter([...meter, { tick, numerator, denominator }]);
                setAdding(null);
              }}
            >
              Add meter
            </Button>
          </div>
        </Panel>
      )}
      {tempo.map((event, i) => (
        <TempoChip
          key={`tempo ${event.tick}`}
          event={event}
          last={i === tempo.length - 1}
          others={tempo.filter((t) => t !== event)}
          onChange={setTempo}
        />
      ))}
      {meter.map((event) => (
        <MeterChip key={`meter ${event.tick}`} event={event} others={meter.filter((m) => m !== event)} barAt={barAt} onChange={setMeter} />
      ))}
    </>
  );
}

const CHIP =
  "pointer-events-auto absolute top-[3px] flex h-[15px] touch-none items-center rounded-sm border border-line bg-raised px-1 num text-[10.5px] font-semibold leading-none hover:border-ink-3";

function KeepChoice() {
  const [keep, setKeep] = useState(keepChoice);
  return (
    <div>
      <p className="mb-1 text-ink-2 text-sm">When this changes, clips and marks keep their</p>
      <Segments
        label="Clips keep"
        value={keep}
        onChange={(v) => {
          keepChoice = v;
          setKeep(v);
        }}
        options={[
          ["time", "Time"],
          ["bars", "Bars"],
        ]}
      />
    </div>
  );
}

function TempoChip({
  event,
  last,
  others,
  onChange,
}: {
  event: TempoEvent;
  last: boolean;
  others: readonly TempoEvent[];
  onChange: (events: readonly TempoEvent[]) => void;
}) {
  const base = timebaseOf(useSession((s) => s.doc));
  const { px, width } = useScale();
  const [open, setOpen] = useState(false);
  const [moving, setMoving] = useState<number | null>(null);
  const at = base.tempo.tickToSample(event.tick);
  const x = px(moving ?? at);
  if (x < -60 || x > width) return null;
  const neighbours = others.map((t) => base.tempo.tickToSample(t.tick));
  const chip = (
    <button
      type="button"
      aria-label={`Tempo ${event.bpm}`}
      className={`${CHIP} ${event.tick === 0 ? "cursor-pointer" : "cursor-ew-resize"}`}
      style={{ left: x + 1, borderLeft: "2px solid var(--walnut)" }}
      onPointerDown={(e) => {
        if (event.tick === 0) return;
        dragPoint(
          e,
          { origin: at, least: 1, most: Math.min(...neighbours.filter((n) => n > at)) - 1 },
          {
            show: setMoving,
            commit: (p) => onChange([...others.filter((t) => t.tick !== base.tempo.sampleToTick(p)), { ...event, tick: base.tempo.sampleToTick(p) }]),
            click: () => setOpen(true),
          },
        );
      }}
      onClick={() => event.tick === 0 && setOpen(true)}
    >
      {event.bpm}
      {event.ramp && !last ? " ⟋" : ""}
    </button>
  );
  return (
    <Panel open={open} onClose={() => setOpen(false)} at={chip}>
      <Field
        label="Tempo"
        unit="quarter notes a minute"
        value={String(event.bpm)}
        onCommit={(t) => {
          const bpm = Number(t.replace(",", "."));
          if (bpm >= 20 && bpm <= 400) onChange([...others, { ...event, bpm }]);
          else toast.error(`“${t}” is no tempo: it lies between 20 and 400.`);
        }}
      />
      {!last && (
        <Segments
          label="Up to the next tempo"
          value={event.ramp ? "ramp" : "step"}
          onChange={(v) => onChange([...others, { ...event, ramp: v === "ramp" }])}
          options={[
            ["step", "Stays"],
            ["ramp", "Glides to the next"],
          ]}
        />
      )}
      <KeepChoice />
      {event.tick > 0 && (
        <Button className="w-full" onClick={() => onChange(others)}>
          Remove
        </Button>
      )}
    </Panel>
  );
}

function MeterChip({
  event,
  others,
  barAt,
  onChange,
}: {
  event: MeterEvent;
  others: readonly MeterEvent[];
  barAt: (sample: number) => number;
  onChange: (events: readonly MeterEvent[]) => void;
}) {
  const doc = useSession((s) => s.doc);
  const base = timebaseOf(doc);
  const { px, width } = useScale();
  const [open, setOpen] = useState(false);
  const [moving, setMoving] = useState<number | null>(null);
  const at = base.tempo.tickToSample(event.tick);
  const shared = doc.piece.tempo.some((t) => t.tick === event.tick);
  const x = px(moving ?? at) + (shared && moving === null ? 46 : 0);
  if (x < -60 || x > width) return null;
  const chip = (
    <button
      type="button"
      aria-label={`Meter ${event.numerator}/${event.denominator}`}
      className={`${CHIP} ${event.tick === 0 ? "cursor-pointer" : "cursor-ew-resize"}`}
      style={{ left: x + 1, borderLeft: "2px solid var(--woad)" }}
      onPointerDown={(e) => {
        if (event.tick === 0) return;
        dragPoint(
          e,
          { origin: at, least: 1 },
          {
            show: (p) => setMoving(p === null ? null : base.tempo.tickToSample(barAt(p))),
            commit: (p) => barAt(p) > 0 && onChange([...others.filter((m) => m.tick !== barAt(p)), { ...event, tick: barAt(p) }]),
            click: () => setOpen(true),
          },
        );
      }}
      onClick={() => event.tick === 0 && setOpen(true)}
    >
      {event.numerator}/{event.denominator}
    </button>
  );
  return (
    <Panel open={open} onClose={() => setOpen(false)} at={chip}>
      <Field
        label="Meter"
        value={`${event.numerator}/${event.denominator}`}
        onCommit={(t) => {
          const m = /^\s*(\d{1,2})\s*\/\s*(\d{1,2})\s*$/.exec(t);
          const [numerator, denominator] = m ? [Number(m[1]), Number(m[2])] : [0, 0];
          if (numerator >= 1 && numerator <= 64 && (METER_DENOMINATORS as readonly number[]).includes(denominator))
            onChange([...others, { ...event, numerator, denominator }]);
          else toast.error(`“${t}” is no meter: it is written like 6/8, with 1 to 64 beats of a 1, 2, 4, 8, 16, 32 or 64th note.`);
        }}
      />
      <KeepChoice />
      {event.tick > 0 && (
        <Button className="w-full" onClick={() => onChange(others)}>
          Remove
        </Button>
      )}
    </Panel>
  );
}
