import { type Edit, newKey } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { create } from "zustand";
import { measurer } from "@/seams/measures";
import { type HowToSettle, jointBefore, type Settling } from "@/seams/settling";
import { settings } from "@/state/kept/settings";
import { isOpen, session } from "@/state/sync/session";
import { edited } from "@/state/view/modes";
import { setView } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { seamMeant } from "./seam-meant";
import { minus } from "./words";

/** What settling some seams one after the other would do, found on one state of the piece. */
export interface Foretold {
  readonly start: Document;
  readonly edits: readonly Edit[];
  readonly seams: readonly { readonly seam: Seam; readonly settling: Settling }[];
}

function howToSettle({ sampleRate }: Document): HowToSettle {
  const { settle, lastBlend } = settings();
  const samples = (ms: number): number => Math.max(1, Math.round((ms * sampleRate) / 1000));
  const { type: _, key: __, ...modes } = edited({ type: "set-blend", key: newKey() }, sampleRate);
  // What is not set goes to no worker.
  const told = JSON.parse(JSON.stringify(modes)) as Partial<Edit>;
  return { reach: samples(settle.reachMs), shifts: settle.shifts, length: samples(lastBlend.ms), law: lastBlend.law, modes: told };
}

/** Foretells the settling of seams, each on what the ones before would leave. Null when it was called off. */
export async function foretellSettling(seams: readonly Seam[], tell: (done: number) => void, off: AbortSignal): Promise<Foretold | null> {
  const start = session().doc;
  const found = await measurer().settle(seams, howToSettle(start), tell, off);
  if (!found) return null;
  return {
    start,
    edits: found.flatMap((settling) => ("why" in settling ? [] : settling.edits)),
    seams: found.map((settling, i) => ({ seam: seams[i], settling })),
  };
}

/** Does what was foretold, as one step; false, in words, where it can't be any more. */
export function carryOut({ start, edits, seams }: Foretold): boolean {
  const id = "settle";
  if (session().doc !== start) {
    toast.error("The piece was changed meanwhile; nothing was settled. Try again.", { id });
    return false;
  }
  const left = seams.filter((s) => "why" in s.settling);
  if (edits.length === 0) {
    const [first] = left;
    const why = seams.length === 1 && first && "why" in first.settling ? first.settling.why : null;
    toast(why ? `The seam stays where it is: ${why}.` : "No seam was settled: no place nearby is better.", { id, duration: 6000 });
    return false;
  }
  const done = seams.length - left.length;
  if (!session().edit([...edits], done === 1 ? "Settle seam" : `Settle ${done} seams`)) return false;
  if (seams.length > 1)
    toast.success(`${done} seams settled${left.length ? `, ${left.length} left as they were: no place nearby is better` : ""}.`, {
      id,
      duration: 6000,
    });
  return true;
}

/** Likeness, click and level of a seam before and after, in words; with their unit, where it does not stand above them. */
export function settlingWords(
  { likeness, before, after }: Exclude<Settling, { why: string }>,
  unit: "" | " dB" = " dB",
): { alike: string; click: string; level: string } {
  const click = (m: SeamMeasure): string => (m.click === null ? "none" : `${minus(m.click.toFixed(0))}${unit}`);
  const level = (m: SeamMeasure): string => (m.dip === null ? "–" : `${minus(m.dip.toFixed(1))}${unit}`);
  return {
    alike: likeness.map((l) => minus(l.toFixed(2))).join(" → "),
    click: `${click(before)} → ${click(after)}`,
    level: `${level(before)} → ${level(after)}`,
  };
}

/** Settles one seam; says what became of it. */
async function settleSeam(seam: Seam): Promise<void> {
  const own = session();
  const foretold = await foretellSettling([seam], () => {}, new AbortController().signal);
  if (!foretold || !isOpen(own) || !carryOut(foretold)) return;
  const [{ settling }] = foretold.seams;
  const there = seam.right && jointBefore(own.doc, seam.trackId, seam.right.id);
  if (there) setView({ seamId: there.id, tab: "seam" });
  if ("why" in settling) return;
  const { alike, click } = settlingWords(settling);
  toast.success("Settled.", { id: "settle", duration: 6000, description: `Alike ${alike}, click ${click}` });
}

/** The seams that the settling panel is about. */
export const useSettling = create<{ readonly seams: readonly Seam[] }>(() => ({ seams: [] }));

/** Opens the panel that foretells the settling of many seams. */
export function settleMany(seams: readonly Seam[]): void {
  useSettling.setState({ seams });
  setView({ panel: "settle" });
}

/** Settles the chosen seam. */
export function settleChosen(): void {
  const seam = seamMeant();
  if (!seam) return void toast("Choose a seam to settle it.", { id: "select" });
  void settleSeam(seam);
}
