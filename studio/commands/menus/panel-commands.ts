import { clipEnd } from "@wet-thread/core/model/schema";
import { setSettings, settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { INSPECTOR_TABS, type InspectorTab, setView, view } from "@/state/view/view";
import { openHelp } from "@/state/words/help";
import { toast } from "@/state/words/toast";
import { CLOTH_TOP, laneBoxes, RAIL } from "@/timeline/model/geometry";
import { findSeam } from "@/timeline/model/seam-classes";
import type { Command } from "../command";
import { reveal, revealTrack, selectedClips } from "../edit/actions";

/** Focuses the first element of a kind once what was just asked for is drawn. */
function focusSoon(selector: string): void {
  requestAnimationFrame(() => requestAnimationFrame(() => document.querySelector<HTMLElement>(selector)?.focus()));
}

export function toggleInspector(): void {
  if (view().narrow) setView({ inspectorOver: !view().inspectorOver });
  else setSettings({ inspector: !settings().inspector });
}

/** Shows a tab of the inspector, wherever that is. */
export function openTab(tab: InspectorTab): void {
  if (view().narrow) setView({ inspectorOver: true });
  else if (!settings().inspector) setSettings({ inspector: true });
  setView({ tab });
}

function showTab(tab: InspectorTab): void {
  openTab(tab);
  focusSoon("[role=tab][data-state=active]");
}

/** Where tempo and meter are listed and typed, in the form for a new one. */
function typeTempo(): void {
  showTab("marks");
  focusSoon("#new-tempo");
}

function stepTab(direction: 1 | -1): void {
  const n = INSPECTOR_TABS.length;
  showTab(INSPECTOR_TABS[(INSPECTOR_TABS.indexOf(view().tab) + direction + n) % n]);
}

const TAB_TITLES: Readonly<Record<InspectorTab, string>> = {
  clip: "Inspector: the clip",
  seam: "Inspector: the seam",
  track: "Inspector: the track",
  marks: "Inspector: markers, sections, tempo and meter",
  history: "Inspector: the history",
  sources: "Inspector: the recordings",
};

/** Where the menu of what is selected opens: an element, and a place on it in the lanes' own pixels where it is the lanes. */
function placeOfSelection(): { selector: string; x?: number; y?: number } | null {
  const { doc } = session();
  const { seamId, range, markId, trackId, playhead } = view();
  const [clip] = selectedClips();
  const seam = findSeam(doc, seamId);
  if (markId) return { selector: `[data-mark="${markId}"]` };
  if (!seam && !clip && !range && trackId) return { selector: `[data-track="${trackId}"]` };
  const lane = seam?.trackId ?? clip?.trackId ?? range?.trackIds[0] ?? laneBoxes(doc)[0]?.trackId;
  if (!lane) return null;
  const at = seam?.position ?? (clip ? (clip.start + clipEnd(clip)) / 2 : range ? (range.start + range.end) / 2 : playhead);
  // A clip's or range's own place may be in view though its middle is not.
  const { start, width, samplesPerPixel } = view();
  const [from, to] = clip ? [clip.start, clipEnd(clip)] : range ? [range.start, range.end] : [at, at];
  const shown = Math.max(from, Math.min(to, Math.max(start, Math.min(start + width * samplesPerPixel, at))));
  reveal(shown);
  revealTrack(lane);
  const box = laneBoxes(doc).find((b) => b.trackId === lane);
  if (!box) return null;
  const top = box.top - view().scrollY;
  const x = (shown - view().start) / view().samplesPerPixel;
  const y = seam ? top + box.height - RAIL / 2 - 1 : top + CLOTH_TOP + (box.height - CLOTH_TOP - RAIL) / 2;
  return { selector: "[data-testid=lanes]", x, y };
}

/** Opens the menu of what is selected, as a right click on it would. */
function openMenu(): void {
  const place = placeOfSelection();
  const element = place && document.querySelector<HTMLElement>(place.selector);
  if (!place || !element) return void toast("There is nothing here yet to have a menu.", { id: "select" });
  const r = element.getBoundingClientRect();
  const [clientX, clientY] = [r.left + (place.x ?? Math.min(20, r.width / 2)), r.top + (place.y ?? Math.min(12, r.height / 2))];
  element.dispatchEvent(new MouseEvent("contextmenu", { bubbles: true, cancelable: true, button: 2, clientX, clientY }));
}

/** Shows the first steps on the demo anew, or says where they are. */
function firstSteps(): void {
  setSettings({ firstSteps: { open: true, done: [] } });
  if (!document.querySelector("[data-step]")) toast("The first steps stand on the demo, Night shift at Harrow Mill.", { id: "first-steps" });
}

/** Ways to panels and menus for the keyboard. */
export const PANEL_COMMANDS: readonly Command[] = [
  { id: "help", title: "Help: how something is done", keys: ["F1"], run: () => (view().help ? setView({ help: null }) : openHelp()) },
  { id: "first-steps", title: "First steps, from the beginning", keys: [], run: firstSteps },
  { id: "menu", title: "Menu of what is selected", keys: ["ContextMenu", "Alt+Enter"], run: openMenu },
  { id: "mode-line", title: "Go to the mode line", keys: ["Alt+M"], run: () => focusSoon("[data-testid=mode-line] button") },
  { id: "export", title: "Export …", keys: ["Mod+E"], run: () => document.querySelector<HTMLElement>("[data-testid=export]")?.click() },
  { id: "next-tab", title: "Inspector: next page", keys: ["Alt+I"], run: () => stepTab(1) },
  { id: "previous-tab", title: "Inspector: previous page", keys: ["Alt+Shift+I"], run: () => stepTab(-1) },
  ...INSPECTOR_TABS.map((tab) => ({ id: `tab-${tab}`, title: TAB_TITLES[tab], keys: [], run: () => showTab(tab) })),
  { id: "type-tempo", title: "Tempo or meter at a typed place …", keys: [], run: typeTempo },
];
