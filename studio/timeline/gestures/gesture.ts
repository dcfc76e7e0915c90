import { withBundles } from "@wet-thread/core/edit/bundles/members";
import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey, type Outcome } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import { edited, neighboursInForce } from "@/state/view/modes";
import { type Placing, setView, view } from "@/state/view/view";
import { clearPreview, type Preview, setPreview } from "../model/preview";

/** Where the pointer is, in pixels of the lanes, and the keys that are held. */
export interface Point {
  readonly x: number;
  readonly y: number;
  readonly shift: boolean;
  readonly alt: boolean;
}

/** Where it was pressed: it stays on the same place of the piece, so where a drag scrolls, it goes along on the screen. */
export interface Press extends Point {
  x: number;
  y: number;
}

/** One press, drag and release. `move` only shows; `commit` does; a cancelled gesture leaves nothing behind. */
export interface Gesture {
  move(p: Point): void;
  commit(p: Point): void;
  /** It goes across tracks: at the upper and lower edge it scrolls too. */
  readonly acrossTracks?: boolean;
  /** What is taken hold of goes along with the pointer: a plain click moves nothing. */
  readonly drags?: boolean;
  /** Let go of outside the window it is called off. */
  readonly endsInWindow?: boolean;
}

/** Pixels that a press may wander and still be a click. */
export const CLICK_PIXELS = 4;

export const sampleAt = (x: number): number => view().start + x * view().samplesPerPixel;

/** What a gesture would do where the pointer is: its edits, and what is shown besides the piece as it would be. */
export interface Plan {
  readonly edits: Edit[];
  readonly name?: string;
  lines(after: Document): string[];
  readonly shown?: Partial<Preview>;
  /** It is heard while it goes on. */
  readonly heard?: boolean;
  /** In place of sending the edits: asks for more first. */
  readonly instead?: () => void;
  /** Once it has been done. */
  readonly after?: (done: Outcome) => void;
}

/** A gesture made of edits: each move previews them on the document, the release sends them as one step. */
export function editing(doc: Document, plan: (p: Point) => Plan | null): Gesture {
  const key = newKey();
  const make = (p: Point): Plan | null => {
    const planned = plan(p);
    return planned && { ...planned, edits: planned.edits.map((e, i) => ({ ...edited(e, doc.sampleRate), ...e, key: `${key}${i}` })) };
  };
  return {
    move(p) {
      const planned = make(p);
      if (!planned) return;
      const blank = { lit: null, joint: null, cuts: [] };
      try {
        const after = planned.edits.length ? applyEdits(doc, planned.edits).doc : doc;
        setPreview({
          ...blank,
          ...planned.shown,
          doc: after,
          heard: planned.heard && after !== doc ? after : null,
          flag: { x: p.x, y: p.y, lines: planned.lines(after) },
        });
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        setPreview({ ...blank, doc, heard: null, flag: { x: p.x, y: p.y, lines: [error.message] } });
      }
    },
    commit(p) {
      const planned = make(p);
      if (planned?.instead && planned.edits.length) return planned.instead();
      clearPreview();
      const done = planned?.edits.length ? session().edit(planned.edits, planned.name) : false;
      if (done) planned?.after?.(done);
    },
  };
}

/** Whether a drop asks for its exact place instead of being done where the pointer is. */
export const dropsAsk = (): boolean => neighboursInForce() === "place";

/** As `editing`, of what is taken hold of and dragged. */
export const dragging = (doc: Document, plan: (p: Point) => Plan | null): Gesture => ({ ...editing(doc, plan), drags: true });

/** What a drop does instead where it asks: opens the field for its place, and does the edits for what is typed there. */
export function askingFor(
  p: Point,
  from: Placing["from"],
  by: number,
  edits: (by: number) => Edit[],
  name?: string,
  after?: () => void,
): (() => void) | undefined {
  if (!dropsAsk()) return undefined;
  return () =>
    setView({
      placing: {
        from,
        x: p.x,
        y: p.y,
        by,
        place(typed) {
          const list = edits(typed);
          if (list.length && session().edit(list, name)) after?.();
        },
      },
    });
}

/** The clips that a gesture on one of them takes along: all selected ones if it is among them, and all of its bundle when that is closed. */
export function taken(doc: Document, clip: Clip): Clip[] {
  const { clipIds, openBundle } = view();
  const ids = clipIds.has(clip.id) ? clipIds : withBundles(doc, [clip.id], openBundle);
  return [...ids].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
}

export const edgesOf = (clips: readonly Clip[]): ReadonlySet<number> => new Set(clips.flatMap((c) => [c.start, clipEnd(c)]));
