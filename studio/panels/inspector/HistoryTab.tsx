"use client";
import clsx from "clsx";
import { session, useSession } from "@/state/session";
import { Empty } from "./parts";

/** Every step by name; a click goes back or forward to just after it. */
export function HistoryTab() {
  const steps = useSession((s) => s.history);
  const unsent = useSession((s) => s.unsent);
  if (steps.length === 0 && unsent.length === 0) return <Empty title="Nothing done yet">Every step you take is listed here by name, and kept.</Empty>;
  const last = steps.findLast((s) => s.state === "done")?.revision ?? 0;
  const go = (revision: number): void => {
    if (revision < last) session().back("undo", revision);
    else if (revision > last) session().back("redo", revision);
  };
  return (
    <ol className="-mx-1.5" aria-label="History, newest first">
      {[...unsent].reverse().map((s) => (
        <li key={s.key} className="flex gap-2 px-2 py-1.5 text-ink-2">
          <span className="min-w-0 flex-1 truncate">{s.name}</span>
          <span className="text-ink-3 text-sm">being saved</span>
        </li>
      ))}
      {[...steps].reverse().map((s) => (
        <li key={s.revision}>
          <button
            type="button"
            onClick={() => go(s.revision)}
            aria-current={s.revision === last ? "step" : undefined}
            className={clsx(
              "flex w-full items-baseline gap-2 rounded-sm px-2 py-1.5 text-left hover:bg-weft",
              s.state === "undone" && "text-ink-2 line-through",
              s.revision === last && "bg-weft font-semibold",
            )}
          >
            <span className="min-w-0 flex-1 truncate">{s.name}</span>
            <span className="num shrink-0 font-normal text-ink-2 text-xs">
              {s.size} {s.size === 1 ? "change" : "changes"} · {new Date(s.at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}
            </span>
          </button>
        </li>
      ))}
      <li>
        <button type="button" onClick={() => go(0)} className="w-full rounded-sm px-2 py-1.5 text-left text-ink-2 hover:bg-weft">
          Before the first step
        </button>
      </li>
    </ol>
  );
}
