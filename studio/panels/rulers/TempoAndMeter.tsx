import { timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition } from "@wet-thread/core/time/format";
import type { MeterEvent } from "@wet-thread/core/time/meter";
import type { TempoEvent } from "@wet-thread/core/time/tempo";
import { useState } from "react";
import { barNear, bpmFrom, meterFrom, setMeter, setTempo } from "@/commands/edit/tempo-and-meter";
import { useSession } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { dragPoint } from "@/timeline/gestures/drag-point";
import { snapped } from "@/timeline/model/snapping";
import { Button, Field, Segments } from "@/ui/controls";
import { KeepChoice } from "./KeepChoice";
import { MarkPanel, useScale } from "./parts";

export function TempoAndMeter() {
  const { tempo, meter } = useSession((s) => s.doc.piece);
  const doc = useSession((s) => s.doc);
  const base = timebaseOf(doc);
  const [adding, setAdding] = useState<{ tick: number; x: number } | null>(null);
  /** The event that was just added: its field is open. */
  const [fresh, setFresh] = useState<string | null>(null);
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
        <MarkPanel open onClose={() => setAdding(null)} at={<span className="absolute bottom-0 h-1 w-1" style={{ left: adding.x }} />}>
          <p className="num text-ink-2 text-sm">at {formatPosition(base.tempo.tickToSample(adding.tick), "bars", base)}</p>
          <div className="flex gap-2">
            <Button
              className="flex-1"
              onClick={() => {
                if (!tempo.some((t) => t.tick === adding.tick))
                  setTempo([...tempo, { tick: adding.tick, bpm: Math.round(base.tempo.bpmAt(adding.tick) * 100) / 100 }]);
                setFresh(`tempo ${adding.tick}`);
                setAdding(null);
              }}
            >
              Add tempo
            </Button>
            <Button
              className="flex-1"
              onClick={() => {
                const tick = barNear(base.tempo.tickToSample(adding.tick));
                const { numerator, denominator } = base.meter.meterAt(tick);
                if (!meter.some((m) => m.tick === tick)) setMeter([...meter, { tick, numerator, denominator }]);
                setFresh(`meter ${tick}`);
                setAdding(null);
              }}
            >
              Add meter
            </Button>
          </div>
        </MarkPanel>
      )}
      {tempo.map((event, i) => (
        <TempoChip
          key={`tempo ${event.tick}`}
          begun={fresh === `tempo ${event.tick}`}
          onEnd={() => setFresh(null)}
          event={event}
          last={i === tempo.length - 1}
          others={tempo.filter((t) => t !== event)}
          onChange={setTempo}
        />
      ))}
      {meter.map((event) => (
        <MeterChip
          key={`meter ${event.tick}`}
          begun={fresh === `meter ${event.tick}`}
          onEnd={() => setFresh(null)}
          event={event}
          others={meter.filter((m) => m !== event)}
          onChange={setMeter}
        />
      ))}
    </>
  );
}

const CHIP =
  "pointer-events-auto absolute top-[3px] flex h-[15px] touch-none items-center rounded-sm border border-line bg-raised px-1 num text-[10.5px] font-semibold leading-none hover:border-ink-3";

/** What a chip is told besides its event: that it was just added, so that its field opens, and when that has been closed. */
interface Begun {
  begun: boolean;
  onEnd: () => void;
}

function TempoChip({
  begun,
  onEnd,
  event,
  last,
  others,
  onChange,
}: {
  event: TempoEvent;
  last: boolean;
  others: readonly TempoEvent[];
  onChange: (events: readonly TempoEvent[]) => boolean;
} & Begun) {
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
    <MarkPanel
      open={open || begun}
      onClose={() => {
        setOpen(false);
        onEnd();
      }}
      at={chip}
    >
      <Field
        label="Tempo"
        unit="quarter notes a minute"
        value={String(event.bpm)}
        onCommit={(t) => {
          const bpm = bpmFrom(t);
          return bpm !== null && onChange([...others, { ...event, bpm }]);
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
      <KeepAndRemove first={event.tick === 0} onRemove={() => onChange(others)} />
    </MarkPanel>
  );
}

/** What ends the panel of every mark: what clips keep when it changes, and its removal, but for the first. */
function KeepAndRemove({ first, onRemove }: { first: boolean; onRemove: () => void }) {
  return (
    <>
      <KeepChoice />
      {!first && (
        <Button className="w-full" onClick={onRemove}>
          Remove
        </Button>
      )}
    </>
  );
}

function MeterChip({
  begun,
  onEnd,
  event,
  others,
  onChange,
}: {
  event: MeterEvent;
  others: readonly MeterEvent[];
  onChange: (events: readonly MeterEvent[]) => boolean;
} & Begun) {
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
            show: (p) => setMoving(p === null ? null : base.tempo.tickToSample(barNear(p))),
            commit: (p) => barNear(p) > 0 && onChange([...others.filter((m) => m.tick !== barNear(p)), { ...event, tick: barNear(p) }]),
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
    <MarkPanel
      open={open || begun}
      onClose={() => {
        setOpen(false);
        onEnd();
      }}
      at={chip}
    >
      <Field
        label="Meter"
        value={`${event.numerator}/${event.denominator}`}
        onCommit={(t) => {
          const typed = meterFrom(t);
          return typed !== null && onChange([...others, { ...event, ...typed }]);
        }}
      />
      <KeepAndRemove first={event.tick === 0} onRemove={() => onChange(others)} />
    </MarkPanel>
  );
}
