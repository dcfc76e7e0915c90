import type { GridFamily } from "@wet-thread/core/time/grid";
import { describeStep, type GridStep, NOTE_DIVISIONS, type NoteFeel } from "@wet-thread/core/time/grid-step";
import { gridStepOf } from "@/commands/view/rulers";
import { type Settings, setSettings } from "@/state/kept/settings";
import { Field, Picture, Segments, Slider } from "@/ui/controls";
import { Radios } from "@/ui/radios";
import { Heading, line } from "./rule-menus";
import { Chip, familyOf, typedStep } from "./steps";

const FAMILIES: readonly (readonly [GridFamily, string])[] = [
  ["musical", "Bars"],
  ["time", "Seconds"],
  ["frame", "Frames"],
  ["sample", "Samples"],
];
/** Lines of no dye. */
const PLAIN = "plain";
/** Parts of a beat that notes don't give; any other number is typed: beat in 11. */
const PARTS = [5, 7];
const TIMES = [10_000, 1000, 100, 10, 1];

/** Which lines there are, and which of them count. */
export function GridMenu({ set }: { set: Settings }) {
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
      <Segments label="Counted in" value={set.family} onChange={(family) => setSettings({ family, step: gridStepOf(family) })} options={FAMILIES} />
      <Heading>Fixed step</Heading>
      <div className="flex flex-wrap gap-1.5">
        {set.family === "musical" && (
          <>
            <Chip label="Bar" on={on({ kind: "bar", count: 1 })} onClick={() => pin({ kind: "bar", count: 1 })} />
            <Chip label="Beat" on={on({ kind: "beat", count: 1 })} onClick={() => pin({ kind: "beat", count: 1 })} />
            {PARTS.map((parts) => (
              <Chip key={`in ${parts}`} label={`Beat in ${parts}`} on={on({ kind: "part", parts })} onClick={() => pin({ kind: "part", parts })} />
            ))}
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
        <Radios
          label="Colour of grid lines"
          className="flex gap-1"
          value={set.gridDye ?? PLAIN}
          onChange={(dye) => setSettings({ gridDye: dye === PLAIN ? null : dye })}
          options={([PLAIN, "indigo", "walnut", "fern", "cochineal"] as const).map((dye) => ({
            id: dye,
            label: dye,
            className: "size-5 rounded-full border-2 border-transparent aria-checked:border-ink",
            style: { background: `var(--${dye === PLAIN ? "line" : dye})` },
          }))}
        />
      </div>
    </div>
  );
}
