import { session } from "@/state/session";
import { setView } from "@/state/view";

/** Sets a marker and opens its panel, so that it is named at once. */
export function addMarker(position: number): void {
  const id = `marker-${Date.now().toString(36)}`;
  if (session().edit([{ type: "add-marker", id, position }])) setView({ markId: id, markPanel: true });
}
