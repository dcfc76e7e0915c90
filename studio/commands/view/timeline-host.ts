import type { TimelineHost } from "@/timeline/host";
import { heightEdits, smoothSeam } from "../edit/actions";
import { closeBundle, openBundle } from "../edit/clip-actions";
import { pasteEdit } from "../edit/clipboard";
import { keyOf } from "../keys";
import { listenForKeys } from "../listen/listen";
import { laneItems, rulerItems } from "../menus/menus";

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
