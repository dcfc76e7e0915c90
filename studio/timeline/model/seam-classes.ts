import type { Document } from "@wet-thread/core/model/document";
import type { Lane } from "@wet-thread/core/model/index/lane";
import { quietEdges } from "@wet-thread/core/seam/measure";
import { classify, type QuietEdge, type Seam, type SeamClass, seamsOf } from "@wet-thread/core/seam/seams";
import { pageReader } from "@/state/media/media";

/** Answers about quiet edges hold for good: they depend on the recording alone. */
const memory = new Map<string, boolean>();
const askers = new WeakMap<Document["sources"], QuietEdge>();

function quietIn(doc: Document): QuietEdge {
  let quiet = askers.get(doc.sources);
  if (!quiet) {
    quiet = quietEdges(doc, pageReader, memory);
    askers.set(doc.sources, quiet);
  }
  return quiet;
}

/** The class of a seam as far as the page knows; samples that are missing are fetched, and a drawing follows when they come. */
export const seamClass = (doc: Document, seam: Seam): SeamClass => classify(seam, doc.sampleRate, quietIn(doc));

const CLASSES = ["unbroken", "smooth", "blended", "raw"] as const satisfies readonly SeamClass[];
/** Classes of a lane's seams that will not change any more: 1 + the place in CLASSES, 0 while something about them is still missing. */
const settled = new WeakMap<readonly Seam[], Uint8Array>();

/** Asks for the classes of a lane's seams by their place; each is worked out once. */
export function classesOf(doc: Document, seams: readonly Seam[]): { of(i: number): SeamClass; isSettled(i: number): boolean } {
  let known = settled.get(seams);
  if (!known) {
    known = new Uint8Array(seams.length);
    settled.set(seams, known);
  }
  const kept = known;
  const quiet = quietIn(doc);
  let whole = true;
  const asked: QuietEdge = (clip, edge, at) => {
    const answer = quiet(clip, edge, at);
    whole &&= answer !== undefined;
    return answer;
  };
  return {
    of(i) {
      if (kept[i]) return CLASSES[kept[i] - 1];
      whole = true;
      const found = classify(seams[i], doc.sampleRate, asked);
      if (whole) kept[i] = 1 + CLASSES.indexOf(found);
      return found;
    },
    isSettled: (i) => kept[i] > 0,
  };
}

export const laneSeams = (doc: Document, trackId: string): readonly Seam[] => {
  const lane = doc.lanes.get(trackId);
  return lane ? seamsOf(lane, trackId) : [];
};

export function findSeam(doc: Document, id: string | null): Seam | undefined {
  if (id === null) return undefined;
  for (const trackId of doc.piece.trackOrder) {
    const found = laneSeams(doc, trackId).find((s) => s.id === id);
    if (found) return found;
  }
  return undefined;
}

/** The seams of a lane with how many of each class there are, and where the raw ones lie. */
export interface Tally {
  readonly seams: readonly Seam[];
  readonly counts: Readonly<Record<SeamClass, number>>;
  readonly raw: readonly number[];
}

const tallies = new WeakMap<Lane, { readonly tally: Tally; readonly known: number; readonly whole: boolean; readonly rate: number }>();
const NONE: Tally = { seams: [], counts: { raw: 0, smooth: 0, blended: 0, unbroken: 0 }, raw: [] };

/** Grows whenever more is known about the edges of recordings: what was counted with less is out of date then. */
export const seamsKnown = (): number => memory.size;

/** Counts a lane's seams; kept as long as the lane is, unless an answer about a recording was still missing. */
export function laneTally(doc: Document, trackId: string): Tally {
  const lane = doc.lanes.get(trackId);
  if (!lane) return NONE;
  const had = tallies.get(lane);
  if (had && had.rate === doc.sampleRate && (had.whole || had.known === memory.size)) return had.tally;
  const seams = seamsOf(lane, trackId);
  const counts = { ...NONE.counts };
  const raw: number[] = [];
  let whole = true;
  const classes = classesOf(doc, seams);
  for (const [i, seam] of seams.entries()) {
    const kind = classes.of(i);
    counts[kind]++;
    if (kind === "raw") raw.push(seam.position);
    whole &&= classes.isSettled(i);
  }
  const tally = { seams, counts, raw };
  tallies.set(lane, { tally, known: memory.size, whole, rate: doc.sampleRate });
  return tally;
}

/** How many seams of each class there are. */
export function countSeams(doc: Document): Record<SeamClass, number> {
  const sum = { ...NONE.counts };
  for (const trackId of doc.piece.trackOrder) {
    const { counts } = laneTally(doc, trackId);
    for (const kind of Object.keys(sum) as SeamClass[]) sum[kind] += counts[kind];
  }
  return sum;
}
