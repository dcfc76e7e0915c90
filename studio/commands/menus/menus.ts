import type { Document } from "@wet-thread/core/model/document";
import { clipEnd, DYES } from "@wet-thread/core/model/schema";
import { transport } from "@/engine/transport";
import { RULERS, settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { INSPECTOR_TABS, selectClips, setView, TOOLS, view } from "@/state/view/view";
import { showSpan } from "@/state/view/view-history";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import type { Zone } from "@/timeline/model/zones";
import { RULER_NAMES } from "@/timeline/paint/rulers";
import type { MenuItem } from "@/ui/menu";
import { COMMANDS } from "../commands";
import { selectedBundle } from "../edit/clip-actions";
import { hasCopy, hasSection, insertSection, pasteAt } from "../edit/clipboard";
import { addMarker } from "../edit/marks";
import { chosenTracks } from "../edit/track-commands";
import { exportSpan } from "../files/export-here";
import { keyOf } from "../keys";
import { playTo } from "../listen/listening";
import { toggleRuler } from "../view/rulers";
import { AMOUNTS, zoomToAmount } from "../view/zoom-amounts";
import { type Entry, type MenuPlace, TREES } from "./menu-trees";
import { takeItems } from "./take-items";

const doc = (): Document => session().doc;

/** What a menu makes of its entries: items for those in braces (null leaves one out), other labels, and commands left out here. */
interface Made {
  readonly items?: Readonly<Record<string, MenuItem | readonly MenuItem[] | null>>;
  readonly labels?: Readonly<Record<string, string>>;
  readonly without?: ReadonlySet<string>;
  readonly danger?: ReadonlySet<string>;
}

/** A command as a line of a menu, with its key. */
function of(id: string, label: string | undefined, { labels, danger }: Made): MenuItem {
  const command = COMMANDS.find((c) => c.id === id);
  if (!command) throw new Error(`There is no command "${id}".`);
  return { label: labels?.[id] ?? label ?? command.title, keys: keyOf(id), danger: danger?.has(id), run: () => command.run() };
}

function itemsOf(entries: readonly Entry[], made: Made): MenuItem[] {
  const list: MenuItem[] = [];
  for (const entry of entries) {
    if (entry === "-") {
      if (list.length > 0 && list.at(-1) !== "-") list.push("-");
    } else if (typeof entry === "object" && "group" in entry) {
      const items = itemsOf(entry.of, made);
      if (items.length) list.push({ label: entry.group, items });
    } else if (typeof entry === "string" && entry.startsWith("{")) {
      const item = made.items?.[entry.slice(1, -1)];
      if (Array.isArray(item)) list.push(...item);
      else if (item) list.push(item as MenuItem);
    } else {
      const [id, label] = typeof entry === "string" ? [entry, undefined] : entry;
      if (!made.without?.has(id)) list.push(of(id, label, made));
    }
  }
  if (list.at(-1) === "-") list.pop();
  return list;
}

const menu = (place: MenuPlace, made: Made = {}): MenuItem[] => itemsOf(TREES[place], made);

/** What can be done at a place of the timeline. */
const placeItems = (at: number, trackId?: string): Record<string, MenuItem> => ({
  paste: { label: "Paste here", off: !hasCopy(), run: () => pasteAt(at, trackId) },
  section: { label: "Insert section here", off: !hasSection(), run: () => insertSection(at) },
  marker: { label: "Set a marker here", run: () => addMarker(at) },
  playhead: { label: "Playhead here", run: () => placePlayhead(at) },
  play: { label: "Play from here", run: () => void transport().play(at) },
  "play-to": { label: "Play up to here", run: () => playTo(at) },
});

function clipItems(zone: Zone, at: number): MenuItem[] {
  const clip = zone.clip as NonNullable<Zone["clip"]>;
  const bundle = selectedBundle();
  const layered = doc()
    .lanes.get(clip.trackId)
    ?.within(clip.start, clipEnd(clip))
    .some((c) => c.id !== clip.id && c.layer !== clip.layer);
  const without = new Set([
    ...(view().clipIds.size > 1 ? [] : ["join"]),
    ...(bundle ? [] : ["open-bundle", "release", "duplicate-linked"]),
    ...(bundle?.pattern ? [] : ["independent"]),
    ...(layered ? [] : ["layer-up", "layer-down", "layer-top", "layer-bottom", "fan"]),
  ]);
  return menu("clip", {
    without,
    labels: { mute: clip.mute ? "Unmute" : "Mute", bundle: bundle ? "Bundle with what is selected" : "Bundle" },
    items: {
      ...placeItems(at, clip.trackId),
      take: takeItems(clip),
      split: { label: "Split here", run: () => void session().edit([{ type: "split", clipIds: [clip.id], at }]) },
    },
  });
}

function seamItems(seam: NonNullable<Zone["seam"]>): MenuItem[] {
  setView({ seamId: seam.id, tab: "seam", clipIds: new Set(), trackId: seam.trackId });
  const { right } = seam;
  return menu("seam", {
    items: {
      unblend:
        seam.kind === "blended" && right
          ? { label: "Take the blend off", run: () => void session().edit([{ type: "remove-blend", clipId: right.id }]) }
          : null,
      "to-seam": { label: "Playhead to the seam", run: () => placePlayhead(seam.position) },
    },
  });
}

/** The menu of a place in the lanes. */
export function laneItems(zone: Zone, at: number): MenuItem[] {
  const { range } = view();
  const inRange = range && zone.box && range.trackIds.includes(zone.box.trackId) && at >= range.start && at < range.end;
  if (zone.kind === "below") return menu("below");
  if (zone.kind === "seam" && zone.seam) return seamItems(zone.seam);
  if (inRange) return menu("range");
  if (zone.clip) {
    if (!view().clipIds.has(zone.clip.id)) selectClips(doc(), [zone.clip.id]);
    setView({ trackId: zone.clip.trackId });
    return clipItems(zone, at);
  }
  const trackId = zone.box?.trackId;
  return menu("lane", { items: { ...placeItems(at, trackId), track: trackId ? headItems(trackId) : null } });
}

/** Each ruler with whether it is shown. */
const rulerSwitches = (): MenuItem[] =>
  RULERS.map((ruler) => {
    const { rulers } = settings();
    const on = rulers.includes(ruler);
    return {
      label: RULER_NAMES[ruler],
      on,
      off: on && rulers.length === 1,
      run: () => toggleRuler(ruler),
    };
  });

/** The menu of a ruler, or of a marker or section on it. */
export function rulerItems(at: number, markId: string | null): MenuItem[] {
  const marker = markId ? doc().markers.get(markId) : undefined;
  const section = markId ? doc().sections.get(markId) : undefined;
  if (marker) {
    setView({ markId: marker.id });
    return menu("marker", {
      danger: new Set(["mark-remove"]),
      items: { "to-mark": { label: `Playhead to ${marker.name}`, run: () => placePlayhead(marker.position) } },
    });
  }
  if (section) {
    setView({ markId: section.id });
    const { start, end, name } = section;
    const { keys, run } = of("copy-section", undefined, {}) as { keys: string; run(): void };
    return menu("section", {
      items: {
        "range-of-mark": {
          label: "Range over the section",
          run: () => setView({ range: { start, end, trackIds: doc().piece.trackOrder }, clipIds: new Set(), seamId: null }),
        },
        "copy-mark": { label: `Copy ${name} over all tracks`, keys, run },
        "section-at-mark": placeItems(start).section,
        "loop-mark": { label: "Loop the section", run: () => void session().edit([{ type: "set-loop", loop: { start, end, on: true } }]) },
        "export-mark": { label: "Export the section …", run: () => exportSpan({ start, end }, name) },
        "zoom-mark": { label: "Zoom to the section", run: () => showSpan(start, end) },
        "remove-mark-time": {
          label: "Remove the section's time",
          danger: true,
          run: () => void session().edit([{ type: "remove-time", start, end }], `Remove ${name}`),
        },
      },
    });
  }
  return menu("ruler", { items: { ...placeItems(at), rulers: { label: "Rulers", items: rulerSwitches() } } });
}

/** The menu of a track's head: of all chosen tracks where it is one of them. */
export function headItems(trackId: string): MenuItem[] {
  const track = doc().tracks.get(trackId);
  if (!track) return [];
  if (!chosenTracks().includes(trackId)) setView({ trackId, trackIds: new Set() });
  const ids = chosenTracks();
  const order = doc().piece.trackOrder;
  const hidden = [...doc().tracks.values()].filter((t) => t.hidden);
  const linked = ids.some((id) => doc().tracks.get(id)?.link);
  const these = ids.length > 1 ? `${ids.length} tracks` : "track";
  return menu("head", {
    danger: new Set(["track-remove"]),
    labels: {
      "track-mute": track.mute ? `Unmute ${these}` : `Mute ${these}`,
      "track-solo": track.solo ? "Take off solo" : `Solo ${these}`,
      "track-remove": `Remove ${these}`,
      "track-hide": `Hide ${these}`,
      "tracks-show": hidden.length === 1 ? `Show ${hidden[0].name}` : `Show ${hidden.length} hidden tracks`,
    },
    without: new Set([
      ...(order.indexOf(trackId) === 0 ? ["track-up"] : []),
      ...(order.at(-1) === trackId ? ["track-down"] : []),
      ...(ids.length < 2 ? ["track-link"] : []),
      ...(linked ? [] : ["track-unlink", "links"]),
      ...(hidden.length ? [] : ["tracks-show"]),
    ]),
    items: {
      dyes: DYES.map((color) => ({
        label: color,
        on: track.color === color,
        run: () => void session().edit([{ type: "set-track", trackIds: [...chosenTracks()], color }]),
      })),
    },
  });
}

const commandsOf = (ids: readonly string[], on: (id: string) => boolean): MenuItem[] =>
  ids.map((id) => ({ ...(of(id, undefined, {}) as Exclude<MenuItem, "-">), on: on(id) }) as MenuItem);

/** Menus of the parts of the page around the timeline. */
export const barItems = {
  tools: () =>
    menu("tools", {
      items: {
        tools: commandsOf(
          TOOLS.map((t) => `tool-${t}`),
          (id) => id === `tool-${view().tool}`,
        ),
      },
    }),
  modes: () => menu("modes"),
  overview: () => menu("overview", { items: { amounts: AMOUNTS.map(({ label, seconds }) => ({ label, run: () => zoomToAmount(seconds) })) } }),
  top: () => menu("top"),
  inspector: () =>
    menu("inspector", {
      items: {
        tabs: commandsOf(
          INSPECTOR_TABS.map((t) => `tab-${t}`),
          (id) => id === `tab-${view().tab}`,
        ),
      },
    }),
} as const;
