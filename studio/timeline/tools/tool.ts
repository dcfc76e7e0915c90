import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { Seam } from "@wet-thread/core/seam/seams";
import type { LucideIcon } from "lucide-react";
import type { Gesture, Point, Press } from "../gestures/gesture";
import { makeRange } from "../gestures/range-gestures";
import type { Zone } from "../model/zones";

/** Keys that were held at a press: `add` to what is selected, `frame` to draw a frame. */
export interface Held {
  readonly add: boolean;
  readonly frame: boolean;
}

/** All that there is to a tool of the timeline. */
export interface TimelineTool {
  readonly name: string;
  /** What it does, after its name. */
  readonly does?: string;
  /** Its own key; a person may give it another. */
  readonly key: string;
  readonly icon: LucideIcon;
  /** The cursor and the line of help where the tool, not the place, decides; without them the place always does. */
  readonly cursor?: string;
  readonly hint?: string;
  readonly seamHint?: string;
  /** It only looks and listens: every place is alike to it. */
  readonly looks?: true;
  /** Places beside seams and the free cloth where what the pointer would do counts with it too. */
  keeps?(zone: Zone): boolean;
  /** What a press in a zone begins. */
  press(doc: Document, zone: Zone, p: Press, held: Held): Gesture | null;
  /** What a press on a seam's mark begins in place of changing its fades. */
  pressSeam?(doc: Document, seam: Seam, p: Press): Gesture | null;
  /** What a double click does in place of what it does anywhere; null where there is nothing to do. */
  twice?(doc: Document, zone: Zone, p: Point): { readonly edit: Edit; readonly name: string } | null;
}

/** What tools that work on clips do beside them: a range. */
export const rangeBeside = (doc: Document, p: Point, { add }: Held): Gesture => makeRange(doc, p, undefined, false, add);
