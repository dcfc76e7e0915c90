"use client";
import { curveGain } from "@wet-thread/core/dsp/fades";
import { FADE_SHAPES, type FadeShape } from "@wet-thread/core/model/schema";
import { describeStep, type GridFamily, type GridStep, isMusical, NOTE_DIVISIONS, type NoteFeel } from "@wet-thread/core/time/grid";
import { parseStep } from "@wet-thread/core/time/parse-step";
import clsx from "clsx";
import { ChevronDown } from "lucide-react";
import { Fragment, useRef } from "react";
import { toast } from "sonner";
import { type NudgePart, nudge } from "@/commands/actions";
import { TAP_MS } from "@/commands/commands";
import { session, useSession } from "@/state/session";
import { type Settings, setSettings, type Target, useSettings } from "@/state/settings";
import { setView, useView } from "@/state/view";
import { gridName } from "@/timeline/describe";
import { viewGrid } from "@/timeline/grid-columns";
import { Field, Key, Picture, Popover, Segments, Slider } from "@/ui/controls";
import { lengthFrom } from "./inspector/parts";
import { cloth, Heading, line, NEIGHBOUR_WORDS, NeighbourMenu, OVERLAP_WORDS, OverlapMenu, REACH_WORDS } from "./mode-menus";

const TARGETS: readonly (readonly [Target, string])[] = [
  ["grid", "Grid"],
  ["edge", "Clip edges"],
  ["playhead", "Playhead"],
  ["marker", "Markers"],
  ["range", "Range edges"],
  ["transient", "Hits"],
  ["zero", "Zero crossings"],
];

/** The targets in words; more than two are counted, so that the sentence stays one line. */
function targetWords(targets: readonly Target[]): string {
  const names = TARGETS.filter(([t]) => targets.includes(t)).map(([, n]) => n.toLowerCase());
  return names.length === 0 ? "nothing" : names.length <= 2 ? names.join(", ") : `${names[0]} and ${names.length - 1} more`;
}

