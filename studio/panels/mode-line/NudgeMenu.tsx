import { describeStep, type GridStep } from "@wet-thread/core/time/grid-step";
import { Fragment } from "react";
import { type NudgePart, nudge } from "@/commands/edit/nudge";
import { keyOf } from "@/commands/keys";
import { type Settings, setSettings } from "@/state/kept/settings";
import { Field, Key } from "@/ui/controls";
import { Heading } from "./rule-menus";
import { Chip, typedStep } from "./steps";

const NUDGES: readonly GridStep[] = [
  { kind: "sample", count: 1 },
  { kind: "time", milliseconds: 1 },
  { kind: "time", milliseconds: 10 },
  { kind: "time", milliseconds: 100 },
  { kind: "frame", fraction: 1, count: 1 },
  { kind: "frame", fraction: 0.5, count: 1 },
  { kind: "frame", fraction: 0.25, count: 1 },
  { kind: "tick", count: 10 },
  { kind: "note", division: 16, feel: "straight" },
  { kind: "beat", count: 1 },
  { kind: "bar", count: 1 },
];

/** Each part, and what its commands' ids begin with. */
const NUDGE_PARTS: readonly (readonly [NudgePart, string, string])[] = [
  ["all", "What is selected", "nudge"],
  ["start", "Its start", "nudge-start"],
  ["end", "Its end", "nudge-end"],
  ["inside", "The audio inside", "nudge-inside"],
];

/** How far a nudge goes, and buttons that nudge. */
export function NudgeMenu({ set }: { set: Settings }) {
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
        {NUDGE_PARTS.map(([part, name, command]) => (
          <Fragment key={part}>
            <span>{name}</span>
            <button
              type="button"
              aria-label={`${name} earlier`}
              className="num h-7 rounded-md border border-line bg-surface px-2 hover:border-ink-3"
              onClick={() => nudge(-1, part)}
            >
              ‹ {keyOf(`${command}-earlier`)}
            </button>
            <button
              type="button"
              aria-label={`${name} later`}
              className="num h-7 rounded-md border border-line bg-surface px-2 hover:border-ink-3"
              onClick={() => nudge(1, part)}
            >
              {keyOf(`${command}-later`)} ›
            </button>
          </Fragment>
        ))}
      </div>
      <p className="mt-3 text-ink-2 text-sm">
        <Key>{keyOf("nudge-earlier")}</Key> earlier <Key>{keyOf("nudge-later")}</Key> later: the chosen marker or section, else the selected clips,
        else the range, else the playhead.
      </p>
    </div>
  );
}
