import type { Document } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { transport } from "@/engine/transport";
import { session } from "@/state/session";
import { selectClips, setView, view } from "@/state/view";
import { showSpan } from "@/state/view-history";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import type { Zone } from "@/timeline/model/zones";
import type { MenuItem } from "@/ui/menu";
import { selectedBundle } from "./clip-actions";
import { hasCopy, hasSection, insertSection, pasteAt } from "./clipboard";
import { COMMANDS } from "./commands";
import { keyOf } from "./keys";
import { playTo } from "./listening";
import { addMarker } from "./marks";

const doc = (): Document => session().doc;

/** A command as a line of a menu, with its key. */
function of(id: string, label?: string, danger = false): MenuItem {
  const command = COMMANDS.find((c) => c.id === id);
  if (!command) throw new Error(`There is no command "${id}".`);
  return { label: label ?? command.title, keys: keyOf(id), danger, run: () => command.run() };
}

const pasteHere = (at: number, trackId: string | undefined): MenuItem => ({
  label: "Paste here",
  off: !hasCopy(),
  run: () => pasteAt(at, trackId),
});
const sectionHere = (at: number): MenuItem => ({ label: "Insert section here", off: !hasSection(), run: () => insertSection(at) });
const markerHere = (at: number): MenuItem => ({ label: "Set a marker here", run: () => addMarker(at) });

const listenHere = (at: number): MenuItem[] => [
  { label: "Playhead here", run: () => placePlayhead(at) },
  { label: "Play from here", run: () => void transport().play(at) },
  { label: "Play up to here", run: () => playTo(at) },
];

/** What can be done with the range. */
function rangeItems(): MenuItem[] {
  return [
    of("split", "Split out"),
    of("cut"),
    of("copy"),
    of("duplicate"),
    of("repeat"),
    "-",
    of("delete"),
    of("delete-close"),
    of("clear", "Silence: delete and leave the gap"),
    of("mute"),
    of("trim-range"),
    "-",
    of("fade-in"),
    of("fade-out"),
    of("blend", "Blend over the range"),
    "-",
    of("copy-section", "Copy section: this span of all tracks"),
    of("insert-time"),
    of("remove-time"),
    "-",
    of("loop", "Loop the range"),
    of("section"),
    of("play-range"),
    of("zoom-selection"),
    of("close-up"),
  ];
}

function clipItems(zone: Zone, at: number): MenuItem[] {
  const clip = zone.clip as NonNullable<Zone["clip"]>;
  const bundle = selectedBundle();
  const layered = doc()
    .lanes.get(clip.trackId)
    ?.within(clip.start, clipEnd(clip))
    .some((c) => c.id !== clip.id && c.layer !== clip.layer);
  const many = view().clipIds.size > 1;
  return [
    { label: "Split here", run: () => void session().edit([{ type: "split", clipIds: [clip.id], at }]) },
    of("split-many"),
    of("clear-silence"),
    "-",
    of("cut"),
    of("copy"),
    pasteHere(at, clip.trackId),
    of("duplicate"),
    of("repeat"),
    ...(bundle ? [of("duplicate-linked")] : []),
    "-",
    of("delete"),
    of("delete-close"),
    of("mute", clip.mute ? "Unmute" : "Mute"),
    of("fade-in"),
    of("fade-out"),
    "-",
    ...(many ? [of("join")] : []),
    of("print"),
    of("bundle", bundle ? "Bundle with what is selected" : "Bundle"),
    ...(bundle ? [of("open-bundle"), of("release")] : []),
    ...(bundle?.pattern ? [of("independent")] : []),
    ...(layered ? (["-", of("layer-up"), of("layer-down"), of("layer-top"), of("layer-bottom"), of("fan")] as MenuItem[]) : []),
    "-",
    ...listenHere(at),
    of("close-up"),
    "-",
    of("range-of-selection"),
    of("select-later"),
    of("select-track"),
  ];
}

