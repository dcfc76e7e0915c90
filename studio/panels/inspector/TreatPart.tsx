"use client";
import { biquadOf, responseDb } from "@wet-thread/core/dsp/treat/biquad";
import { reductionDb } from "@wet-thread/core/dsp/treat/dynamics";
import { timebaseOf } from "@wet-thread/core/model/document";
import { PROCESSOR_KINDS, type Processor, type ProcessorKind } from "@wet-thread/core/model/recipe/treatment";
import type { Clip } from "@wet-thread/core/model/schema";
import { noteTicks, parseStep } from "@wet-thread/core/time/grid-step";
import { TICKS_PER_QUARTER } from "@wet-thread/core/time/tempo";
import clsx from "clsx";
import { ChevronDown, ChevronUp, GripVertical, X } from "lucide-react";
import { type PointerEvent as ReactPointerEvent, useRef, useState } from "react";
import { addProcessor, bypass, freshProcessor, layChain, treatmentOff } from "@/commands/edit/treat";
import { keyOf } from "@/commands/keys";
import { setSettings, useSettings } from "@/state/kept/settings";
import { useKept } from "@/state/kept/use-kept";
import { session } from "@/state/sync/session";
import { Button, Field, Popover } from "@/ui/controls";
import { Dial } from "@/ui/dial";
import { followPointer } from "@/ui/pointer-drag";
import { numberFrom } from "./parts";
import { useChain } from "./use-chain";

const NAMES: Readonly<Record<ProcessorKind, string>> = {
  gain: "Gain",
  invert: "Invert",
  normalise: "Normalise",
  lowCut: "Low cut",
  highCut: "High cut",
  lowShelf: "Low shelf",
  highShelf: "High shelf",
  bell: "Bell",
  notch: "Notch",
  gate: "Gate",
  compressor: "Compressor",
  drive: "Drive",
  echo: "Echo",
  room: "Room",
  chorus: "Chorus",
  phaser: "Phaser",
};

/** A number of a processor: its name, unit and bounds; `part` is shown as a percentage. */
type Knob = readonly [key: string, label: string, unit: string, least: number, most: number, part?: true];
const HZ: Knob = ["hz", "Frequency", "Hz", 10, 40_000];
const MIX: Knob = ["mix", "Mix", "%", 0, 1, true];
const RATE: Knob = ["rate", "Rate", "Hz", 0.02, 10];
const KNOBS: Readonly<Record<ProcessorKind, readonly Knob[]>> = {
  gain: [["db", "Gain", "dB", -96, 48]],
  invert: [],
  normalise: [["level", "Level", "dB", -60, 0]],
  lowCut: [HZ, ["q", "Q", "", 0.1, 40]],
  highCut: [HZ, ["q", "Q", "", 0.1, 40]],
  lowShelf: [HZ, ["db", "Gain", "dB", -36, 36], ["s", "Slope", "", 0.1, 1]],
  highShelf: [HZ, ["db", "Gain", "dB", -36, 36], ["s", "Slope", "", 0.1, 1]],
  bell: [HZ, ["db", "Gain", "dB", -36, 36], ["q", "Q", "", 0.1, 40]],
  notch: [HZ, ["q", "Q", "", 0.1, 40]],
  gate: [
    ["threshold", "Threshold", "dB", -96, 0],
    ["floor", "Floor", "dB", -96, 0],
    ["attack", "Attack", "ms", 0.05, 500],
    ["hold", "Hold", "ms", 0, 2000],
    ["release", "Release", "ms", 1, 5000],
    ["ahead", "Look ahead", "ms", 0, 100],
  ],
  compressor: [
    ["threshold", "Threshold", "dB", -60, 0],
    ["ratio", "Ratio", ": 1", 1, 50],
    ["knee", "Knee", "dB", 0, 24],
    ["attack", "Attack", "ms", 0.05, 500],
    ["release", "Release", "ms", 1, 5000],
    ["makeUp", "Make-up", "dB", -24, 36],
  ],
  drive: [["db", "Drive", "dB", 0, 48], MIX],
  echo: [["time", "Time", "ms", 1, 4000], ["feedback", "Feedback", "%", 0, 0.95, true], ["tone", "Tone", "Hz", 10, 40_000], MIX],
  room: [
    ["size", "Size", "%", 0.1, 1, true],
    ["decay", "Decay", "s", 0.1, 15],
    ["tone", "Tone", "Hz", 10, 40_000],
    ["preDelay", "Pre-delay", "ms", 0, 250],
    MIX,
  ],
  chorus: [RATE, ["depth", "Depth", "ms", 0.1, 20], MIX],
  phaser: [RATE, ["depth", "Depth", "%", 0, 1, true], ["feedback", "Feedback", "%", 0, 0.9, true], MIX],
};

