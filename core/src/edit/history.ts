import { applyChanges, type Change, type Document, invertChanges } from "../model/document";

/** One named step: what a gesture changed. */
export interface Step {
  readonly name: string;
  readonly changes: readonly Change[];
}

/** A document with the steps that led to it, and those that were undone. Immutable. Invariant: undo then redo is the identity. */
export interface History {
  readonly doc: Document;
  readonly done: readonly Step[];
  /** The next to redo is last. */
  readonly undone: readonly Step[];
}

export const historyOf = (doc: Document): History => ({ doc, done: [], undone: [] });

/** After a new step; what was undone can't be redone any more. */
export const record = (history: History, doc: Document, step: Step): History => ({ doc, done: [...history.done, step], undone: [] });

export function undo({ doc, done, undone }: History): History {
  const step = done.at(-1);
  return step ? { doc: applyChanges(doc, invertChanges(step.changes)), done: done.slice(0, -1), undone: [...undone, step] } : { doc, done, undone };
}

export function redo({ doc, done, undone }: History): History {
  const step = undone.at(-1);
  return step ? { doc: applyChanges(doc, step.changes), done: [...done, step], undone: undone.slice(0, -1) } : { doc, done, undone };
}
