import type { Document } from "@wet-thread/core/model/document";
import { useView, view } from "./view";

/** Steps of which it is known what was selected before them. */
const MOST_STEPS = 500;

type Selected = Pick<ReturnType<typeof view>, "clipIds" | "range">;
const beforeSteps = new Map<string, Selected>();

/** Notes what is selected as a step is done, under its key. */
export function noteBefore(key: string): void {
  const { clipIds, range } = view();
  beforeSteps.set(key, { clipIds, range });
  for (const old of beforeSteps.keys()) {
    if (beforeSteps.size <= MOST_STEPS) break;
    beforeSteps.delete(old);
  }
}

/** Selects again what was selected before a step that was taken back, and the range that was there; what is not known stays as it is. */
export function recallBefore(key: string | null, doc: Document): void {
  const before = key === null ? undefined : beforeSteps.get(key);
  if (!before) return;
  useView.setState({ clipIds: new Set([...before.clipIds].filter((id) => doc.clips.has(id))), range: before.range });
}
