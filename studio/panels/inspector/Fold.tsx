"use client";
import { ChevronRight } from "lucide-react";
import { type ReactNode, useId } from "react";
import { setSettings, useSettings } from "@/state/kept/settings";

/**
 * A part of the page that folds. Folded, its line says what is set. What is set is open, and what is not is folded, until somebody opens
 * or folds it by hand: that stays, for every clip.
 */
export function Fold({ name, says, set, beside, children }: { name: string; says: string; set: boolean; beside?: ReactNode; children: ReactNode }) {
  const byHand = useSettings((s) => s.folds[name]);
  const open = byHand ?? set;
  const id = useId();
  return (
    <section aria-label={name} className="mt-3 border-line border-t pt-1.5">
      <div className="flex min-h-7 items-center gap-1.5">
        <button
          type="button"
          aria-expanded={open}
          aria-controls={id}
          className="group flex min-w-0 flex-1 items-center gap-1 py-1 text-left"
          onClick={() => setSettings({ folds: { ...useSettings.getState().folds, [name]: !open } })}
        >
          <ChevronRight size={13} aria-hidden className="shrink-0 text-ink-3 transition-transform group-aria-expanded:rotate-90" />
          <span className="shrink-0 font-semibold">{name}</span>
          {!open && <span className="num min-w-0 flex-1 truncate text-right text-ink-2 text-sm">{says}</span>}
        </button>
        {open && beside}
      </div>
      <div id={id} hidden={!open} className="-mt-1.5">
        {open && children}
      </div>
    </section>
  );
}
