import { toast } from "sonner";
import { session } from "@/state/session";
import { setView, view } from "@/state/view";

/** Sets a marker and opens its panel, so that it is named at once. */
export function addMarker(position: number): void {
  const id = `marker-${Date.now().toString(36)}`;
  if (session().edit([{ type: "add-marker", id, position }])) setView({ markId: id, markPanel: true });
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