/** One sentence that says what the next drag will do; its underlined words are the settings. */
export function ModeLine() {
  const set = useSettings();
  const held = useView((v) => v.gridHeld);
  const lent = useView((v) => v.lent);
  const neighbours = lent.neighbours ?? set.neighbours;
  const pressedAt = useRef(0);
  const inForce = set.snapOn !== held;
  return (
    <section
      aria-label="Mode line"
      className="flex items-center gap-2 overflow-hidden whitespace-nowrap border-line border-t bg-ground px-3.5 text-[13.5px] text-ink-2 max-[1100px]:gap-1.5 max-[1100px]:px-2 max-[1100px]:text-[12.5px]"
      data-testid="mode-line"
    >
      <span>Neighbours</span>
      <Popover width={430} trigger={<Word dye="indigo" lit={lent.neighbours !== undefined} text={NEIGHBOUR_WORDS[neighbours]} />}>
        <NeighbourMenu set={set} />
      </Popover>
      {neighbours === "ripple" && (
        <>
          <span className="max-[1500px]:hidden">on</span>
          <Popover width={430} trigger={<Word dye="indigo" text={REACH_WORDS[set.reach]} />}>
            <NeighbourMenu set={set} />
          </Popover>
        </>
      )}
      <span className="max-[1500px]:hidden">and</span>
      <span>overlaps</span>
      <Popover trigger={<Word dye="cochineal" lit={lent.overlaps !== undefined} text={OVERLAP_WORDS[lent.overlaps ?? set.overlaps]} />}>
        <OverlapMenu set={set} />
      </Popover>
      {!set.linksOn && (
        <button
          type="button"
          title="Links between tracks are suspended: edits are made on one track only. Click to resume; nothing moves."
          onClick={() => setSettings({ linksOn: true })}
          className="rounded-sm bg-weld/25 px-1.5 font-semibold text-ink"
        >
          links suspended
        </button>
      )}
      <Bar />
      <button
        type="button"
        role="switch"
        aria-checked={set.snapOn}
        aria-label="Snap"
        title="Tap to turn snapping on or off; hold it, with another finger on the timeline, to leave the grid for one move"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          pressedAt.current = performance.now();
          setView({ gridHeld: true });
        }}
        onPointerUp={() => setView({ gridHeld: false })}
        onPointerCancel={() => setView({ gridHeld: false })}
        onClick={(e) => {
          // A long hold only lent; the keyboard clicks without a press.
          if (e.detail === 0 || performance.now() - pressedAt.current < TAP_MS) setSettings({ snapOn: !set.snapOn });
        }}
        className={clsx(
          "relative h-[17px] w-[30px] shrink-0 rounded-full transition-colors",
          inForce ? "bg-indigo" : "bg-ink-3/50",
          held && "ring-2 ring-weld",
        )}
      >
        <span className={clsx("absolute top-[2.5px] size-3 rounded-full bg-raised transition-all", inForce ? "left-[15.5px]" : "left-[2.5px]")} />
      </button>
      {held ? (
        <span className="rounded-sm bg-weld/25 px-1.5 font-semibold text-ink">Snap is {inForce ? "on" : "off"} while you hold G</span>
      ) : (
        <span className={inForce ? "" : "text-ink-3"}>{inForce ? "Snap to" : "Snap is off; it would go to"}</span>
      )}
      <Popover trigger={<Word dye="weld" lit={held} text={targetWords(set.targets)} />}>
        <SnapMenu set={set} />
      </Popover>
      <Popover trigger={<Word dye="weld" lit={held} text={set.placing === "line" ? "on the line" : "keeping offset"} />}>
        <SnapMenu set={set} />
      </Popover>
      <span className="max-[1500px]:hidden">on a</span>
      <Popover width={420} trigger={<GridWord set={set} lit={held} />}>
        <GridMenu set={set} />
      </Popover>
      <span className="max-[1500px]:hidden">that</span>
      <Popover width={420} trigger={<Word dye="fern" text={set.followsZoom ? "follows zoom" : "stays fixed"} />}>
        <GridMenu set={set} />
      </Popover>
      <Bar />
      <span>Nudge by</span>
      <Popover width={320} trigger={<Word dye="walnut" text={set.nudge.kind === "grid" ? "one grid step" : describeStep(set.nudge.step)} />}>
        <NudgeMenu set={set} />
      </Popover>
      <Bar />
      <span>New edges</span>
      <Popover width={360} trigger={<Word dye="madder" text={set.edgeFadeMs > 0 ? `fade ${set.edgeFadeMs} ms` : "stay bare"} />}>
        <EdgeMenu set={set} />
      </Popover>
    </section>
  );
}

const Bar = () => <span className="mx-2 h-4 w-px shrink-0 bg-line max-[1100px]:mx-0" />;

function Word({ text, dye, lit, ...rest }: { text: string; dye: string; lit?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      className={clsx("flex items-center gap-0.5 border-b-2 pb-px font-semibold text-ink hover:bg-weft", lit && "bg-weld/25")}
      style={{ borderColor: `var(--${dye})` }}
    >
      {text}
      <ChevronDown size={12} className="text-ink-3 max-[1100px]:hidden" aria-hidden />
    </button>
  );
}

function GridWord({ set, lit, ...rest }: { set: Settings; lit: boolean }) {
  const doc = useSession((s) => s.doc);
  const spp = useView((v) => v.samplesPerPixel);
  const start = useView((v) => v.start);
  const { step, thinned } = viewGrid(doc, set, start, spp);
  return <Word {...rest} dye="fern" lit={lit} text={`${gridName(step)} grid${thinned && set.showGrid ? ", lines thinned" : ""}`} />;
}

