import type { Clip } from "@wet-thread/core/model/schema";

/** What several clips have in common, or nothing. */
export function common<T>(clips: readonly Clip[], pick: (c: Clip) => T): T | null {
  const first = pick(clips[0]);
  return clips.every((c) => pick(c) === first) ? first : null;
}
