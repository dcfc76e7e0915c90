import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";

/** Sets a marker and opens its panel, so that it is named at once. */
export function addMarker(position: number): void {
  const id = `marker-${Date.now().toString(36)}`;
  // Its panel opens at it, so it has to be in view.
  const { start, width, samplesPerPixel } = view();
  const x = (position - start) / samplesPerPixel;
  if (x < 0 || x > width - 20) setView({ start: Math.max(0, position - (width * samplesPerPixel) / 2) });
  if (session().edit([{ type: "add-marker", id, position }])) setView({ markId: id, markPanel: true, ...besides() });
}

/** A mark that is set while something else is selected is named, and what was selected stays so. */
function besides() {
  const { clipIds, range, seamId } = view();
  return { clipIds, range, seamId };
}

/** Closes the panel of the mark that is chosen; where something else was selected all along, that is what keys act on again. */
export function closeMark(): void {
  const { clipIds, range, seamId } = view();
  setView({ markPanel: false, ...((clipIds.size || range || seamId) && { markId: null }) });
}

/** Removes the chosen marker; of a section only the name, not what it spans. */
export function removeMark(): void {
  const id = view().markId ?? "";
  const { markers, sections } = session().doc;
  if (markers.has(id)) session().edit([{ type: "remove-marker", id }]);
  else if (sections.has(id)) session().edit([{ type: "remove-section", id }]);
  else return void toast("Choose a marker or section first.", { id: "select" });
  setView({ markId: null, markPanel: false });
}