function SnapMenu({ set }: { set: Settings }) {
  const toggle = (t: Target): void => setSettings({ targets: set.targets.includes(t) ? set.targets.filter((x) => x !== t) : [...set.targets, t] });
  return (
    <div>
      <Heading side="any number of these">Snap to</Heading>
      <div className="grid grid-cols-3 gap-2">
        <Picture label="Grid" on={set.targets.includes("grid")} onClick={() => toggle("grid")}>
          {[20, 46, 72].map((x) => line(x))}
          {cloth(46)}
        </Picture>
        <Picture label="Clip edges" on={set.targets.includes("edge")} onClick={() => toggle("edge")}>
          {cloth(16, 30, "var(--cochineal)")}
          {cloth(47, 30)}
        </Picture>
        <Picture label="Playhead" on={set.targets.includes("playhead")} onClick={() => toggle("playhead")}>
          {line(42, "var(--madder)")}
          {cloth(42, 30)}
        </Picture>
        <Picture label="Markers" on={set.targets.includes("marker")} onClick={() => toggle("marker")}>
          <path d="M42 2h9l-3 3 3 3h-9z" fill="var(--weld)" />
          {line(42, "var(--weld)")}
          {cloth(42, 30)}
        </Picture>
        <Picture label="Range edges" on={set.targets.includes("range")} onClick={() => toggle("range")}>
          <rect x="10" y="4" width="32" height="20" fill="var(--weld)" fillOpacity="0.2" stroke="var(--weld)" strokeDasharray="3 2" />
          {cloth(42, 30)}
        </Picture>
        <Picture label="Zero crossings" on={set.targets.includes("zero")} onClick={() => toggle("zero")}>
          <path d="M8 14H88" stroke="var(--line)" />
          <path d="M8 14c8-14 16-14 24 0s16 14 24 0 16-14 24 0" fill="none" stroke="var(--fern)" strokeWidth="1.4" />
          {line(56, "var(--madder)")}
        </Picture>
        <Picture label="Hits" on={set.targets.includes("transient")} onClick={() => toggle("transient")}>
          <path d="M8 15H42l3-11 4 19 3-8h36" fill="none" stroke="var(--woad)" strokeWidth="1.4" />
          {line(42, "var(--line)")}
        </Picture>
      </div>
      <Heading>Where on the grid</Heading>
      <div className="grid grid-cols-2 gap-2">
        <Picture label="On the line" on={set.placing === "line"} onClick={() => setSettings({ placing: "line" })}>
          {line(24)}
          {line(60)}
          {cloth(29, 22, "var(--ink-3)", 0.06)}
          {cloth(60, 22)}
        </Picture>
        <Picture label="Keeping offset" on={set.placing === "offset"} onClick={() => setSettings({ placing: "offset" })}>
          {line(24)}
          {line(60)}
          {cloth(29, 22, "var(--ink-3)", 0.06)}
          {cloth(65, 22)}
        </Picture>
      </div>
      <Heading>Pull</Heading>
      <Segments
        label="Pull"
        value={set.pull}
        onChange={(pull) => setSettings({ pull })}
        options={[
          ["always", "Always land on the grid"],
          ["near", "Only when near (8 px)"],
        ]}
      />
      <p className="mt-3 text-ink-2 text-sm">
        Tap <Key>G</Key> to turn snapping on or off, hold it to leave the grid for one move.
      </p>
    </div>
  );
}

const FAMILIES: readonly (readonly [GridFamily, string])[] = [
  ["musical", "Bars"],
  ["time", "Seconds"],
  ["frame", "Frames"],
  ["sample", "Samples"],
];
const TIMES = [10_000, 1000, 100, 10, 1];

