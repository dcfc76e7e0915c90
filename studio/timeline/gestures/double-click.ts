import { objectOf } from "@wet-thread/core/edit/bundles/members";
import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { host } from "../host";
import { zoneAt } from "../model/zones";
import { toolInHand } from "../tools/tools";
import type { Point } from "./gesture";

/** A double click over the lanes: what the tool in the hand makes of it, else what lies there decides. */
export function doubleClick(p: Point): void {
  const { doc } = session();
  const zone = zoneAt(doc, view(), p.x, p.y);
  const { twice } = toolInHand();
  if (twice) {
    const done = twice(doc, zone, p);
    if (done) session().edit([done.edit], done.name);
    return;
  }
  const { clip, seam } = zone;
  if (zone.kind === "hit" && clip) return void session().edit([{ type: "remove-hits", clipIds: [clip.id], at: [zone.hit] }]);
  if (zone.kind === "seam" && seam) return host().smoothSeam(seam.id);
  const object = clip && objectOf(doc, clip, view().openBundle);
  if (zone.kind === "name" && clip && !object) return setView({ naming: clip.id });
  if (object) host().openBundle(object.id);
  else if (view().openBundle !== null && !clip) host().closeBundle();
}
