"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import type { Processor } from "@wet-thread/core/model/recipe/treatment";
import type { Clip } from "@wet-thread/core/model/schema";
import { noteTicks, parseStep } from "@wet-thread/core/time/grid-step";
import { TICKS_PER_QUARTER } from "@wet-thread/core/time/tempo";
import clsx from "clsx";
import { ChevronDown, ChevronUp, GripVertical, X } from "lucide-react";
import type { PointerEvent as ReactPointerEvent } from "react";
import { freshProcessor } from "@/commands/edit/treat";
import { session } from "@/state/sync/session";
import { Field } from "@/ui/controls";
import { Dial } from "@/ui/dial";
import { numberFrom } from "../parts";
import { LevelCurve } from "./curves";
import { EVEN_FROM, KNOBS, type Knob, NAMES, numberOf, shown, summary } from "./knobs";

/** A note value that was typed, such as 1/8 or 1/8 dotted, in milliseconds at the tempo where a clip lies; anything else as it is. */
function noteMs(text: string, clip: Clip): string {
  if (!/^\s*1\//.test(text)) return text;
  try {
    const step = parseStep(text);
    if (step.kind !== "note") return text;
    const { tempo } = timebaseOf(session().doc);
    const quarters = noteTicks(step.division, step.feel) / TICKS_PER_QUARTER;
    return String(Math.round(quarters * (60_000 / tempo.bpmAt(tempo.sampleToTick(clip.start))) * 100) / 100);
  } catch {
    // What is no note is refused as a number is.
    return text;
  }
}

export interface ProcessorRowProps {
  readonly p: Processor;
  /** Its place in the chain, and how many there are. */
  readonly at: number;
  readonly count: number;
  /** The clip at whose tempo notes are read. */
  readonly clip: Clip;
  readonly open: boolean;
  readonly onOpen: () => void;
  readonly onGrip: (e: ReactPointerEvent<HTMLElement>) => void;
  readonly onPlace: (to: number) => void;
  readonly onRemove: () => void;
  readonly onChange: (change: Record<string, unknown>) => void;
  /** A dial is being turned: heard, and not yet laid; null calls it off. */
  readonly onTurn: (key: string, value: number | null) => void;
}

/** A processor of the chain: on or off, its place, and opened its numbers. */
export function ProcessorRow({ p, at, count, clip, open, onOpen, onGrip, onPlace, onRemove, onChange, onTurn }: ProcessorRowProps) {
  return (
    <>
      <div className="flex h-7 items-center gap-1 pr-0.5 pl-0.5 text-sm">
        <span
          title="Drag to another place of the chain"
          data-processor={at}
          className="cursor-ns-resize touch-none text-ink-3 hover:text-ink"
          onPointerDown={onGrip}
          aria-hidden
        >
          <GripVertical size={13} />
        </span>
        <input type="checkbox" checked={p.on} aria-label={`${NAMES[p.kind]} on`} className="accent-ink" onChange={() => onChange({ on: !p.on })} />
        <button
          type="button"
          aria-expanded={open}
          className={clsx("flex min-w-0 flex-1 items-baseline gap-1.5 text-left", !p.on && "text-ink-3")}
          onClick={onOpen}
        >
          <span className="font-medium">{NAMES[p.kind]}</span>
          <span className="num min-w-0 truncate text-ink-2">{summary(p)}</span>
        </button>
        <button
          type="button"
          aria-label={`${NAMES[p.kind]} earlier`}
          className="p-0.5 disabled:opacity-30"
          disabled={at === 0}
          onClick={() => onPlace(at - 1)}
        >
          <ChevronUp size={14} />
        </button>
        <button
          type="button"
          aria-label={`${NAMES[p.kind]} later`}
          className="p-0.5 disabled:opacity-30"
          disabled={at === count - 1}
          onClick={() => onPlace(at + 1)}
        >
          <ChevronDown size={14} />
        </button>
        <button type="button" aria-label={`Remove ${NAMES[p.kind]}`} className="p-0.5" onClick={onRemove}>
          <X size={14} />
        </button>
      </div>
      {open && (
        <div className="grid grid-cols-2 gap-1.5 border-line border-t p-1.5">
          {p.kind === "normalise" &&
            (["peak", "loudness"] as const).map((to) => (
              <button
                key={to}
                type="button"
                aria-pressed={p.to === to}
                className={clsx(
                  "h-7 rounded-sm border border-line bg-raised px-1.5 text-sm hover:border-ink-3 aria-pressed:border-ink-2 aria-pressed:font-semibold",
                )}
                onClick={() => onChange({ to })}
              >
                {to === "peak" ? "To a peak" : "To a loudness"}
              </button>
            ))}
          {KNOBS[p.kind].map((knob) => (
            <KnobField key={knob[0]} p={p} knob={knob} clip={clip} onTurn={(v) => onTurn(knob[0], v)} onSet={(v) => onChange({ [knob[0]]: v })} />
          ))}
          {(p.kind === "gate" || p.kind === "compressor") && <LevelCurve p={p} />}
          {KNOBS[p.kind].length === 0 && <p className="col-span-2 text-ink-2 text-sm">Turns every sample upside down.</p>}
        </div>
      )}
    </>
  );
}

function KnobField({
  p,
  knob,
  clip,
  onTurn,
  onSet,
}: {
  p: Processor;
  knob: Knob;
  clip: Clip;
  onTurn: (value: number | null) => void;
  onSet: (value: number) => void;
}) {
  const [key, label, unit, least, most, part] = knob;
  return (
    <div title={p.kind === "echo" && key === "time" ? "In ms, or as a note: 1/8, 1/8 dotted, 1/8 triplet" : undefined}>
      <div className="mb-0.5 flex items-center justify-between text-ink-2 text-sm">
        {label}
        <Dial
          label={`${NAMES[p.kind]}, dial of ${label.toLowerCase()}`}
          value={numberOf(p, key)}
          text={`${shown(p, knob)} ${unit}`}
          range={{ least, most, even: least > 0 && most / least >= EVEN_FROM }}
          standard={numberOf(freshProcessor(p.kind), key)}
          onTurn={onTurn}
          onSet={onSet}
        />
      </div>
      <Field
        label={`${label} of ${NAMES[p.kind]}`}
        value={shown(p, knob)}
        unit={unit}
        onCommit={(text) => {
          const t = p.kind === "echo" && key === "time" ? noteMs(text, clip) : text;
          const v = numberFrom(t, part ? 100 * least : least, part ? 100 * most : most, `${label.toLowerCase()} in ${unit || "numbers"}`);
          if (v !== null) onSet(part ? v / 100 : v);
        }}
      />
    </div>
  );
}