function GridMenu({ set }: { set: Settings }) {
  const pin = (step: GridStep): void => setSettings({ step, followsZoom: false });
  const on = (step: GridStep): boolean => !set.followsZoom && JSON.stringify(step) === JSON.stringify(set.step);
  const feel: NoteFeel = set.step.kind === "note" ? set.step.feel : "straight";
  return (
    <div>
      <Heading>Grid</Heading>
      <div className="grid grid-cols-2 gap-2">
        <Picture label="Follows zoom" on={set.followsZoom} onClick={() => setSettings({ followsZoom: true })}>
          {[8, 28, 48, 58, 68, 73, 78, 83, 88].map((x) => line(x))}
        </Picture>
        <Picture label="Stays fixed" on={!set.followsZoom} onClick={() => setSettings({ followsZoom: false })}>
          {[8, 28, 48, 68, 88].map((x) => line(x))}
        </Picture>
      </div>
      <Heading>Counted in</Heading>
      <Segments
        label="Counted in"
        value={set.family}
        onChange={(family) =>
          setSettings({
            family,
            step: {
              musical: { kind: "note", division: 16, feel: "straight" },
              time: { kind: "time", milliseconds: 100 },
              frame: { kind: "frame", fraction: 1, count: 1 },
              sample: { kind: "sample", count: 100 },
            }[family] as GridStep,
          })
        }
        options={FAMILIES}
      />
      <Heading>Fixed step</Heading>
      <div className="flex flex-wrap gap-1.5">
        {set.family === "musical" && (
          <>
            <Chip label="Bar" on={on({ kind: "bar", count: 1 })} onClick={() => pin({ kind: "bar", count: 1 })} />
            <Chip label="Beat" on={on({ kind: "beat", count: 1 })} onClick={() => pin({ kind: "beat", count: 1 })} />
            {NOTE_DIVISIONS.map((division) => (
              <Chip
                key={division}
                label={`1/${division}`}
                on={on({ kind: "note", division, feel })}
                onClick={() => pin({ kind: "note", division, feel })}
              />
            ))}
          </>
        )}
        {set.family === "time" &&
          TIMES.map((milliseconds) => (
            <Chip
              key={milliseconds}
              label={describeStep({ kind: "time", milliseconds })}
              on={on({ kind: "time", milliseconds })}
              onClick={() => pin({ kind: "time", milliseconds })}
            />
          ))}
        {set.family === "frame" &&
          ([1, 0.5, 0.25] as const).map((fraction) => (
            <Chip
              key={fraction}
              label={describeStep({ kind: "frame", fraction, count: 1 })}
              on={on({ kind: "frame", fraction, count: 1 })}
              onClick={() => pin({ kind: "frame", fraction, count: 1 })}
            />
          ))}
        {set.family === "sample" &&
          [1000, 100, 10, 1].map((count) => (
            <Chip
              key={count}
              label={describeStep({ kind: "sample", count })}
              on={on({ kind: "sample", count })}
              onClick={() => pin({ kind: "sample", count })}
            />
          ))}
      </div>
      {set.family === "musical" && (
        <div className="mt-2">
          <Segments
            label="Feel"
            value={feel}
            onChange={(f) => pin({ kind: "note", division: set.step.kind === "note" ? set.step.division : 16, feel: f })}
            options={[
              ["straight", "Straight"],
              ["dotted", "Dotted"],
              ["triplet", "Triplet"],
            ]}
          />
        </div>
      )}
      <div className="mt-2 grid grid-cols-2 gap-2">
        <div>
          <span className="mb-1 block text-ink-2 text-sm">Any step</span>
          <Field
            label="Any step"
            value={describeStep(set.step)}
            onCommit={(t) => typedStep(t, (step) => setSettings({ step, followsZoom: false, family: familyOf(step) }))}
          />
        </div>
        <div>
          <span className="mb-1 block text-ink-2 text-sm">Finest when it follows zoom</span>
          <Field
            label="Finest step"
            value={set.finest ? describeStep(set.finest) : "none"}
            onCommit={(t) =>
              /^(none|)$/i.test(t.trim()) ? setSettings({ finest: null }) : typedStep(t, (finest) => setSettings({ finest, followsZoom: true }))
            }
          />
        </div>
      </div>
      <Heading>Lines</Heading>
      <Segments
        label="Lines"
        value={set.showGrid ? "shown" : "hidden"}
        onChange={(v) => setSettings({ showGrid: v === "shown" })}
        options={[
          ["shown", "Shown"],
          ["hidden", "Hidden"],
        ]}
      />
      <div className="mt-2.5 flex items-center gap-3">
        <span className="text-ink-2 text-sm">Strength</span>
        <Slider
          className="flex-1"
          label="Strength of grid lines"
          min={0.2}
          max={2}
          step={0.1}
          value={set.gridStrength}
          onCommit={(gridStrength) => setSettings({ gridStrength })}
        />
        <div className="flex gap-1" role="radiogroup" aria-label="Colour of grid lines">
          {([null, "indigo", "walnut", "fern", "cochineal"] as const).map((dye) => (
            // biome-ignore lint/a11y/useSemanticElements: swatches
            <button
              key={dye ?? "plain"}
              type="button"
              role="radio"
              aria-checked={set.gridDye === dye}
              aria-label={dye ?? "plain"}
              onClick={() => setSettings({ gridDye: dye })}
              className="size-5 rounded-full border-2 border-transparent aria-checked:border-ink"
              style={{ background: `var(--${dye ?? "line"})` }}
            />
          ))}
        </div>
      </div>
    </div>
  );
}

