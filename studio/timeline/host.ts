import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { MenuItem } from "@/ui/menu";
import type { Zone } from "./model/zones";

/** What a gesture tells the keys, and is told by them. */
export interface GestureKeys {
  /** Ends a gesture; true when there was one. */
  cancel(): boolean;
  /** A key that counts within a gesture went down or up: it is shown anew. */
  regrip(change: { alt?: boolean; shift?: boolean }): void;
  busy(): boolean;
}

/** What the timeline asks of the program around it: it knows gestures and drawing, not what else can be done. */
export interface TimelineHost {
  smoothSeam(id: string): void;
  openBundle(id: string): void;
  closeBundle(): void;
  /** The edit that lays what was copied at a position; null where there is nothing to lay. */
  pasteEdit(doc: Document, at: number, onto?: string): Edit | null;
  /** The edits that make all tracks taller or lower by a factor. */
  heightEdits(factor: number): Edit[];
  laneItems(zone: Zone, at: number): MenuItem[];
  rulerItems(at: number, markId: string | null): MenuItem[];
  /** The key of a command, in words. */
  keyOf(command: string): string;
  listenForKeys(keys: GestureKeys): () => void;
}

let current: TimelineHost | null = null;
export const setTimelineHost = (host: TimelineHost): void => {
  current = host;
};
export function host(): TimelineHost {
  if (!current) throw new Error("The timeline has no program around it.");
  return current;
}
