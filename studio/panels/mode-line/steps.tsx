import type { GridFamily } from "@wet-thread/core/time/grid";
import { type GridStep, isMusical, parseStep } from "@wet-thread/core/time/grid-step";
import clsx from "clsx";
import { toast } from "@/state/words/toast";

/** Takes a step that a person typed, or says what was not understood. */
export function typedStep(text: string, then: (step: GridStep) => void): void {
  try {
    then(parseStep(text));
  } catch (error) {
    toast.error((error as Error).message);
  }
}

export const familyOf = (step: GridStep): GridFamily => (isMusical(step) ? "musical" : (step.kind as GridFamily));

/** One of several ready values. */
export function Chip({ label, on, onClick }: { label: string; on: boolean; onClick: () => void }) {
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