/** Takes a step that a person typed, or says what was not understood. */
function typedStep(text: string, then: (step: GridStep) => void): void {
  try {
    then(parseStep(text));
  } catch (error) {
    toast.error((error as Error).message);
  }
}

const familyOf = (step: GridStep): GridFamily => (isMusical(step) ? "musical" : (step.kind as GridFamily));

function Chip({ label, on, onClick }: { label: string; on: boolean; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={clsx(
        "num h-7 min-w-11 rounded-md border px-2 text-sm",
        on ? "border-ink bg-ink font-semibold text-raised" : "border-line bg-surface hover:border-ink-3",
      )}
    >
      {label}
    </button>
  );
}

const NUDGES: readonly GridStep[] = [
  { kind: "sample", count: 1 },
  { kind: "time", milliseconds: 1 },
  { kind: "time", milliseconds: 10 },
  { kind: "time", milliseconds: 100 },
  { kind: "frame", fraction: 1, count: 1 },
  { kind: "tick", count: 10 },
  { kind: "note", division: 16, feel: "straight" },
  { kind: "beat", count: 1 },
  { kind: "bar", count: 1 },
];

const NUDGE_PARTS: readonly (readonly [NudgePart, string, string, string])[] = [
  ["all", "What is selected", ",", "."],
  ["start", "Its start", "[", "]"],
  ["end", "Its end", "{", "}"],
  ["inside", "The audio inside", "<", ">"],
];

function NudgeMenu({ set }: { set: Settings }) {
  return (
    <div>
      <Heading>Nudge by</Heading>
      <div className="flex flex-wrap gap-1.5">
        {NUDGES.map((step) => (
          <Chip
            key={describeStep(step)}
            label={describeStep(step)}
            on={set.nudge.kind === "step" && JSON.stringify(set.nudge.step) === JSON.stringify(step)}
            onClick={() => setSettings({ nudge: { kind: "step", step } })}
          />
        ))}
        <Chip label="one grid step" on={set.nudge.kind === "grid"} onClick={() => setSettings({ nudge: { kind: "grid" } })} />
      </div>
      <div className="mt-2">
        <span className="mb-1 block text-ink-2 text-sm">Any value</span>
        <Field
          label="Any value"
          value={set.nudge.kind === "grid" ? "one grid step" : describeStep(set.nudge.step)}
          onCommit={(t) => typedStep(t, (step) => setSettings({ nudge: { kind: "step", step } }))}
        />
      </div>
      <Heading>Nudge</Heading>
      <div className="grid grid-cols-[1fr_auto_auto] items-center gap-x-2 gap-y-1">
        {NUDGE_PARTS.map(([part, name, earlier, later]) => (
          <Fragment key={part}>
            <span>{name}</span>
            <button
              type="button"
              aria-label={`${name} earlier`}
              className="num h-7 rounded-md border border-line bg-surface px-2 hover:border-ink-3"
              onClick={() => nudge(-1, part)}
            >
              ‹ {earlier}
            </button>
            <button
              type="button"
              aria-label={`${name} later`}
              className="num h-7 rounded-md border border-line bg-surface px-2 hover:border-ink-3"
              onClick={() => nudge(1, part)}
            >
              {later} ›
            </button>
          </Fragment>
        ))}
      </div>
      <p className="mt-3 text-ink-2 text-sm">
        <Key>,</Key> earlier <Key>.</Key> later: the chosen marker, else the selected clips, else the range, else the playhead.
      </p>
    </div>
  );
}

