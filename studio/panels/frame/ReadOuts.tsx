"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { isWithoutBars } from "@wet-thread/core/model/modes";
import { formatPosition, type PositionUnit, parsePosition } from "@wet-thread/core/time/format";
import type { GridFamily } from "@wet-thread/core/time/grid";
import type { GridStep } from "@wet-thread/core/time/grid-step";
import { useEffect, useRef, useState } from "react";
import { reveal } from "@/commands/edit/actions";
import { transport } from "@/engine/transport";
import { SIXTEENTH, setSettings, settings, useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import { preview, usePreview } from "@/timeline/model/preview";
import { Popover } from "@/ui/controls";
import { Radios } from "@/ui/radios";

const UNITS: readonly (readonly [PositionUnit, string])[] = [
  ["bars", "bars"],
  ["time", "time"],
  ["timecode", "timecode"],
  ["samples", "samples"],
];

/** Where the playhead is, in two units of one's choice, and the tempo and meter there. A click types a position, in any unit. */
export function ReadOuts() {
  const units = useSettings((s) => s.readOuts);
  const without = useSettings(isWithoutBars);
  const tempo = useRef<HTMLSpanElement>(null);
  const texts = [useRef<HTMLButtonElement>(null), useRef<HTMLButtonElement>(null)];
  // biome-ignore lint/correctness/useExhaustiveDependencies: the refs stay the same
  useEffect(() => {
    let due = 0;
    // Written straight into the page, since it changes with every frame.
    const write = (): void => {
      due = 0;
      const { doc } = session().store.getState();
      const base = timebaseOf(doc);
      const at = Math.round(preview().playhead ?? (view().playing ? transport().position() : view().playhead));
      const tick = base.tempo.sampleToTick(at);
      const meter = base.meter.meterAt(tick);
      units.forEach((unit, i) => {
        const node = texts[i].current;
        if (node) node.textContent = formatPosition(at, unit, base);
      });
      if (tempo.current) tempo.current.textContent = `${base.tempo.bpmAt(tick).toFixed(2)}  ${meter.numerator}/${meter.denominator}`;
      if (view().playing) request();
    };
    const request = (): void => {
      if (!due) due = requestAnimationFrame(write);
    };
    const offs = [useView.subscribe(request), usePreview.subscribe(request), session().store.subscribe(request)];
    request();
    return () => {
      for (const off of offs) off();
      cancelAnimationFrame(due);
    };
  }, [units]);
  return (
    <div className="ml-1 flex h-9 items-center gap-1.5 rounded-md border border-line bg-ground px-3">
      <ReadOut index={0} unit={units[0]} text={texts[0]} className="min-w-[92px] font-semibold text-xl" />
      <ReadOut index={1} unit={units[1]} text={texts[1]} className="ml-1 min-w-[76px] text-ink-2 text-lg" />
      <span ref={tempo} hidden={without} className="num ml-1 whitespace-pre text-ink-2 text-sm max-[1180px]:hidden" />
    </div>
  );
}

const FAMILIES: Readonly<Record<PositionUnit, GridFamily>> = { bars: "musical", time: "time", timecode: "frame", samples: "sample" };
const STEPS: Readonly<Record<PositionUnit, GridStep>> = {
  bars: SIXTEENTH,
  time: { kind: "time", milliseconds: 10 },
  timecode: { kind: "frame", fraction: 1, count: 1 },
  samples: { kind: "sample", count: 1 },
};

/** When positions are counted in another unit, the grid and the nudge are offered in it too; they stay what they are until one says so. */
function offerUnit(unit: PositionUnit): void {
  const { family } = settings();
  if (family === FAMILIES[unit]) return;
  const name = UNITS.find(([id]) => id === unit)?.[1] ?? unit;
  toast(`Counted in ${name}.`, {
    id: "unit",
    duration: 8000,
    action: {
      label: `Grid and nudge in ${name} too`,
      onClick: () => setSettings({ family: FAMILIES[unit], step: STEPS[unit], nudge: { kind: "step", step: STEPS[unit] } }),
    },
  });
}

function ReadOut({
  index,
  unit,
  text,
  className,
}: {
  index: 0 | 1;
  unit: PositionUnit;
  text: React.RefObject<HTMLButtonElement | null>;
  className: string;
}) {
  const [typing, setTyping] = useState<string | null>(null);
  const units = useSettings((s) => s.readOuts);
  const asked = useView((v) => v.goingTo) && index === 0;
  const begin = (): void => setTyping(formatPosition(Math.round(view().playhead), unit, timebaseOf(session().doc)));
  // biome-ignore lint/correctness/useExhaustiveDependencies: it begins when it is asked for, where the playhead then is
  useEffect(() => {
    if (!asked) return;
    begin();
    setView({ goingTo: false });
  }, [asked]);
  const name = index === 0 ? "First read-out" : "Second read-out";
  const commit = (): void => {
    if (typing === null) return;
    setTyping(null);
    try {
      const at = parsePosition(typing, unit, timebaseOf(session().doc), Math.round(view().playhead));
      placePlayhead(at);
      reveal(at);
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  return (
    <>
      {/* It stays in the page while it is typed in: what it shows is written from outside. */}
      <button
        ref={text}
        type="button"
        aria-label={typing === null ? name : undefined}
        data-testid={`read-out-${index}`}
        className={`num text-left ${className} ${typing === null ? "" : "hidden"}`}
        onClick={begin}
      />
      {typing !== null && (
        <input
          // biome-ignore lint/a11y/noAutofocus: a click on the read-out asked for it
          autoFocus
          aria-label={name}
          className={`num w-[110px] rounded-sm bg-raised ${className}`}
          value={typing}
          onFocus={(e) => e.target.select()}
          onChange={(e) => setTyping(e.target.value)}
          onBlur={() => setTyping(null)}
          onKeyDown={(e) => {
            if (e.key === "Enter") commit();
            if (e.key === "Escape") setTyping(null);
          }}
        />
      )}
      <Popover
        width={150}
        trigger={
          <button type="button" aria-label={`Unit of the ${name.toLowerCase()}`} className="rounded-sm px-1 text-ink-3 text-xs hover:bg-weft">
            {unit}
          </button>
        }
      >
        <Radios
          label={`Unit of the ${name.toLowerCase()}`}
          className="flex flex-col"
          value={unit}
          onChange={(id) => {
            setSettings({ readOuts: index === 0 ? [id, units[1]] : [units[0], id] });
            if (index === 0) offerUnit(id);
          }}
          options={UNITS.map(([id, label]) => ({
            id,
            className: "rounded-sm px-2 py-1 text-left hover:bg-weft aria-checked:font-semibold",
            children: label,
          }))}
        />
      </Popover>
    </>
  );
}
