import type { GridFamily } from "@wet-thread/core/time/grid";
import type { GridStep } from "@wet-thread/core/time/grid-step";
import { RULERS, type Ruler, setSettings, settings } from "@/state/kept/settings";
import { toast } from "@/state/words/toast";

/** What a ruler counts in, as the grid's families have it; a ruler of marks counts in nothing. */
const FAMILIES: Readonly<Partial<Record<Ruler, GridFamily>>> = { bars: "musical", time: "time", timecode: "frame", samples: "sample" };
const COUNTED: Readonly<Record<GridFamily, string>> = { musical: "bars and beats", time: "seconds", frame: "frames", sample: "samples" };
/** What the grid and a nudge are at first where they are counted so. */
const STEPS: Readonly<Record<GridFamily, { readonly grid: GridStep; readonly nudge: GridStep }>> = {
  musical: { grid: { kind: "note", division: 16, feel: "straight" }, nudge: { kind: "note", division: 16, feel: "straight" } },
  time: { grid: { kind: "time", milliseconds: 100 }, nudge: { kind: "time", milliseconds: 10 } },
  frame: { grid: { kind: "frame", fraction: 1, count: 1 }, nudge: { kind: "frame", fraction: 1, count: 1 } },
  sample: { grid: { kind: "sample", count: 100 }, nudge: { kind: "sample", count: 1 } },
};

export const gridStepOf = (family: GridFamily): GridStep => STEPS[family].grid;

/** Shows a ruler or puts it away; one stays. Where none counts any more as the grid does, grid and nudge may follow. */
export function toggleRuler(ruler: Ruler): void {
  const { rulers, family } = settings();
  const on = rulers.includes(ruler);
  if (on && rulers.length === 1) return void toast("One ruler stays.", { id: "rulers" });
  const next = RULERS.filter((r) => (r === ruler ? !on : rulers.includes(r)));
  setSettings({ rulers: next });
  const counted = next.map((r) => FAMILIES[r]).filter((f) => f !== undefined);
  const meant = FAMILIES[ruler];
  const to = !on && meant ? meant : counted[0];
  if (!meant || !to || to === family || (on && counted.includes(family))) return void toast.dismiss("rulers");
  toast(`The grid counts ${COUNTED[family]}.`, {
    id: "rulers",
    duration: 8000,
    action: {
      label: `Grid and nudge in ${COUNTED[to]}`,
      onClick: () => setSettings({ family: to, step: STEPS[to].grid, nudge: { kind: "step", step: STEPS[to].nudge } }),
    },
  });
}
