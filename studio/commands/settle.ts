import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { measureSeam, quietEdges, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { type Parting, settlePlace, settleSpans } from "@wet-thread/core/seam/settle";
import { create } from "zustand";
import { haveSamples, pageReader } from "@/state/media";
import { edited } from "@/state/modes";
import { session } from "@/state/session";
import { settings } from "@/state/settings";
import { toast } from "@/state/toast";
import { setView, view } from "@/state/view";
import { findSeam, laneSeams } from "@/timeline/model/seam-classes";

/** What became of a seam: where it settled, and its figures before and after; or why it was left. */
export type Settling =
  | {
      readonly edits: Edit[];
      readonly then: Document;
      /** By how much the splice goes later, and the later clip's audio inside it, in samples. */
      readonly by: number;
      readonly shift: number;
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
export async function settledIn(doc: Document, seam: Seam): Promise<Settling> {
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
    return { edits, then, by: found.splice - parting.splice, shift: found.shift, likeness: [found.before, found.likeness], before, after };
  } catch (error) {
    if (error instanceof EditError) return { why: error.message };
    throw error;
  }
}

/** What settling some seams one after the other would do, found on one state of the piece. */
export interface Foretold {
  readonly start: Document;
  readonly edits: readonly Edit[];
  readonly seams: readonly { readonly seam: Seam; readonly settling: Settling }[];
}

/** Foretells the settling of seams, each on what the ones before would leave. Null when it was called off. */
export async function foretellSettling(seams: readonly Seam[], tell: (done: number) => void, off: () => boolean): Promise<Foretold | null> {
  const start = session().doc;
  let doc = start;
  const edits: Edit[] = [];
  const found: { seam: Seam; settling: Settling }[] = [];
  let rested = performance.now();
  for (const seam of seams) {
    // Now and then the page draws, and hears that it is called off.
    if (performance.now() - rested > REST_EVERY_MS) {
      tell(found.length);
      await new Promise((resolve) => setTimeout(resolve));
      rested = performance.now();
    }
    if (off()) return null;
    const now = seam.right ? (seamNear(doc, seam.trackId, seam.right.id) ?? seam) : seam;
    const settling = await settledIn(doc, now);
    found.push({ seam, settling });
    if ("why" in settling) continue;
    doc = settling.then;
    edits.push(...settling.edits);
  }
  return { start, edits, seams: found };
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

const minus = (text: string): string => text.replace("-", "−");
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
  const foretold = await foretellSettling(
    [seam],
    () => {},
    () => false,
  );
  if (!foretold || !carryOut(foretold)) return;
  const [{ settling }] = foretold.seams;
  const there = seam.right && seamNear(session().doc, seam.trackId, seam.right.id);
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
  const seam = findSeam(session().doc, view().seamId);
  if (!seam) return void toast("Choose a seam to settle it.", { id: "select" });
  void settleSeam(seam);
}
