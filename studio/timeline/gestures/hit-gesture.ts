import { attackNear } from "@wet-thread/core/model/clip/hits";
import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { editing, type Gesture, type Plan, sampleAt } from "./gesture";
import { lineWords } from "./stretch-gesture";

/** What is set by hand is drawn to an attack that lies this near. */
export const ATTACK_SECONDS = 0.02;

/** A place in a clip as a hit is set there: drawn to the nearest attack, unless the grid key is held. */
export function drawnToAttack(doc: Document, clip: Clip, at: number): number {
  const near = view().gridHeld ? null : attackNear(doc.sources, clip, at, ATTACK_SECONDS * doc.sampleRate);
  return Math.max(clip.start, Math.min(clipEnd(clip) - 1, near ?? at));
}

/** Moves a hit of a clip; the sound stays. */
export function moveHit(doc: Document, clip: Clip, hit: number): Gesture {
  return editing(doc, (p): Plan => {
    const to = drawnToAttack(doc, clip, Math.round(sampleAt(p.x)));
    return {
      edits: to === hit ? [] : [{ type: "move-hit", clipId: clip.id, from: hit, to }],
      lines: () => [...flagLines(doc, to, hit, null), lineWords(doc, to)],
      shown: { lit: { kind: "hit", position: to } },
    };
  });
}
