import { leadsOf } from "@wet-thread/core/edit/links/links";
import type { Outcome } from "@wet-thread/core/edit/registry";
import type { Clip } from "@wet-thread/core/model/schema";
import { settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import { setPreview } from "@/timeline/model/preview";

/** How long the neighbours stay outlined, in ms. */
const SHOWN_MS = 1400;
let timer: ReturnType<typeof setTimeout> | undefined;

const many = (n: number, one: string, more: string): string => (n === 1 ? `1 ${one}` : `${n} ${more}`);

/** After a command that was done by key: outlines the other clips that moved along or were cut away, and says how many. */
export function showAftermath(done: Outcome | false, ids: ReadonlySet<string>): void {
  if (!done) return;
  // What links bring along is not a neighbour.
  const own = settings().linksOn ? new Set([...ids, ...leadsOf(session().doc, [...ids]).keys()]) : ids;
  let [moved, cut] = [0, 0];
  const echo = new Set<string>();
  for (const change of done.changes) {
    if (change.kind !== "clip" || own.has(change.id)) continue;
    const [before, after] = [change.before as Clip | null, change.after as Clip | null];
    if (!before) continue;
    if (!after || after.length < before.length) cut++;
    else if (after.start !== before.start) moved++;
    else continue;
    if (after) echo.add(change.id);
  }
  if (moved + cut === 0) return;
  const words = [
    moved && many(moved, "neighbour moved along", "neighbours moved along"),
    cut && `${many(cut, "neighbour", "neighbours")} cut`,
  ].filter(Boolean);
  toast(words.join(", "), { id: "aftermath", duration: SHOWN_MS });
  setPreview({ echo });
  clearTimeout(timer);
  timer = setTimeout(() => setPreview({ echo: NONE }), SHOWN_MS);
}

const NONE: ReadonlySet<string> = new Set();