const numberOf = (p: Processor, key: string): number => (p as unknown as Record<string, number>)[key];
/** Ranges that span so much are turned through evenly, as frequencies and times are heard. */
const EVEN_FROM = 20;
const shown = (p: Processor, [key, , , , , part]: Knob): string => {
  const v = numberOf(p, key);
  return String(Math.round((part ? 100 * v : v) * 100) / 100);
};

/** What stands beside a processor's name: the figure that tells most. */
function summary(p: Processor): string {
  if (p.kind === "normalise") return `${p.level} ${p.to === "peak" ? "dBFS" : "LUFS"}, ${p.gain >= 0 ? "+" : "−"}${Math.abs(p.gain).toFixed(1)} dB`;
  const [first] = KNOBS[p.kind];
  return first ? `${shown(p, first)} ${first[2]}` : "";
}

const FILTERS: ReadonlySet<ProcessorKind> = new Set(["lowCut", "highCut", "lowShelf", "highShelf", "bell", "notch"]);
const [WIDE, HIGH, MOST_DB] = [246, 74, 18];

/** The curve of all filters together, from 20 Hz to 20 kHz. */
function Curve({ chain, rate }: { chain: readonly Processor[]; rate: number }) {
  const filters = chain.filter((p) => p.on && FILTERS.has(p.kind)).map((p) => biquadOf(p as Parameters<typeof biquadOf>[0], rate));
  if (filters.length === 0) return null;
  const y = (db: number): number => HIGH / 2 - (Math.max(-MOST_DB, Math.min(MOST_DB, db)) / MOST_DB) * (HIGH / 2 - 3);
  const x = (hz: number): number => (Math.log(hz / 20) / Math.log(1000)) * WIDE;
  const points = Array.from({ length: 124 }, (_, i) => {
    const hz = 20 * 1000 ** (i / 123);
    return `${x(hz).toFixed(1)},${y(filters.reduce((sum, f) => sum + responseDb(f, Math.min(hz, 0.49 * rate), rate), 0)).toFixed(1)}`;
  });
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH + 12}`}
      className="mt-2 w-full rounded-sm border border-line bg-cloth"
      role="img"
      aria-label="What the filters let through"
    >
      {[100, 1000, 10_000].map((hz) => (
        <g key={hz}>
          <line x1={x(hz)} x2={x(hz)} y1={0} y2={HIGH} className="stroke-line" />
          <text x={x(hz)} y={HIGH + 9} textAnchor="middle" className="fill-ink-2" fontSize="9">
            {hz < 1000 ? hz : `${hz / 1000}k`}
          </text>
        </g>
      ))}
      <line x1={0} x2={WIDE} y1={HIGH / 2} y2={HIGH / 2} className="stroke-ink-3" strokeDasharray="3 3" />
      <polyline points={points.join(" ")} fill="none" className="stroke-indigo" strokeWidth="1.8" />
    </svg>
  );
}

const [LEVELS, LOWEST] = [96, -72];

/** What a gate or a compressor makes of a level: what comes in runs to the right, what goes out upwards, both in dB below full scale. */
function LevelCurve({ p }: { p: Extract<Processor, { kind: "gate" | "compressor" }> }) {
  const place = (db: number): number => (Math.max(LOWEST, Math.min(0, db)) / -LOWEST + 1) * LEVELS;
  const out = (db: number): number => (p.kind === "gate" ? (db >= p.threshold ? db : db + p.floor) : db - reductionDb(db, p) + p.makeUp);
  const points = Array.from({ length: 145 }, (_, i) => {
    const db = LOWEST + (i * -LOWEST) / 144;
    return `${place(db).toFixed(1)},${(LEVELS - place(out(db))).toFixed(1)}`;
  });
  return (
    <svg
      viewBox={`0 0 ${LEVELS} ${LEVELS}`}
      className="col-span-2 mx-auto size-[110px] rounded-sm border border-line bg-cloth"
      role="img"
      aria-label={`What the ${p.kind} makes of a level`}
    >
      <line x1={0} x2={LEVELS} y1={LEVELS} y2={0} className="stroke-ink-3" strokeDasharray="3 3" />
      <line x1={place(p.threshold)} x2={place(p.threshold)} y1={0} y2={LEVELS} className="stroke-weld" />
      <polyline points={points.join(" ")} fill="none" className="stroke-indigo" strokeWidth="1.8" />
    </svg>
  );
}

interface Preset {
  readonly id: string;
  readonly name: string;
  readonly chain: readonly Processor[];
}

const small = "rounded-sm border border-line bg-raised px-1.5 text-sm hover:border-ink-3 disabled:opacity-45";

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

/** The treatment of the selected clips: what the first one has is shown, and what is changed is laid on all of them. */
export function TreatPart({ clips }: { clips: readonly Clip[] }) {
  const [open, setOpen] = useState<number | null>(null);
  const [adding, setAdding] = useState(false);
  const [name, setName] = useState("");
  const { kept: presets, keep, remove } = useKept<Preset>("presets");
  const equal = useSettings((s) => s.equalLoudness);
  const treated = clips.filter((c) => c.recipe?.treat);
  const laid = treated[0]?.recipe?.treat?.chain ?? [];
  const { chain, lay, change, turn } = useChain(clips, laid);
  const mixed = clips.some((c) => JSON.stringify(strip(c.recipe?.treat?.chain)) !== JSON.stringify(strip(clips[0].recipe?.treat?.chain)));
  const place = (from: number, to: number): void => {
    if (from === to) return;
    const next = [...chain];
    next.splice(to, 0, ...next.splice(from, 1));
    setOpen(null);
    lay(next);
  };
  const list = useRef<HTMLOListElement>(null);
  const [drag, setDrag] = useState<{ readonly from: number; readonly to: number } | null>(null);
  /** Drags a processor to another place of the chain; a line shows where it will go. The rows stay: one that were moved would lose the pointer. */
  const grip = (from: number) => (e: ReactPointerEvent<HTMLElement>) => {
    if (e.button !== 0) return;
    e.preventDefault();
    const rows = [...(list.current?.children ?? [])].map((row) => row.getBoundingClientRect());
    const at = (y: number): number => Math.min(rows.length - 1, rows.filter((r, i) => i !== from && y > r.top + r.height / 2).length);
    followPointer(e.currentTarget, e.pointerId, {
      move: (m) => setDrag({ from, to: at(m.clientY) }),
      drop: (m) => {
        setDrag(null);
        place(from, at(m.clientY));
      },
      cancel: () => setDrag(null),
    });
  };
  return (
    <fieldset className="mt-4 border-line border-t pt-3">
      <legend className="sr-only">Treatment</legend>
      <div className="mb-1.5 flex items-center gap-1.5 text-sm">
        <span className="min-w-0 flex-1 text-ink-2">Treatment{mixed && clips.length > 1 ? ", not the same on all" : ""}</span>
        <button
          type="button"
          className={small}
          disabled={chain.length === 0}
          title={`Hears the bare sound, and again the treated one (${keyOf("treat-bypass")})`}
          onClick={bypass}
        >
          {chain.length > 0 && !chain.some((p) => p.on) ? "Bare" : "By-pass"}
        </button>
        <button type="button" className={small} disabled={treated.length === 0} onClick={treatmentOff}>
          Take off
        </button>
      </div>
      <ol ref={list} className="space-y-1">
        {chain.map((p, i) => (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: a chain is its order; the same processor may be in it twice
            key={i}
            className={clsx(
              "rounded-sm border border-line bg-raised",
              drag?.from === i && "opacity-50",
              drag && drag.from !== i && drag.to === i && (drag.to < drag.from ? "shadow-[0_-3px_0_var(--weld)]" : "shadow-[0_3px_0_var(--weld)]"),
            )}
          >
            <div className="flex h-7 items-center gap-1 pr-0.5 pl-0.5 text-sm">
              <span
                title="Drag to another place of the chain"
                data-processor={i}
                className="cursor-ns-resize touch-none text-ink-3 hover:text-ink"
                onPointerDown={grip(i)}
                aria-hidden
              >
                <GripVertical size={13} />
              </span>
              <input
                type="checkbox"
                checked={p.on}
                aria-label={`${NAMES[p.kind]} on`}
                className="accent-ink"
                onChange={() => change(i, { on: !p.on })}
              />
              <button
                type="button"
                aria-expanded={open === i}
                className={clsx("flex min-w-0 flex-1 items-baseline gap-1.5 text-left", !p.on && "text-ink-3")}
                onClick={() => setOpen(open === i ? null : i)}
              >
                <span className="font-medium">{NAMES[p.kind]}</span>
                <span className="num min-w-0 truncate text-ink-2">{summary(p)}</span>
              </button>
              <button
                type="button"
                aria-label={`${NAMES[p.kind]} earlier`}
                className="p-0.5 disabled:opacity-30"
                disabled={i === 0}
                onClick={() => place(i, i - 1)}
              >
                <ChevronUp size={14} />
              </button>
              <button
                type="button"
                aria-label={`${NAMES[p.kind]} later`}
                className="p-0.5 disabled:opacity-30"
                disabled={i === chain.length - 1}
                onClick={() => place(i, i + 1)}
              >
                <ChevronDown size={14} />
              </button>
              <button
                type="button"
                aria-label={`Remove ${NAMES[p.kind]}`}
                className="p-0.5"
                onClick={() => {
                  setOpen(null);
                  lay(chain.filter((_, k) => k !== i));
                }}
              >
                <X size={14} />
              </button>
            </div>
            {open === i && (
              <div className="grid grid-cols-2 gap-1.5 border-line border-t p-1.5">
                {p.kind === "normalise" &&
                  (["peak", "loudness"] as const).map((to) => (
                    <button
                      key={to}
                      type="button"
                      aria-pressed={p.to === to}
                      className={clsx(small, "h-7 aria-pressed:border-ink-2 aria-pressed:font-semibold")}
                      onClick={() => change(i, { to })}
                    >
                      {to === "peak" ? "To a peak" : "To a loudness"}
                    </button>
                  ))}
                {KNOBS[p.kind].map((knob) => {
                  const [key, label, unit, least, most, part] = knob;
                  return (
                    <div key={key} title={p.kind === "echo" && key === "time" ? "In ms, or as a note: 1/8, 1/8 dotted, 1/8 triplet" : undefined}>
                      <div className="mb-0.5 flex items-center justify-between text-ink-2 text-sm">
                        {label}
                        <Dial
                          label={`${NAMES[p.kind]}, dial of ${label.toLowerCase()}`}
                          value={numberOf(p, key)}
                          text={`${shown(p, knob)} ${unit}`}
                          range={{ least, most, even: least > 0 && most / least >= EVEN_FROM }}
                          standard={numberOf(freshProcessor(p.kind), key)}
                          onTurn={(v) => turn(i, key, v)}
                          onSet={(v) => change(i, { [key]: v })}
                        />
                      </div>
                      <Field
                        label={`${label} of ${NAMES[p.kind]}`}
                        value={shown(p, knob)}
                        unit={unit}
                        onCommit={(text) => {
                          const t = p.kind === "echo" && key === "time" ? noteMs(text, clips[0]) : text;
                          const v = numberFrom(
                            t,
                            part ? 100 * least : least,
                            part ? 100 * most : most,
                            `${label.toLowerCase()} in ${unit || "numbers"}`,
                          );
                          if (v !== null) change(i, { [key]: part ? v / 100 : v });
                        }}
                      />
                    </div>
                  );
                })}
                {(p.kind === "gate" || p.kind === "compressor") && <LevelCurve p={p} />}
                {KNOBS[p.kind].length === 0 && <p className="col-span-2 text-ink-2 text-sm">Turns every sample upside down.</p>}
              </div>
            )}
          </li>
        ))}
      </ol>
      {chain.length > 0 && (
        <label
          className="mt-1.5 flex items-center gap-1.5 text-ink-2 text-sm"
          title="For the ear alone: by-passed, the clip is as loud as it is with its treatment"
        >
          <input type="checkbox" className="accent-ink" checked={equal} onChange={(e) => setSettings({ equalLoudness: e.target.checked })} />
          Compare at equal loudness
        </label>
      )}
      <Curve chain={chain} rate={session().doc.sampleRate} />
      <div className="mt-2 grid grid-cols-2 gap-1.5">
        <Popover open={adding} onOpenChange={setAdding} width={220} trigger={<Button>Add …</Button>}>
          <div className="grid grid-cols-2 gap-1">
            {PROCESSOR_KINDS.map((kind) => (
              <button
                key={kind}
                type="button"
                className="rounded-sm px-2 py-1 text-left hover:bg-weft"
                onClick={() => {
                  setAdding(false);
                  setOpen(chain.length);
                  void addProcessor(kind);
                }}
              >
                {NAMES[kind]}
              </button>
            ))}
          </div>
        </Popover>
        <Popover width={264} align="end" trigger={<Button>Presets …</Button>}>
          {presets === null && <p className="mb-2 text-ink-2">The server has not told yet which ones are kept.</p>}
          {presets?.length === 0 && <p className="mb-2 text-ink-2">Treatments that you keep under a name are here, in every project.</p>}
          <ul className="mb-2 max-h-64 space-y-0.5 overflow-y-auto">
            {presets?.map((p) => (
              <li key={p.id} className="flex items-center gap-1">
                <button
                  type="button"
                  className="min-w-0 flex-1 truncate rounded-sm px-2 py-1 text-left hover:bg-weft"
                  onClick={() => {
                    const at = p.chain.findIndex((q) => q.kind === "normalise");
                    void layChain(clips, p.chain, at < 0 ? null : at, true);
                  }}
                >
                  {p.name}
                </button>
                <button type="button" aria-label={`Forget ${p.name}`} className="p-1 text-ink-2" onClick={() => void remove(p)}>
                  <X size={14} />
                </button>
              </li>
            ))}
          </ul>
          <form
            className="flex gap-1.5"
            onSubmit={(e) => {
              e.preventDefault();
              if (name.trim() && chain.length > 0) void keep({ name: name.trim(), chain }).then((well) => well && setName(""));
            }}
          >
            <input
              aria-label="Name of the preset"
              placeholder="Keep this one as …"
              className="h-8 min-w-0 flex-1 rounded-md border border-line bg-raised px-2 outline-none focus:border-ink-2"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <Button type="submit" disabled={!name.trim() || chain.length === 0}>
              Keep
            </Button>
          </form>
        </Popover>
      </div>
    </fieldset>
  );
}

/** A chain without what was worked out for one clip. */
const strip = (chain: readonly Processor[] | undefined): unknown => chain?.map((p) => (p.kind === "normalise" ? { ...p, gain: 0 } : p)) ?? null;
