import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { type BlendLaw, clipEnd } from "@wet-thread/core/model/schema";
import type { PcmReader, SourceSpan } from "@wet-thread/core/render/reader";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import { type Seam, seamsOf } from "@wet-thread/core/seam/seams";
import { type Parting, settlePlace, settleSpans } from "@wet-thread/core/seam/settle";

/** How seams are settled: lengths in samples. */
export interface HowToSettle {
  readonly reach: number;
  readonly shifts: boolean;
  /** Of a blend where there is none yet, and its law. */
  readonly length: number;
  readonly law: BlendLaw;
  /** What the mode line adds to every edit. */
  readonly modes: Partial<Edit>;
}

/** What became of a seam: where it settled, and its figures before and after; or why it was left. */
export type Settling =
  | {
      readonly edits: Edit[];
      /** By how much the splice goes later, and the later clip's audio inside it, in samples. */
      readonly by: number;
      readonly shift: number;
      readonly likeness: readonly [number, number];
      readonly before: SeamMeasure;
      readonly after: SeamMeasure;
    }
  | { readonly why: string };

/** Samples, and the figures of seams, for whoever settles. */
export interface Ears {
  readonly reader: PcmReader;
  /** Fetches samples; false while they can't be had. */
  have(spans: readonly SourceSpan[]): Promise<boolean>;
  measured(doc: Document, seam: Seam): Promise<SeamMeasure | null>;
}

/** A dip may be deeper by this much, in dB, and no more. */
const DIP_DB = 0.1;

const partingOf = ({ left, right, position }: Seam): Parting | null =>
  left && right && left !== right && (right.blend ? right.blend.with === left.id : clipEnd(left) === position && right.start === position)
    ? { left, right, splice: right.blend?.splice ?? position }
    : null;

const clickOf = (m: SeamMeasure): number => m.click ?? Number.NEGATIVE_INFINITY;

/** The joint at a clip's start. */
export function jointBefore(doc: Document, trackId: string, rightId: string): Seam | undefined {
  const lane = doc.lanes.get(trackId);
  return lane && seamsOf(lane, trackId).find((s) => s.right?.id === rightId && s.left && s.left.id !== rightId);
}

/** Where a seam settles in a document, if that makes nothing worse, and the document then. */
export async function settledIn(doc: Document, seam: Seam, how: HowToSettle, ears: Ears): Promise<{ settling: Settling; next: Document }> {
  const stays = (why: string) => ({ settling: { why }, next: doc });
  const parting = partingOf(seam);
  if (!parting) return stays("it is no joint of two clips");
  if (seam.kind === "unbroken") return stays("the recording runs on unbroken there");
  const { right, left } = parting;
  const length = right.blend ? right.fadeIn.length : how.length;
  const search = { reach: how.reach, length, shifts: how.shifts };
  const found = (await ears.have(settleSpans(doc, parting, search))) ? settlePlace(doc, parting, search, ears.reader) : undefined;
  if (!found) return stays("its sound is not here, or there is no material beside it");
  const edits: Edit[] = [
    ...(found.shift !== 0 ? [{ type: "shift-inside", clipIds: [right.id], by: found.shift, links: false, key: newKey() }] : []),
    {
      type: "set-blend",
      clipId: right.id,
      ...(!right.blend && { with: left.id }),
      splice: found.splice,
      length,
      place: "centred",
      law: right.blend?.law ?? how.law,
      key: newKey(),
    },
  ];
  try {
    const next = applyEdits(
      doc,
      edits.map((e) => ({ ...how.modes, ...e })),
    ).doc;
    const there = jointBefore(next, right.trackId, right.id);
    const [before, after] = [await ears.measured(doc, seam), there ? await ears.measured(next, there) : null];
    if (!before || !after) return stays("its sound is not here");
    const deeper = after.dip !== null && before.dip !== null && after.dip < before.dip - DIP_DB && Math.abs(after.dip) > Math.abs(before.dip);
    const same = found.splice === parting.splice && found.shift === 0 && right.blend;
    if (found.likeness < found.before || clickOf(after) > clickOf(before) || deeper || same) return stays("no place nearby is better");
    const by = found.splice - parting.splice;
    return { settling: { edits, by, shift: found.shift, likeness: [found.before, found.likeness], before, after }, next };
  } catch (error) {
    if (error instanceof EditError) return stays(error.message);
    throw error;
  }
}
