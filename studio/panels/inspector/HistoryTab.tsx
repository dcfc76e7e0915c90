"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition, type PositionUnit } from "@wet-thread/core/time/format";
import type { Timebase } from "@wet-thread/core/time/grid";
import clsx from "clsx";
import { useSettings } from "@/state/kept/settings";
import { type HistoryRow, session, useSession } from "@/state/sync/session";
import { counted } from "@/state/words/counted";
import { Empty } from "./parts";

const some = (n: number, one: string): string[] => (n === 0 ? [] : [counted(n, one)]);

/** What a step changed, in words: how many of what, on which tracks, from where. */
function changedWords({ size, summary }: HistoryRow, unit: PositionUnit, base: Timebase): string {
  if (!summary) return some(size, "change").join("");
  const { clips, tracks, markers, sections, bundles, piece, on, more, start } = summary;
  const things = [
    ...some(clips, "clip"),
    // A step on clips names their tracks below; as things of their own they count when they changed too.
    ...some(tracks, "track"),
    ...some(markers, "marker"),
    ...some(sections, "section"),
    ...some(bundles, "bundle"),
    ...(piece && clips + tracks + markers + sections === 0 ? ["the piece"] : []),
  ];
  const where = on.length ? [`${on.join(", ")}${more ? ` and ${more} more` : ""}`] : [];
  return [things.join(", "), ...where, ...(start === null ? [] : [`from ${formatPosition(start, unit, base)}`])].filter(Boolean).join(" · ");
}

/** A step of the history, or a row of them that are one for undo and redo. */
interface Listed extends HistoryRow {
  readonly times: number;
}

/** Steps with those of one row together, each with its last one's place. */
function listed(steps: readonly HistoryRow[]): Listed[] {
  const list: Listed[] = [];
  for (const step of steps) {
    const before = list.at(-1);
    if (step.row && before?.row === step.row && before.state === step.state) list.splice(-1, 1, { ...step, times: before.times + 1 });
    else list.push({ ...step, times: 1 });
  }
  return list;
}

/** Every step by name, with what it changed; a click goes back or forward to just after it. */
export function HistoryTab() {
  const steps = useSession((s) => s.history);
  const earlier = useSession((s) => s.earlier);
  const unsent = useSession((s) => s.unsent);
  const base = timebaseOf(useSession((s) => s.doc));
  const [unit] = useSettings((s) => s.readOuts);
  if (steps.length === 0 && unsent.length === 0) return <Empty title="Nothing done yet">Every step you take is listed here by name, and kept.</Empty>;
  const last = steps.findLast((s) => s.state === "done")?.revision ?? 0;
  return (
    <ol className="-mx-1.5" aria-label="History, newest first">
      {[...unsent].reverse().map((s) => (
        <li key={s.key} className="flex gap-2 px-2 py-1.5 text-ink-2">
          <span className="min-w-0 flex-1 truncate">{s.name}</span>
          <span className="text-ink-3 text-sm">being saved</span>
        </li>
      ))}
      {listed(steps)
        .reverse()
        .map((s) => (
          <li key={s.revision}>
            <button
              type="button"
              onClick={() => session().goTo(s.revision)}
              aria-current={s.revision === last ? "step" : undefined}
              title={s.state === "undone" ? "Undone: click to do it again, with all before it" : "Click to go back to just after this step"}
              className={clsx("block w-full rounded-sm px-2 py-1.5 text-left hover:bg-weft", s.revision === last && "bg-weft")}
            >
              <span className="flex items-baseline gap-2">
                <span
                  className={clsx(
                    "min-w-0 flex-1 truncate",
                    s.state === "undone" ? "text-ink-2 line-through" : "text-ink",
                    s.revision === last && "font-semibold",
                  )}
                >
                  {s.name}
                  {s.times > 1 && <span className="num font-normal text-ink-2">, {s.times} times</span>}
                </span>
                <span className="num shrink-0 text-ink-2 text-xs">
                  {new Date(s.at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}
                </span>
              </span>
              <span className="block truncate text-ink-2 text-sm">{changedWords(s, unit, base)}</span>
            </button>
          </li>
        ))}
      <li>
        {earlier > 0 ? (
          <button
            type="button"
            onClick={() => session().showAllHistory()}
            className="w-full rounded-sm px-2 py-1.5 text-left text-ink-2 underline hover:bg-weft"
          >
            {earlier} earlier {earlier === 1 ? "step" : "steps"}
          </button>
        ) : (
          <button type="button" onClick={() => session().goTo(0)} className="w-full rounded-sm px-2 py-1.5 text-left text-ink-2 hover:bg-weft">
            Before the first step
          </button>
        )}
      </li>
    </ol>
  );
}