/** The menu of a place in the lanes. */
export function laneItems(zone: Zone, at: number): MenuItem[] {
  const { range } = view();
  const inRange = range && zone.box && range.trackIds.includes(zone.box.trackId) && at >= range.start && at < range.end;
  if (zone.kind === "below")
    return [of("paste"), { label: "Add a track", run: () => void session().edit([{ type: "add-track" }]) }, of("select-all")];
  if (zone.kind === "seam" && zone.seam) {
    const { seam } = zone;
    setView({ seamId: seam.id, tab: "seam", clipIds: new Set(), trackId: seam.trackId });
    return [
      of("smooth"),
      of("blend", "Blend"),
      ...(seam.kind === "blended" && seam.right
        ? [{ label: "Take the blend off", run: () => void session().edit([{ type: "remove-blend", clipId: seam.right?.id }]) }]
        : []),
      "-",
      of("next-seam"),
      of("previous-seam"),
      { label: "Playhead to the seam", run: () => placePlayhead(seam.position) },
    ];
  }
  if (inRange) return rangeItems();
  if (zone.clip) {
    if (!view().clipIds.has(zone.clip.id)) selectClips(doc(), [zone.clip.id]);
    setView({ trackId: zone.clip.trackId });
    return clipItems(zone, at);
  }
  if (zone.box) setView({ trackId: zone.box.trackId });
  return [pasteHere(at, zone.box?.trackId), sectionHere(at), "-", markerHere(at), ...listenHere(at), "-", of("select-track"), of("select-all")];
}

/** The menu of a ruler, or of a marker or section on it. */
export function rulerItems(at: number, markId: string | null): MenuItem[] {
  const marker = markId ? doc().markers.get(markId) : undefined;
  const section = markId ? doc().sections.get(markId) : undefined;
  if (marker) {
    setView({ markId: marker.id });
    return [
      { label: `Playhead to ${marker.name}`, run: () => placePlayhead(marker.position) },
      of("next-marker"),
      of("previous-marker"),
      of("between-markers"),
      "-",
      of("mark-remove", "Remove the marker", true),
    ];
  }
  if (section) {
    setView({ markId: section.id });
    const over = { start: section.start, end: section.end, trackIds: doc().piece.trackOrder };
    return [
      { label: "Range over the section", run: () => setView({ range: over, clipIds: new Set(), seamId: null }) },
      of("copy-section", `Copy ${section.name} over all tracks`),
      sectionHere(section.start),
      {
        label: "Loop the section",
        run: () => void session().edit([{ type: "set-loop", loop: { start: section.start, end: section.end, on: true } }]),
      },
      { label: "Zoom to the section", run: () => showSpan(section.start, section.end) },
      "-",
      {
        label: "Remove the section's time",
        danger: true,
        run: () => void session().edit([{ type: "remove-time", start: section.start, end: section.end }], `Remove ${section.name}`),
      },
      of("mark-remove", "Remove the section's name"),
    ];
  }
  return [markerHere(at), ...listenHere(at), "-", sectionHere(at), of("insert-time"), of("remove-time"), "-", of("loop"), of("section")];
}

/** The menu of a track's head. */
export function headItems(trackId: string): MenuItem[] {
  const track = doc().tracks.get(trackId);
  if (!track) return [];
  setView({ trackId });
  const set = (change: Record<string, unknown>) => void session().edit([{ type: "set-track", trackIds: [trackId], ...change }]);
  const index = doc().piece.trackOrder.indexOf(trackId);
  const hidden = [...doc().tracks.values()].filter((t) => t.hidden);
  return [
    of("track-mute", track.mute ? "Unmute" : "Mute"),
    { label: track.solo ? "Take off solo" : "Solo", run: () => set({ solo: !track.solo }) },
    of("select-track"),
    "-",
    of("track-rename"),
    of("track-add", "Add a track below"),
    of("track-duplicate"),
    ...(index > 0 ? [of("track-up", "Move up")] : []),
    ...(index < doc().piece.trackOrder.length - 1 ? [of("track-down", "Move down")] : []),
    ...(track.link ? [of("links"), { label: "Take the link off", run: () => set({ link: null }) }] : []),
    "-",
    of("track-hide"),
    ...(hidden.length ? [of("tracks-show", hidden.length === 1 ? `Show ${hidden[0].name}` : `Show ${hidden.length} hidden tracks`)] : []),
    of("track-remove", undefined, true),
  ];
}
