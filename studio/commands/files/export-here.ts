import { clipEnd } from "@wet-thread/core/model/schema";
import { create } from "zustand";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { selectedClips } from "../edit/actions";

/** What is offered for export besides the whole piece: where one was when it was asked for. */
export interface ExportPart {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  /** Only these tracks; left out, all that are heard. */
  readonly trackIds?: readonly string[];
  /** Only these clips. */
  readonly clipIds?: readonly string[];
}

/** The menu of exports: whether it is open, and the part it was opened for. */
export const useExportMenu = create<{ readonly open: boolean; readonly part: ExportPart | null }>(() => ({ open: false, part: null }));

export const exportSpan = (span: Omit<ExportPart, "name">, name: string): void => useExportMenu.setState({ open: true, part: { ...span, name } });

/** Opens the export for the range, else for the selected clips with their tracks. */
export function exportSelection(): void {
  const { range } = view();
  if (range) return exportSpan({ start: range.start, end: range.end }, "Range");
  const clips = selectedClips();
  if (clips.length === 0) return void toast("Select clips, or make a range, to export it.", { id: "select" });
  const { piece } = session().doc;
  const on = new Set(clips.map((c) => c.trackId));
  exportSpan(
    {
      start: Math.min(...clips.map((c) => c.start)),
      end: Math.max(...clips.map(clipEnd)),
      trackIds: piece.trackOrder.filter((id) => on.has(id)),
      clipIds: clips.map((c) => c.id),
    },
    clips.length === 1 ? clips[0].name || "Clip" : `${clips.length} clips`,
  );
}
