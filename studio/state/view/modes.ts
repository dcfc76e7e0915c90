import type { Edit } from "@wet-thread/core/edit/registry";
import { edgeFade, type Neighbours, settings } from "../kept/settings";
import { view } from "./view";

/** The rule for neighbours that is in force: what the mode line says, or what a held key lends. */
export const neighboursInForce = (): Neighbours => view().lent.neighbours ?? settings().neighbours;

/** What the mode line adds to every edit: what new edges get, links, the open bundle. */
export function edited(edit: Edit, sampleRate: number): Edit {
  const { openBundle } = view();
  const { linksOn: links, edgeBlends } = settings();
  const fade = edgeFade(sampleRate);
  return { ...edit, edgeFade: fade, ...(fade && edgeBlends && { edgeBlend: true }), links, ...(openBundle ? { inside: openBundle } : {}) };
}

/** The rules for neighbours, as edits take them. */
export function neighbourRules(): { neighbours: "hold" | "ripple" | "reorder"; reach: "track" | "linked" | "all" } {
  const neighbours = neighboursInForce();
  return { neighbours: neighbours === "place" ? "hold" : neighbours, reach: settings().reach };
}

/** The rules for neighbours and overlaps, as edits take them. */
export const modeRules = () => ({ ...neighbourRules(), overlap: view().lent.overlaps ?? settings().overlaps, attacks: settings().keepAttacks });
