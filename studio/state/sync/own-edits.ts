import type { Outcome } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";

type Listener = (before: Document, outcome: Outcome) => void;
const listeners = new Set<Listener>();

/** Has a function told of each step that this page does, as it is done; what is returned ends that. */
export function onOwnEdit(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export const tellOwnEdit: Listener = (before, outcome) => {
  for (const listener of listeners) listener(before, outcome);
};
