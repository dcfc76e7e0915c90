import type { Document } from "@wet-thread/core/model/document";
import { useSession } from "@/state/sync/session";
import { type TimeRange, useView } from "@/state/view/view";
import { usePreview } from "./preview";

/** The piece as it is shown: while a gesture goes on, as it would be. */
export function useShownDoc(): Document {
  const kept = useSession((s) => s.doc);
  return usePreview((p) => p.doc) ?? kept;
}

/** The range as it is shown. */
export function useShownRange(): TimeRange | null {
  const kept = useView((v) => v.range);
  return usePreview((p) => p.range) ?? kept;
}
