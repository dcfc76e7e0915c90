import { risesOver } from "../dsp/fades";
import type { Document } from "../model/document";
import type { Lane } from "../model/index/lane";
import { type Clip, clipEnd } from "../model/schema";
import { heardOf } from "../render/heard";
import { unbroken } from "./continuity";

export type SeamClass = "raw" | "smooth" | "blended" | "unbroken";

/** An edit point of a track: a clip's start, its end, or the join of two. */
export interface Seam {
  /** Stable while the clips that meet there do: "left>right", with "" for none. */
  readonly id: string;
  readonly trackId: string;
  /** Where the edge is; for a blend, its splice. */
  readonly position: number;
  /** The clip heard just before it and just after it; null for silence. For a blend its two clips. */
  readonly left: Clip | null;
  readonly right: Clip | null;
  readonly kind: "blended" | "unbroken" | "open";
}

const MIN_FADE_SECONDS = 0.001;

const kept = new WeakMap<Lane, readonly Seam[]>();

/**
 * The seams of a lane in order. Edges at one point or in one overlap that is blended are one seam. Each side is what is really heard
 * there: an edge that another clip hides has the hiding clip on both sides.
 */
export function seamsOf(lane: Lane, trackId: string): readonly Seam[] {
  let seams = kept.get(lane);
  if (!seams) {
    seams = findSeams(lane, trackId);
    kept.set(lane, seams);
  }
  return seams;
}

function findSeams(lane: Lane, trackId: string): Seam[] {
  const out: Seam[] = [];
  const points: number[] = [];
  const blended = lane.clips.filter((c) => c.blend);
  const byId = blended.length ? new Map(lane.clips.map((c) => [c.id, c])) : null;
  const blendedEnds = new Set<string>();
  for (const clip of blended) {
    const left = clip.blend && byId?.get(clip.blend.with);
    if (!left || !clip.blend) continue;
    blendedEnds.add(left.id);
    out.push({
      id: `${left.id}>${clip.id}`,
      trackId,
      position: Math.min(Math.max(clip.blend.splice, clip.start), clipEnd(left)),
      left,
      right: clip,
      kind: "blended",
    });
  }
  for (const clip of lane.clips) {
    if (!clip.blend) points.push(clip.start);
    if (!blendedEnds.has(clip.id)) points.push(clipEnd(clip));
  }
  points.sort((a, b) => a - b);
  const heard = heardOf(lane);
  // The first stretch that can still matter; points come in order, so it only goes on.
  let first = 0;
  points.forEach((position, k) => {
    if (k > 0 && points[k - 1] === position) return;
    while (first < heard.length && heard[first].to < position) first++;
    let left: Clip | null = null;
    let right: Clip | null = null;
    let goesOn = false;
    for (let i = Math.max(0, first - 2); i < heard.length && heard[i].from <= position; i++) {
      const { from, to, clip } = heard[i];
      if (from < position && to >= position) {
        left = clip;
        goesOn = to > position;
      }
      if (to > position) right = clip;
    }
    // What is heard on past an edge hides it, though a partner may begin to blend in just there.
    if (goesOn) right = left;
    const kind = left && right && (left === right || unbroken(left, right)) ? "unbroken" : "open";
    out.push({ id: `${left?.id ?? ""}>${right?.id ?? ""}${left === right ? `@${position}` : ""}`, trackId, position, left, right, kind });
  });
  return out.sort((a, b) => a.position - b.position);
}

/** Whether the first (start) or last (end) 0.5 ms that a clip sounds at an edge stay within 0.001 of full scale; undefined if unknown. */
export type QuietEdge = (clip: Clip, edge: "start" | "end", at: number) => boolean | undefined;

/** The class of a seam (semantics, Seams). Muted clips don't sound and need nothing. */
export function classify(seam: Seam, sampleRate: number, quiet: QuietEdge): SeamClass {
  if (seam.kind !== "open") return seam.kind;
  const least = MIN_FADE_SECONDS * sampleRate;
  const { left, right, position } = seam;
  const leftSmooth = !left || (clipEnd(left) === position && risesOver(left.fadeOut, least)) || quiet(left, "end", position) === true;
  const rightSmooth = !right || (right.start === position && risesOver(right.fadeIn, least)) || quiet(right, "start", position) === true;
  return leftSmooth && rightSmooth ? "smooth" : "raw";
}

/** All seams of a document, track by track. */
export function allSeams(doc: Document): Seam[] {
  return doc.piece.trackOrder.flatMap((id) => [...seamsOf(doc.lanes.get(id) as Lane, id)]);
}
