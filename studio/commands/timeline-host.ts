import type { TimelineHost } from "@/timeline/host";
import { heightEdits, smoothSeam } from "./actions";
import { closeBundle, openBundle } from "./clip-actions";
import { pasteEdit } from "./clipboard";
import { keyOf } from "./keys";
import { listenForKeys } from "./listen";
import { laneItems, rulerItems } from "./menus";

/** What can be done, as the timeline asks for it. */
export const timelineHost: TimelineHost = {
  smoothSeam,
  openBundle,
  closeBundle,
  pasteEdit,
  heightEdits,
  laneItems,
  rulerItems,
  keyOf,
  listenForKeys,
};