/** A rising curve as a small drawing. */
export function CurvePath({ shape, bend = 0 }: { shape: FadeShape; bend?: number }) {
  const points = Array.from({ length: 25 }, (_, i) => `${(i / 24) * 28 + 3},${21 - curveGain(shape, bend, i / 24) * 17}`);
  return <polyline points={points.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.8" strokeLinecap="round" />;
}

export const SHAPE_NAMES: Readonly<Record<FadeShape, string>> = {
  straight: "Straight",
  power: "Equal power",
  s: "S",
  slow: "Slow start",
  fast: "Fast start",
};

export function Shapes({ value, bend, onChange }: { value: FadeShape; bend?: number; onChange: (shape: FadeShape) => void }) {
  return (
    <div role="radiogroup" aria-label="Shape" className="flex gap-1.5">
      {FADE_SHAPES.map((shape) => (
        // biome-ignore lint/a11y/useSemanticElements: a row of pictures reads better here than radio inputs
        <button
          key={shape}
          type="button"
          role="radio"
          aria-checked={shape === value}
          aria-label={SHAPE_NAMES[shape]}
          title={SHAPE_NAMES[shape]}
          onClick={() => onChange(shape)}
          className={clsx(
            "grid h-8 flex-1 place-items-center rounded-md border bg-raised",
            shape === value ? "border-ink ring-1 ring-ink" : "border-line text-ink-2 hover:border-ink-3",
          )}
        >
          <svg viewBox="0 0 34 24" className="h-6" aria-hidden>
            <CurvePath shape={shape} bend={shape === value ? bend : 0} />
          </svg>
        </button>
      ))}
    </div>
  );
}

function EdgeMenu({ set }: { set: Settings }) {
  return (
    <div>
      <Heading side="none where the audio runs on">Fade for every new edge</Heading>
      <div className="flex flex-wrap gap-1.5">
        {[0, 1, 2, 4, 8, 12, 20, 50].map((ms) => (
          <Chip key={ms} label={ms === 0 ? "none" : `${ms} ms`} on={set.edgeFadeMs === ms} onClick={() => setSettings({ edgeFadeMs: ms })} />
        ))}
      </div>
      <div className="mt-2">
        <Field
          label="Length of edge fades"
          value={String(set.edgeFadeMs)}
          unit="ms"
          onCommit={(t) => {
            const samples = lengthFrom(t);
            if (samples !== null) setSettings({ edgeFadeMs: Math.round((samples * 1e6) / session().doc.sampleRate) / 1000 });
          }}
        />
      </div>
      <Heading side={SHAPE_NAMES[set.edgeFadeShape]}>Shape</Heading>
      <Shapes value={set.edgeFadeShape} bend={set.edgeFadeBend} onChange={(edgeFadeShape) => setSettings({ edgeFadeShape })} />
      <Heading side={set.edgeFadeBend === 0 ? "none" : set.edgeFadeBend.toFixed(2)}>Bend</Heading>
      <Slider label="Bend" min={-1} max={1} step={0.05} value={set.edgeFadeBend} onCommit={(edgeFadeBend) => setSettings({ edgeFadeBend })} />
      <Heading side="used by I, O and here">Kept fades</Heading>
      <div className="flex flex-wrap gap-1.5">
        {set.fadePresets.map((p) => (
          <span key={p.name} className="flex">
            <Chip
              label={p.name}
              on={set.edgeFadeMs === p.ms && set.edgeFadeShape === p.shape && set.edgeFadeBend === p.bend}
              onClick={() => setSettings({ edgeFadeMs: p.ms, edgeFadeShape: p.shape, edgeFadeBend: p.bend })}
            />
            <button
              type="button"
              aria-label={`Forget ${p.name}`}
              className="-ml-1 rounded-sm px-1 text-ink-3 hover:text-madder"
              onClick={() => setSettings({ fadePresets: set.fadePresets.filter((x) => x !== p) })}
            >
              ×
            </button>
          </span>
        ))}
        <Chip
          label="Keep this fade"
          on={false}
          onClick={() => {
            const name = `${set.edgeFadeMs} ms ${SHAPE_NAMES[set.edgeFadeShape].toLowerCase()}${set.edgeFadeBend ? ` ${set.edgeFadeBend.toFixed(2)}` : ""}`;
            if (set.edgeFadeMs > 0 && !set.fadePresets.some((p) => p.name === name))
              setSettings({ fadePresets: [...set.fadePresets, { name, ms: set.edgeFadeMs, shape: set.edgeFadeShape, bend: set.edgeFadeBend }] });
          }}
        />
      </div>
    </div>
  );
}
