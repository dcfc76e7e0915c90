import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { measureSeam, quietEdges, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { type Parting, settlePlace, settleSpans } from "@wet-thread/core/seam/settle";
import { toast } from "sonner";
import { haveSamples, pageReader } from "@/state/media";
import { edited } from "@/state/modes";
import { session } from "@/state/session";
import { settings } from "@/state/settings";
import { setView, view } from "@/state/view";
import { findSeam, laneSeams } from "@/timeline/model/seam-classes";

/** What became of a seam: where it settled, and its figures before and after; or why it was left. */
type Result =
  | {
      readonly edits: Edit[];
      readonly then: Document;
      readonly likeness: readonly [number, number];
      readonly before: SeamMeasure;
      readonly after: SeamMeasure;
    }
  | { readonly why: string };

/** Many seams keep the page busy no longer than this at a time. */
const REST_EVERY_MS = 40;
/** A dip may be deeper by this much, in dB, and no more. */
const DIP_DB = 0.1;

const partingOf = ({ left, right, position }: Seam): Parting | null =>
  left && right && left !== right && (right.blend ? right.blend.with === left.id : clipEnd(left) === position && right.start === position)
    ? { left, right, splice: right.blend?.splice ?? position }
    : null;

const clickOf = (m: SeamMeasure): number => m.click ?? Number.NEGATIVE_INFINITY;
const seamNear = (doc: Document, trackId: string, rightId: string): Seam | undefined =>
  laneSeams(doc, trackId).find((s) => s.right?.id === rightId && s.left && s.left.id !== rightId);

async function measured(doc: Document, seam: Seam): Promise<SeamMeasure | null> {
  const here = await Promise.all(seamSpans(doc, seam).map((s) => haveSamples(s.sourceId, s.from, s.to)));
  return here.every(Boolean) ? measureSeam(doc, seam, pageReader, quietEdges(doc, pageReader)) : null;
}

/** Where a seam settles in a document, if that makes nothing worse. */
async function settledIn(doc: Document, seam: Seam): Promise<Result> {
  const parting = partingOf(seam);
  if (!parting) return { why: "it is no joint of two clips" };
  const { reachMs, shifts } = settings().settle;
  const samples = (ms: number): number => Math.max(1, Math.round((ms * doc.sampleRate) / 1000));
  const { right, left } = parting;
  const length = right.blend ? right.fadeIn.length : samples(settings().lastBlend.ms);
  const how = { reach: samples(reachMs), length, shifts };
  const here = await Promise.all(settleSpans(doc, parting, how).map((s) => haveSamples(s.sourceId, s.from, s.to)));
  const found = here.every(Boolean) ? settlePlace(doc, parting, how, pageReader) : undefined;
  if (!found) return { why: "its sound is not here, or there is no material beside it" };
  const edits: Edit[] = [
    ...(found.shift !== 0 ? [{ type: "shift-inside", clipIds: [right.id], by: found.shift, links: false, key: newKey() }] : []),
    {
      type: "set-blend",
      clipId: right.id,
      with: right.blend ? undefined : left.id,
      splice: found.splice,
      length,
      place: "centred",
      law: right.blend?.law ?? settings().lastBlend.law,
      key: newKey(),
    },
  ].map((e) => JSON.parse(JSON.stringify(e)) as Edit);
  try {
    const then = applyEdits(
      doc,
      edits.map((e) => edited(e, doc.sampleRate)),
    ).doc;
    const there = seamNear(then, right.trackId, right.id);
    const [before, after] = [await measured(doc, seam), there ? await measured(then, there) : null];
    if (!before || !after) return { why: "its sound is not here" };
    const deeper = after.dip !== null && before.dip !== null && after.dip < before.dip - DIP_DB && Math.abs(after.dip) > Math.abs(before.dip);
    if (
      found.likeness < found.before ||
      clickOf(after) > clickOf(before) ||
      deeper ||
      (found.splice === parting.splice && found.shift === 0 && right.blend)
    )
      return { why: "no place nearby is better" };
    return { edits, then, likeness: [found.before, found.likeness], before, after };
  } catch (error) {
    if (error instanceof EditError) return { why: error.message };
    throw error;
  }
}

const dB = (m: SeamMeasure): string => (m.click === null ? "none" : `${m.click < 0 ? "−" : ""}${Math.abs(m.click).toFixed(0)} dB`);

/** Settles seams, one after the other on what the ones before have left, as one step; says what became of them. */
export async function settleSeams(seams: readonly Seam[]): Promise<void> {
  const toastId = "settle";
  const start = session().doc;
  let doc = start;
  const edits: Edit[] = [];
  const left: string[] = [];
  let last: Exclude<Result, { why: string }> | null = null;
  let off = false;
  let rested = performance.now();
  for (const [i, seam] of seams.entries()) {
    if (off) return void toast("Settling was called off. Nothing was changed.", { id: toastId, duration: 4000 });
    if (seams.length > 1 && i % 8 === 0)
      toast(`Settling … ${i} of ${seams.length}`, {
        id: toastId,
        duration: Number.POSITIVE_INFINITY,
        cancel: { label: "Cancel", onClick: () => (off = true) },
      });
    // Now and then the page draws, and hears that it is called off.
    if (performance.now() - rested > REST_EVERY_MS) {
      await new Promise((resolve) => setTimeout(resolve));
      rested = performance.now();
    }
    const now = seam.right ? (seamNear(doc, seam.trackId, seam.right.id) ?? seam) : seam;
    const result = await settledIn(doc, now);
    if ("why" in result) {
      left.push(result.why);
      continue;
    }
    doc = result.then;
    edits.push(...result.edits);
    last = result;
  }
  if (session().doc !== start) return void toast.error("The piece was changed meanwhile; nothing was settled. Try again.", { id: toastId });
  if (edits.length === 0)
    return void toast(seams.length === 1 ? `The seam stays where it is: ${left[0]}.` : "No seam was settled: no place nearby is better.", {
      id: toastId,
      duration: 6000,
      cancel: undefined,
    });
  const done = seams.length - left.length;
  if (!session().edit(edits, done === 1 ? "Settle seam" : `Settle ${done} seams`)) return;
  if (seams.length === 1 && last && seams[0].right) {
    const there = seamNear(session().doc, seams[0].trackId, seams[0].right.id);
    if (there) setView({ seamId: there.id, tab: "seam" });
    toast.success("Settled.", {
      id: toastId,
      duration: 6000,
      description: `Alike ${last.likeness.map((l) => l.toFixed(2).replace("-", "−")).join(" → ")}, click ${dB(last.before)} → ${dB(last.after)}`,
    });
  } else
    toast.success(`${done} seams settled${left.length ? `, ${left.length} left as they were: no place nearby is better` : ""}.`, {
      id: toastId,
      duration: 6000,
      cancel: undefined,
    });
}

/** Settles the chosen seam. */
export function settleChosen(): void {
  const seam = findSeam(session().doc, view().seamId);
  if (!seam) return void toast("Choose a seam to settle it.", { id: "select" });
  void settleSeams([seam]);
}
