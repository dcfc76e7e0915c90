import { transport } from "@/engine/transport";
import { session } from "@/state/session";
import { setSettings, settings } from "@/state/settings";
import { earlierView, setView, view, zoomAt } from "@/state/view";
import * as act from "./actions";
import { copy, cut, paste } from "./clipboard";

/** Something that can be done, with its key. A key is written as it is pressed: Mod is Ctrl or Cmd. */
export interface Command {
  readonly id: string;
  readonly title: string;
  readonly keys: readonly string[];
  run(): void;
}

const middle = (): number => {
  const { playhead, start, samplesPerPixel, width } = view();
  const x = (playhead - start) / samplesPerPixel;
  return x >= 0 && x <= width ? x : width / 2;
};

export const COMMANDS: readonly Command[] = [
  { id: "play", title: "Play or stop", keys: ["Space"], run: () => transport().toggle() },
  {
    id: "play-range",
    title: "Play the range",
    keys: ["Shift+Space"],
    run: () => void transport().play(view().range?.start ?? view().playhead, view().range?.end ?? null),
  },
  {
    id: "to-start",
    title: "Playhead to the start",
    keys: ["Home"],
    run: () => (view().playing ? void transport().play(0) : setView({ playhead: 0, start: 0 })),
  },
  { id: "loop", title: "Loop on or off, or from the range", keys: ["L"], run: act.setLoopFromRange },
  { id: "undo", title: "Undo", keys: ["Mod+Z"], run: () => session().back("undo") },
  { id: "redo", title: "Redo", keys: ["Mod+Shift+Z", "Mod+Y"], run: () => session().back("redo") },
  { id: "split", title: "Split", keys: ["/"], run: act.split },
  { id: "delete", title: "Delete", keys: ["Delete", "Backspace"], run: act.deleteSelected },
  { id: "mute", title: "Mute or unmute clips", keys: ["U"], run: act.muteSelected },
  { id: "fade-in", title: "Fade in", keys: ["I"], run: () => act.fade("in") },
  { id: "fade-out", title: "Fade out", keys: ["O"], run: () => act.fade("out") },
  { id: "smooth", title: "Smooth the seam", keys: ["Y"], run: () => view().seamId && act.smoothSeam(view().seamId as string) },
  { id: "nudge-later", title: "Nudge later", keys: ["."], run: () => act.nudge(1) },
  { id: "nudge-start-later", title: "Nudge start later", keys: ["]"], run: () => act.nudge(1, "start") },
  { id: "nudge-start-earlier", title: "Nudge start earlier", keys: ["["], run: () => act.nudge(-1, "start") },
  { id: "nudge-end-later", title: "Nudge end later", keys: ["}"], run: () => act.nudge(1, "end") },
  { id: "nudge-end-earlier", title: "Nudge end earlier", keys: ["{"], run: () => act.nudge(-1, "end") },
  { id: "nudge-inside-later", title: "Nudge the audio inside later", keys: [">"], run: () => act.nudge(1, "inside") },
  { id: "nudge-inside-earlier", title: "Nudge the audio inside earlier", keys: ["<"], run: () => act.nudge(-1, "inside") },
  { id: "marker", title: "Marker at the playhead", keys: ["M"], run: act.addMarkerAtPlayhead },
  { id: "section", title: "Section of the range", keys: ["Shift+M"], run: act.sectionFromRange },
  { id: "next-marker", title: "Next marker", keys: ["K"], run: () => act.stepMarker(1) },
  { id: "previous-marker", title: "Previous marker", keys: ["Shift+K"], run: () => act.stepMarker(-1) },
  { id: "between-markers", title: "Range between the markers around the playhead", keys: ["B"], run: act.rangeBetweenMarkers },
  { id: "cut", title: "Cut", keys: ["Mod+X"], run: () => cut() },
  { id: "copy", title: "Copy", keys: ["Mod+C"], run: () => copy() },
  { id: "paste", title: "Paste at the playhead", keys: ["Mod+V"], run: () => paste() },
  { id: "nudge-earlier", title: "Nudge earlier", keys: [","], run: () => act.nudge(-1) },
  { id: "next-hit", title: "Next hit", keys: ["H"], run: () => act.stepHit(1) },
  { id: "previous-hit", title: "Previous hit", keys: ["Shift+H"], run: () => act.stepHit(-1) },
  { id: "next-seam", title: "Next seam", keys: ["J"], run: () => act.stepSeam(1) },
  { id: "previous-seam", title: "Previous seam", keys: ["Shift+J"], run: () => act.stepSeam(-1) },
  { id: "next-line", title: "Playhead to the next grid line", keys: ["ArrowRight"], run: () => act.stepGrid(1) },
  { id: "previous-line", title: "Playhead to the previous grid line", keys: ["ArrowLeft"], run: () => act.stepGrid(-1) },
  { id: "next-clip", title: "Next clip", keys: ["N"], run: () => act.stepClip(1) },
  { id: "previous-clip", title: "Previous clip", keys: ["Shift+N"], run: () => act.stepClip(-1) },
  { id: "select-all", title: "Select all clips", keys: ["Mod+A"], run: act.selectAll },
  {
    id: "select-none",
    title: "Select nothing",
    keys: ["Escape"],
    run: () => setView({ clipIds: new Set(), range: null, seamId: null, markId: null, markPanel: false }),
  },
  { id: "tool-pointer", title: "Pointer", keys: ["P"], run: () => setView({ tool: "pointer" }) },
  { id: "tool-range", title: "Range", keys: ["R"], run: () => setView({ tool: "range" }) },
  { id: "tool-split", title: "Split tool", keys: ["X"], run: () => setView({ tool: "split" }) },
  { id: "zoom-in", title: "Zoom in", keys: ["+", "="], run: () => zoomAt(middle(), 1 / 1.6) },
  { id: "zoom-out", title: "Zoom out", keys: ["-"], run: () => zoomAt(middle(), 1.6) },
  { id: "zoom-selection", title: "Zoom to the selection", keys: ["Z"], run: act.zoomToSelection },
  { id: "zoom-whole", title: "Zoom to the whole piece", keys: ["W"], run: act.zoomToWhole },
  { id: "zoom-back", title: "Back to the earlier view", keys: ["Shift+Z"], run: earlierView },
  { id: "follow", title: "View follows the playhead, or stays", keys: ["F"], run: () => setView({ follow: !view().follow }) },
  { id: "theme", title: "Light or dark", keys: ["Mod+Shift+L"], run: () => setSettings({ theme: settings().theme === "day" ? "vat" : "day" }) },
  { id: "inspector", title: "Show or hide the inspector", keys: ["Shift+I"], run: () => setSettings({ inspector: !settings().inspector }) },
];

