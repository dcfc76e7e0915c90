import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { preview, setPreview } from "../model/preview";
import { CURSORS, HINTS, zoneAt } from "../model/zones";
import { placeDecides, toolInHand } from "../tools/tools";
import type { Point } from "./gesture";

/** What the pointer over the lanes would do: its cursor, the line of help, and what lights up. */
export class Hover {
  /** Where the pointer last was without a press; null when it has left. */
  private at: Point | null = null;

  constructor(private readonly box: HTMLElement) {}

  over(p: Point): void {
    this.at = p;
    this.again();
  }

  /** Says it once more for what now lies under the pointer. */
  again(): void {
    if (!this.at) return;
    const zone = zoneAt(session().doc, view(), this.at.x, this.at.y);
    const tool = toolInHand();
    const byPlace = placeDecides(tool, zone);
    this.box.style.cursor = (!byPlace && tool.cursor) || CURSORS[zone.kind];
    const hint = (!byPlace && tool.hint) || (zone.kind === "seam" && tool.seamHint) || HINTS[zone.kind];
    if (view().hint !== hint) setView({ hint });
    const old = preview().zone;
    const now = byPlace ? { kind: zone.kind as string, clipId: zone.clip?.id, seamId: zone.seam?.id } : null;
    if (old?.kind !== now?.kind || old?.clipId !== now?.clipId || old?.seamId !== now?.seamId) setPreview({ zone: now });
  }

  leave(gesturing: boolean): void {
    this.at = null;
    if (!gesturing) setPreview({ zone: null });
    setView({ hint: "" });
  }
}
