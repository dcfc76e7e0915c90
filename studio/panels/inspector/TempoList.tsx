"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition } from "@wet-thread/core/time/format";
import { X } from "lucide-react";
import { useState } from "react";
import { barNear, bpmFrom, meterFrom, setMeter, setTempo } from "@/commands/edit/tempo-and-meter";
import { session, useSession } from "@/state/sync/session";
import { useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { Button, Field } from "@/ui/controls";
import { KeepChoice } from "../rulers/KeepChoice";
import { typed } from "../rulers/parts";
import { Label } from "./parts";

/** More of a kind than this are not listed at once: a tempo map laid on a recording's beats has thousands. */
const LISTED = 100;

/** Of a long list those around the playhead. */
function useAround<E extends { readonly tick: number }>(events: readonly E[]): readonly E[] {
  const base = timebaseOf(useSession((s) => s.doc));
  const first = useView((v) => {
    if (events.length <= LISTED) return 0;
    const tick = base.tempo.sampleToTick(v.playhead);
    const next = events.findIndex((e) => e.tick > tick);
    return Math.max(0, Math.min((next < 0 ? events.length : next) - LISTED / 2, events.length - LISTED));
  });
  return events.slice(first, first + LISTED);
}

/** Every tempo and meter with its place, all typed: what the chips on the ruler are by hand. */
export function TempoList() {
  const doc = useSession((s) => s.doc);
  const base = timebaseOf(doc);
  const { tempo, meter } = doc.piece;
  const tempos = useAround(tempo);
  const meters = useAround(meter);
  const hidden = tempo.length + meter.length - tempos.length - meters.length;
  const placeOf = (tick: number): string => formatPosition(base.tempo.tickToSample(tick), "bars", base);
  /** Puts an event where its typed place is, but not on another of its kind. False where it stays. */
  const moved = (
    text: string,
    from: number,
    tickOf: (sample: number) => number,
    others: readonly { tick: number }[],
    put: (tick: number) => boolean,
  ) => {
    let done = false;
    typed(text, base.tempo.tickToSample(from), (sample) => {
      done = settled(tickOf(sample), others, put);
    });
    return done;
  };
  return (
    <>
      <Label side={String(tempo.length + meter.length)}>Tempo and meter</Label>
      <ul className="space-y-1">
        {tempos.map((event) => {
          const others = tempo.filter((t) => t !== event);
          return (
            <Row
              key={`tempo ${event.tick}`}
              kind="Tempo"
              place={placeOf(event.tick)}
              value={String(event.bpm)}
              onPlace={
                event.tick > 0 &&
                ((t) => moved(t, event.tick, base.tempo.sampleToTick.bind(base.tempo), others, (tick) => setTempo([...others, { ...event, tick }])))
              }
              onValue={(t) => {
                const bpm = bpmFrom(t);
                return bpm !== null && setTempo([...others, { ...event, bpm }]);
              }}
              onRemove={() => setTempo(others)}
            />
          );
        })}
        {meters.map((event) => {
          const others = meter.filter((m) => m !== event);
          return (
            <Row
              key={`meter ${event.tick}`}
              kind="Meter"
              place={placeOf(event.tick)}
              value={`${event.numerator}/${event.denominator}`}
              onPlace={event.tick > 0 && ((t) => moved(t, event.tick, barNear, others, (tick) => setMeter([...others, { ...event, tick }])))}
              onValue={(t) => {
                const read = meterFrom(t);
                return read !== null && setMeter([...others, { ...event, ...read }]);
              }}
              onRemove={() => setMeter(others)}
            />
          );
        })}
      </ul>
      {hidden > 0 && <p className="mt-1 text-ink-2 text-sm">{`Those around the playhead; ${hidden} more lie before and after.`}</p>}
      <AddEvent />
      <div className="mt-2">
        <KeepChoice />
      </div>
    </>
  );
}

/** Whether an event came to a tick: not before the first nor onto another, which is said. */
function settled(tick: number, others: readonly { tick: number }[], put: (tick: number) => boolean): boolean {
  if (!others.some((o) => o.tick === tick)) return put(tick);
  const base = timebaseOf(session().doc);
  toast.error(`There is one at ${formatPosition(base.tempo.tickToSample(tick), "bars", base)} already: change its value, or choose another place.`);
  return false;
}

function Row({
  kind,
  place,
  value,
  onPlace,
  onValue,
  onRemove,
}: {
  kind: "Tempo" | "Meter";
  place: string;
  value: string;
  /** False of the first, which stays at the start. */
  onPlace: false | ((text: string) => boolean);
  onValue: (text: string) => boolean;
  onRemove: () => void;
}) {
  return (
    <li className="flex items-center gap-1.5" data-time={kind}>
      <span className="h-5 w-[3px] shrink-0 rounded-[1px]" style={{ background: kind === "Tempo" ? "var(--walnut)" : "var(--woad)" }} />
      {onPlace ? (
        <Field className="min-w-0 flex-1" label={`Place of the ${kind.toLowerCase()} at ${place}`} value={place} onCommit={onPlace} />
      ) : (
        <span className="num min-w-0 flex-1 px-2.5 text-ink-2">{place}</span>
      )}
      <Field className="w-[76px]" label={`${kind} at ${place}`} value={value} onCommit={onValue} />
      <button
        type="button"
        aria-label={`Remove the ${kind.toLowerCase()} at ${place}`}
        className={`rounded-sm p-1 text-ink-3 hover:bg-weft hover:text-ink ${onPlace ? "" : "invisible"}`}
        onClick={onRemove}
      >
        <X size={13} />
      </button>
    </li>
  );
}

/** A new tempo or meter at a typed place; what is typed says which: 96, or 6/8. */
function AddEvent() {
  const base = timebaseOf(useSession((s) => s.doc));
  const [place, setPlace] = useState<string | null>(null);
  const [value, setValue] = useState("");
  const here = useView((v) => formatPosition(v.playhead, "bars", base));
  const add = (): void => {
    const { tempo, meter } = session().doc.piece;
    typed(place ?? here, view().playhead, (sample) => {
      let done = false;
      if (value.includes("/")) {
        const read = meterFrom(value);
        done = read !== null && settled(barNear(sample), meter, (tick) => setMeter([...meter, { tick, ...read }]));
      } else {
        const bpm = bpmFrom(value);
        done = bpm !== null && settled(base.tempo.sampleToTick(sample), tempo, (tick) => setTempo([...tempo, { tick, bpm }]));
      }
      if (!done) return;
      setPlace(null);
      setValue("");
    });
  };
  const box = "h-8 min-w-0 rounded-md border border-line bg-raised px-2.5 num outline-none focus:border-ink-2";
  return (
    <form
      className="mt-2 flex items-center gap-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        add();
      }}
      // Back to the timeline, whose keys these are no longer typed to.
      onKeyDown={(e) => e.key === "Escape" && (e.target as HTMLElement).blur()}
    >
      <input
        id="new-tempo"
        aria-label="Place of a new tempo or meter"
        className={`${box} w-0 flex-1`}
        value={place ?? ""}
        placeholder={here}
        title="In any unit: 17.1, 1:02.5, +2 bars. Left empty it is the playhead."
        onChange={(e) => setPlace(e.target.value || null)}
      />
      <input
        aria-label="New tempo or meter"
        className={`${box} w-[100px]`}
        value={value}
        placeholder="96 or 6/8"
        onChange={(e) => setValue(e.target.value)}
      />
      <Button type="submit" disabled={value.trim() === ""}>
        Add
      </Button>
    </form>
  );
}