const byKey = new Map(COMMANDS.flatMap((c) => c.keys.map((k) => [k, c])));

/** The command's key as a person reads it. */
export function keyOf(id: string): string {
  const [shown = ""] = COMMANDS.find((c) => c.id === id)?.keys ?? [];
  return shown.replace("Mod", "Ctrl").replace("ArrowRight", "→").replace("ArrowLeft", "←");
}

function pressed(e: KeyboardEvent): string {
  const named = e.key === " " ? "Space" : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  // A character that needs Shift, such as "+", is its own key; letters and names carry it.
  const shift = e.shiftKey && (named.length > 1 || /[A-Z]/.test(named));
  return `${e.ctrlKey || e.metaKey ? "Mod+" : ""}${shift ? "Shift+" : ""}${named}`;
}

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) &&
  !(target instanceof HTMLInputElement && /^(range|checkbox|radio|button)$/.test(target.type));
/** Open menus take their own keys; sliders and buttons only those that work them. */
const inMenu = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && target.closest("[role=menu],[role=dialog],[role=listbox]") !== null;
const takes = (target: EventTarget | null, key: string): boolean => {
  if (!(target instanceof HTMLElement)) return false;
  if (target.getAttribute("role") === "slider") return /^(Arrow|Page|Home|End)/.test(key);
  if (target.getAttribute("role") === "tab") return /^Arrow/.test(key);
  return false;
};

/** Taps shorter than this turn snapping on or off; longer ones only lend. */
export const TAP_MS = 250;

/** Listens for keys until the returned function is called. `cancel` ends a gesture; true when there was one. `busy` tells whether one is going on. */
export function listenForKeys(cancel: () => boolean, regrip: () => void, busy: () => boolean): () => void {
  let gridDown = 0;
  let gestured = false;
  const release = (): void => {
    if (gridDown === 0) return;
    const tap = performance.now() - gridDown < TAP_MS && !gestured;
    gridDown = 0;
    setView({ gridHeld: false });
    if (tap) setSettings({ snapOn: !settings().snapOn });
    regrip();
  };
  const down = (e: KeyboardEvent): void => {
    if (typing(e.target) || inMenu(e.target)) return;
    const key = pressed(e);
    if (e.key === "Escape" && cancel()) return;
    if (key === "G" || key === "Shift+G") {
      if (gridDown === 0) {
        gridDown = performance.now();
        gestured = busy();
        setView({ gridHeld: true });
        regrip();
      }
      e.preventDefault();
      return;
    }
    const command = byKey.get(key);
    if (!command || takes(e.target, e.key)) return;
    e.preventDefault();
    command.run();
  };
  const up = (e: KeyboardEvent): void => {
    if (e.key.toUpperCase() === "G") release();
  };
  // Held through a gesture the key only lends, however short the press was.
  const pointer = (): void => {
    gestured = true;
  };
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", release);
  window.addEventListener("pointerdown", pointer);
  return () => {
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", release);
    window.removeEventListener("pointerdown", pointer);
  };
}

/** Runs a command by its id, as its key would. */
export function runCommand(id: string): void {
  COMMANDS.find((c) => c.id === id)?.run();
}
