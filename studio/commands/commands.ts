import { transport } from "@/engine/transport";
import { NEIGHBOURS, type Neighbours, OVERLAPS, type Overlaps, REACHES, setSettings, settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { FOLLOWS, type Follow, MOST_MAGNIFY, setView, TOOLS, view, zoomAt } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import { TIMELINE_TOOLS } from "@/timeline/tools/tools";
import type { Command } from "./command";
import * as act from "./edit/actions";
import * as clip from "./edit/clip-actions";
import { copy, copySection, cut, insertSection, paste, showPaste } from "./edit/clipboard";
import { COMPING_COMMANDS } from "./edit/comping";
import * as hits from "./edit/hits";
import { removeMark } from "./edit/marks";
import { nudge, nudgeLength } from "./edit/nudge";
import { fillRoom, takeRoom } from "./edit/room";
import { settleChosen } from "./edit/settle";
import * as stretch from "./edit/stretch";
import * as takes from "./edit/takes";
import { TRACK_COMMANDS } from "./edit/track-commands";
import * as treat from "./edit/treat";
import { exportSelection } from "./files/export-here";
import { chooseFiles } from "./files/import-files";
import { keepSelected } from "./files/kept-parts";
import { openKit } from "./listen/kit";
import * as listen from "./listen/listening";
import * as record from "./listen/recording";
import * as sound from "./listen/sound";
import { PANEL_COMMANDS, toggleInspector } from "./menus/panel-commands";
import { stepVersion } from "./view/version-switch";

const middle = (): number => {
  const { playhead, start, samplesPerPixel, width } = view();
  const x = (playhead - start) / samplesPerPixel;
  return x >= 0 && x <= width ? x : width / 2;
};

const FOLLOW_WORDS: Readonly<Record<Follow, string>> = {
  page: "The view turns pages with the playhead.",
  centre: "The playhead stays in the middle.",
  stay: "The view stays where it is.",
};
function nextFollow(): void {
  const follow = FOLLOWS[(FOLLOWS.indexOf(view().follow) + 1) % FOLLOWS.length];
  setView({ follow });
  toast(FOLLOW_WORDS[follow], { id: "follow", duration: 1500 });
}

function nextAfterStop(): void {
  const afterStop = settings().afterStop === "stay" ? "return" : "stay";
  setSettings({ afterStop });
  toast(afterStop === "stay" ? "After stopping, the playhead stays." : "After stopping, the playhead returns to where play began.", {
    id: "after-stop",
    duration: 1800,
  });
}

const MAGNIFY_STEP = Math.SQRT2;
const magnify = (by: number): void => setView({ magnify: Math.max(1, Math.min(MOST_MAGNIFY, view().magnify * by)) });

const nextReach = (): void => {
  const { reach } = settings();
  setSettings({ reach: REACHES[(REACHES.indexOf(reach) + 1) % REACHES.length] });
};

/** Escape takes back one thing at a time: a waiting drop, an open panel, the selection, then the open bundle. */
function stepOut(): void {
  const { placing, panel, clipIds, range, seamId, markId, fade, point } = view();
  if (placing || panel) return setView({ placing: null, panel: null });
  if (fade || point) return setView({ fade: null, point: null });
  if (clipIds.size || range || seamId || markId) return setView({ clipIds: new Set(), range: null, seamId: null, markId: null, markPanel: false });
  if (!clip.closeBundle() && settings().seamCheck) setSettings({ seamCheck: false });
}

const NEIGHBOUR_TITLES: Readonly<Record<Neighbours, string>> = {
  hold: "Neighbours stay put",
  ripple: "Neighbours move along",
  reorder: "Neighbours change places",
  place: "Each drop asks for its place",
};
const OVERLAP_TITLES: Readonly<Record<Overlaps, string>> = { blend: "Overlaps blend", layer: "Overlaps lie over", cover: "Overlaps cover" };
/** Digits tell the rules of a drag: tapped they set them, held they lend them to one gesture. */
const NEIGHBOUR_KEYS: Readonly<Record<Neighbours, string>> = { hold: "1", ripple: "2", reorder: "3", place: "4" };
const OVERLAP_KEYS: Readonly<Record<Overlaps, string>> = { blend: "5", layer: "6", cover: "7" };
export const COMMANDS: readonly Command[] = [
  { id: "play", title: "Play or stop", keys: ["Space"], run: () => transport().toggle() },
  { id: "play-range", title: "Play the range, or the selected clips", keys: ["Shift+Space"], run: listen.playSelection },
  { id: "play-from", title: "Play from where the selection begins", keys: ["Shift+Enter"], run: listen.playFromSelection },
  { id: "play-to", title: "Play up to the playhead", keys: ["Mod+Enter"], run: () => listen.playTo(Math.round(view().playhead)) },
  { id: "solo", title: "Solo the track; held, only while it is held", keys: ["'"], run: listen.toggleSolo },
  {
    id: "metronome",
    title: "Metronome on or off",
    keys: ["Shift+T"],
    run: () => setSettings({ metronome: { ...settings().metronome, on: !settings().metronome.on } }),
  },
  { id: "after-stop", title: "After stopping: stay, or return to where play began", keys: ["Shift+Q"], run: nextAfterStop },
  {
    id: "to-start",
    title: "Playhead to the start",
    keys: ["Home"],
    run: () => {
      placePlayhead(0);
      setView({ start: 0 });
    },
  },
  { id: "to-end", title: "Playhead to the end", keys: ["End"], run: act.toEnd },
  { id: "loop", title: "Loop on or off, or from the range", keys: ["L"], run: act.setLoopFromRange },
  { id: "range-of-loop", title: "Range over the loop", keys: ["Alt+B"], run: act.rangeOfLoop },
  { id: "import", title: "Import recordings …", keys: ["Mod+O"], run: chooseFiles },
  { id: "export-selection", title: "Export the range, or the selected clips …", keys: ["Mod+Shift+E"], run: exportSelection },
  { id: "version-next", title: "Next version, as it was left", keys: ["Alt+J"], run: () => stepVersion(1, false) },
  { id: "version-next-here", title: "Next version, at the same bar", keys: ["Alt+K"], run: () => stepVersion(1, true) },
  { id: "compare", title: "Compare with another version …", keys: ["Alt+C"], run: () => setView({ panel: "compare" }) },
  { id: "undo", title: "Undo", keys: ["Mod+Z"], run: () => !record.waitsForTake() && session().back("undo") },
  ...record.RECORDING_COMMANDS,
  { id: "redo", title: "Redo", keys: ["Mod+Shift+Z", "Mod+Y"], run: () => session().back("redo") },
  { id: "split", title: "Split", keys: ["/"], run: clip.split },
  { id: "split-many", title: "Split at grid, hits, markers or in parts …", keys: ["?"], run: () => setView({ panel: "split" }) },
  { id: "tighten", title: "Tighten hits to the grid …", keys: ["Alt+G"], run: () => setView({ panel: "tighten" }) },
  { id: "tempo", title: "Tempo from a length, the sound, hits or taps …", keys: ["Alt+P"], run: () => setView({ panel: "tempo" }) },
  { id: "clear-silence", title: "Clear silence …", keys: ["Shift+U"], run: () => setView({ panel: "silence" }) },
  { id: "delete", title: "Delete", keys: ["Delete", "Backspace"], run: () => sound.deletePoint() || clip.deleteSelected() },
  { id: "delete-close", title: "Delete and close", keys: ["Shift+Delete", "Shift+Backspace"], run: () => clip.deleteSelected("ripple") },
  { id: "clear", title: "Delete and leave the gap", keys: ["Mod+Delete", "Mod+Backspace"], run: () => clip.deleteSelected("hold") },
  { id: "reverse", title: "Reverse", keys: ["Alt+V"], run: sound.reverse },
  { id: "treat-bypass", title: "Hear the bare sound, or the treated one", keys: ["Alt+A"], run: treat.bypass },
  { id: "treat-off", title: "Take treatments off", keys: [], run: treat.treatmentOff },
  { id: "invert", title: "Invert: clips, or what lies in the range", keys: [], run: () => void treat.addProcessor("invert") },
  { id: "normalise", title: "Normalise the selected clips", keys: [], run: () => void treat.addProcessor("normalise") },
  { id: "stretch-range", title: "Stretch to the range", keys: ["Shift+F"], run: stretch.toRange },
  { id: "stretch-grid", title: "Stretch to the nearest whole beats", keys: ["Shift+B"], run: stretch.toBeats },
  { id: "as-recorded", title: "As recorded: take stretch, warp and pitch off", keys: ["Alt+W"], run: stretch.asRecorded },
  { id: "pitch-up", title: "Pitch up by a semitone", keys: ["Alt+."], run: () => stretch.pitchBy(100) },
  { id: "pitch-down", title: "Pitch down by a semitone", keys: ["Alt+,"], run: () => stretch.pitchBy(-100) },
  { id: "warp-playhead", title: "Warp point at the playhead", keys: ["Alt+X"], run: stretch.warpAtPlayhead },
  { id: "warp-hits", title: "Warp points at all hits", keys: [], run: stretch.warpAtHits },
  { id: "warp-off", title: "Take all warp points off", keys: [], run: stretch.warpOff },
  { id: "gain-up", title: "Gain up by 1 dB: clips, or what lies in the range", keys: ["Alt+ArrowRight"], run: () => sound.gainBy(1) },
  { id: "gain-down", title: "Gain down by 1 dB", keys: ["Alt+ArrowLeft"], run: () => sound.gainBy(-1) },
  { id: "gain-up-6", title: "Gain up by 6 dB", keys: ["Alt+Shift+ArrowRight"], run: () => sound.gainBy(6) },
  { id: "gain-down-6", title: "Gain down by 6 dB", keys: ["Alt+Shift+ArrowLeft"], run: () => sound.gainBy(-6) },
  { id: "envelopes-copy", title: "Copy the envelopes of the clip", keys: ["Mod+Alt+C"], run: sound.copyEnvelopes },
  { id: "envelopes-paste", title: "Lay copied envelopes on the selected clips", keys: ["Mod+Alt+V"], run: sound.pasteEnvelopes },
  { id: "envelopes-off", title: "Take the envelopes off the selected clips", keys: [], run: sound.clearEnvelopes },
  { id: "draw-gain", title: "Draw the gain of clips", keys: [], run: () => setView({ tool: "draw", drawKind: "gain" }) },
  { id: "draw-pan", title: "Draw the pan of clips", keys: [], run: () => setView({ tool: "draw", drawKind: "pan" }) },
  { id: "draw-pitch", title: "Draw the pitch of clips", keys: [], run: () => setView({ tool: "draw", drawKind: "pitch" }) },
  { id: "draw-ride", title: "Ride the gain of tracks", keys: [], run: () => setView({ tool: "draw", drawKind: "ride" }) },
  { id: "mute", title: "Mute or unmute", keys: ["U"], run: clip.muteSelected },
  { id: "duplicate", title: "Duplicate", keys: ["D"], run: () => clip.repeat() },
  { id: "repeat", title: "Repeat or fill …", keys: ["Shift+D"], run: () => setView({ panel: "repeat" }) },
  { id: "join", title: "Join", keys: ["Mod+J"], run: clip.join },
  { id: "keep-part", title: "Keep the range, or the clip, in Sources under a name", keys: ["Alt+Shift+P"], run: () => void keepSelected() },
  { id: "print", title: "Print: makes a new recording of what is selected", keys: ["Shift+P"], run: () => void clip.print() },
  { id: "bundle", title: "Bundle", keys: ["Mod+B"], run: clip.bundle },
  { id: "release", title: "Release the bundle", keys: ["Mod+Shift+B"], run: clip.release },
  { id: "open-bundle", title: "Open the bundle", keys: ["Enter"], run: () => clip.openBundle() },
  { id: "duplicate-linked", title: "Duplicate the bundle, linked", keys: ["Mod+D"], run: () => clip.repeat(1, { bundles: "linked" }) },
  { id: "independent", title: "Make the bundle independent", keys: ["Mod+Shift+D"], run: clip.makeIndependent },
  { id: "stack", title: "Stack the selected takes", keys: ["Alt+D"], run: takes.stackTakes },
  { id: "takes", title: "Lanes of the take stack: show or hide", keys: ["Alt+E"], run: () => setSettings({ takes: !settings().takes }) },
  { id: "take-next", title: "Pick the next take, for the range or the pick at the playhead", keys: ["Alt+F"], run: () => takes.pickBeside(1) },
  { id: "take-previous", title: "Pick the take before", keys: ["Alt+Shift+F"], run: () => takes.pickBeside(-1) },
  { id: "kit", title: "Slice kit: hits or clips on keys", keys: ["Shift+G"], run: openKit },
  ...COMPING_COMMANDS,
  { id: "flatten", title: "Flatten the take stack to plain clips", keys: [], run: takes.flattenTakes },
  { id: "open-out", title: "Open out the takes, each on a track of its own", keys: [], run: takes.openOutTakes },
  { id: "layer-up", title: "One layer up", keys: ["PageUp"], run: () => clip.setLayer("up") },
  { id: "layer-down", title: "One layer down", keys: ["PageDown"], run: () => clip.setLayer("down") },
  { id: "layer-top", title: "To the top layer", keys: ["Shift+PageUp"], run: () => clip.setLayer("top") },
  { id: "layer-bottom", title: "To the bottom layer", keys: ["Shift+PageDown"], run: () => clip.setLayer("bottom") },
  { id: "snap", title: "Snapping on or off; held, the other way round", keys: ["G"], run: () => setSettings({ snapOn: !settings().snapOn }) },
  { id: "palette", title: "Find a command", keys: ["Mod+K"], run: () => setView({ panel: "palette" }) },
  { id: "keys", title: "Keys: see and change them", keys: ["Mod+/"], run: () => setView({ panel: "keys" }) },
  { id: "list", title: "Tracks, clips and seams as a list", keys: ["Mod+L"], run: () => setView({ panel: "list" }) },
  { id: "fan", title: "Look through the layers", keys: ["V"], run: () => setView({ fanned: !view().fanned }) },
  { id: "trim-start", title: "Trim start to the playhead", keys: ["("], run: () => clip.trimToPlayhead("start") },
  { id: "trim-end", title: "Trim end to the playhead", keys: [")"], run: () => clip.trimToPlayhead("end") },
  { id: "drop-shorter", title: "Cut at the playhead and drop the shorter side", keys: ["Alt+/"], run: clip.dropShorter },
  { id: "sync-hit", title: "Sync point at the hit nearest to the playhead", keys: ["Alt+H"], run: clip.syncAtHit },
  { id: "clip-rename", title: "Rename the clip", keys: ["Alt+R"], run: clip.renameClip },
  { id: "trim-range", title: "Trim to the range", keys: ["\\"], run: clip.trimToRange },
  { id: "start-next-hit", title: "Trim start to the next hit", keys: ["Alt+]"], run: () => clip.trimToHit("start", 1) },
  { id: "start-previous-hit", title: "Trim start to the previous hit", keys: ["Alt+["], run: () => clip.trimToHit("start", -1) },
  { id: "end-next-hit", title: "Trim end to the next hit", keys: ["Alt+}"], run: () => clip.trimToHit("end", 1) },
  { id: "end-previous-hit", title: "Trim end to the previous hit", keys: ["Alt+{"], run: () => clip.trimToHit("end", -1) },
  { id: "copy-section", title: "Copy section", keys: ["Mod+Shift+C"], run: copySection },
  { id: "insert-section", title: "Insert section at the playhead", keys: ["Mod+Shift+V"], run: () => insertSection() },
  { id: "insert-time", title: "Insert time as long as the range", keys: ["Mod+Shift+I"], run: clip.insertTime },
  { id: "remove-time", title: "Remove the range's time", keys: ["Mod+Shift+X"], run: clip.removeTime },
  { id: "links", title: "Links between tracks on or suspended", keys: ["Shift+L"], run: () => setSettings({ linksOn: !settings().linksOn }) },
  { id: "fade-in", title: "Fade in", keys: ["I"], run: () => act.fade("in") },
  { id: "fade-out", title: "Fade out", keys: ["O"], run: () => act.fade("out") },
  { id: "fade-both", title: "Fade in and out at every edge selected", keys: ["Mod+I"], run: () => clip.fadeAll() },
  { id: "fades-off", title: "Take the fades off what is selected", keys: ["Mod+Shift+O"], run: () => clip.fadeAll(true) },
  { id: "close-gaps", title: "Close gaps: pull the clips out", keys: ["Mod+G"], run: () => clip.closeGaps("pull") },
  { id: "close-gaps-move", title: "Close gaps: move up what is later", keys: ["Mod+Shift+G"], run: () => clip.closeGaps("move") },
  { id: "close-gaps-before", title: "Close gaps: move what is earlier later", keys: ["Alt+Shift+G"], run: () => clip.closeGaps("move-before") },
  { id: "fill-room", title: "Fill gaps with the room's own sound", keys: ["Alt+O"], run: () => void fillRoom() },
  { id: "take-room", title: "Take the range as the room that gaps are filled with", keys: ["Alt+Shift+O"], run: takeRoom },
  { id: "listen-seam", title: "Listen to the chosen seam", keys: ["Alt+Y"], run: listen.listenToSeam },
  { id: "blend", title: "Blend over the range, or the chosen seam", keys: ["C"], run: act.blend },
  { id: "smooth", title: "Smooth the seam", keys: ["Y"], run: act.smoothMeant },
  { id: "settle", title: "Settle the seam where both sides are most alike", keys: ["Alt+S"], run: settleChosen },
  { id: "seam-check", title: "Seam check: every seam in a table", keys: ["Shift+Y"], run: () => setSettings({ seamCheck: !settings().seamCheck }) },
  { id: "nudge-later", title: "Nudge later", keys: ["."], run: () => sound.pointAlong(nudgeLength()) || nudge(1) },
  { id: "nudge-start-later", title: "Nudge start later", keys: ["]"], run: () => nudge(1, "start") },
  { id: "nudge-start-earlier", title: "Nudge start earlier", keys: ["["], run: () => nudge(-1, "start") },
  { id: "nudge-end-later", title: "Nudge end later", keys: ["}"], run: () => nudge(1, "end") },
  { id: "nudge-end-earlier", title: "Nudge end earlier", keys: ["{"], run: () => nudge(-1, "end") },
  { id: "nudge-inside-later", title: "Nudge the audio inside later", keys: [">"], run: () => nudge(1, "inside") },
  { id: "nudge-inside-earlier", title: "Nudge the audio inside earlier", keys: ["<"], run: () => nudge(-1, "inside") },
  { id: "marker", title: "Marker at the playhead", keys: ["M"], run: act.addMarkerAtPlayhead },
  { id: "section", title: "Section of the range", keys: ["Shift+M"], run: act.sectionFromRange },
  { id: "next-marker", title: "Next marker", keys: ["K"], run: () => act.stepMarker(1) },
  { id: "previous-marker", title: "Previous marker", keys: ["Shift+K"], run: () => act.stepMarker(-1) },
  { id: "between-markers", title: "Range between the markers around the playhead", keys: ["B"], run: act.rangeBetweenMarkers },
  { id: "cut", title: "Cut", keys: ["Mod+X"], run: () => cut() },
  { id: "copy", title: "Copy", keys: ["Mod+C"], run: () => copy() },
  { id: "paste", title: "Paste at the playhead; held, shows what that would do", keys: ["Mod+V"], run: () => paste() },
  { id: "nudge-earlier", title: "Nudge earlier", keys: [","], run: () => sound.pointAlong(-nudgeLength()) || nudge(-1) },
  { id: "next-hit", title: "Next hit", keys: ["H"], run: () => act.stepHit(1) },
  { id: "previous-hit", title: "Previous hit", keys: ["Shift+H"], run: () => act.stepHit(-1) },
  { id: "show-hits", title: "Hits on the cloth, or not", keys: [], run: hits.showHits },
  { id: "attacks-only", title: "Hear only the attacks, or everything", keys: [], run: hits.attacksOnly },
  { id: "range-next-hit", title: "Range's end to the next hit", keys: ["Mod+]"], run: () => act.rangeToHit(1) },
  { id: "range-previous-hit", title: "Range's end to the previous hit", keys: ["Mod+["], run: () => act.rangeToHit(-1) },
  { id: "add-hit", title: "Add a hit at the playhead, drawn to its attack", keys: [], run: hits.addHit },
  { id: "remove-hit", title: "Take away the hits in the range, or the nearest to the playhead", keys: [], run: hits.removeHit },
  { id: "clear-hits", title: "Take all hits of the selected clips away", keys: [], run: hits.clearHits },
  { id: "hits-as-found", title: "Hits as they were found", keys: [], run: hits.hitsAsFound },
  { id: "go-to", title: "Go to a position: typed, in any unit", keys: ["Shift+O"], run: () => setView({ goingTo: true }) },
  { id: "next-seam", title: "Next seam", keys: ["J"], run: () => act.stepSeam(1) },
  { id: "previous-seam", title: "Previous seam", keys: ["Shift+J"], run: () => act.stepSeam(-1) },
  { id: "next-line", title: "Playhead to the next grid line", keys: ["ArrowRight"], run: () => act.stepGrid(1) },
  { id: "previous-line", title: "Playhead to the previous grid line", keys: ["ArrowLeft"], run: () => act.stepGrid(-1) },
  { id: "next-clip", title: "Next clip", keys: ["N"], run: () => act.stepClip(1) },
  { id: "previous-clip", title: "Previous clip", keys: ["Shift+N"], run: () => act.stepClip(-1) },
  { id: "lock", title: "Lock the view, or lift the lock", keys: ["Shift+V"], run: () => setView({ locked: !view().locked }) },
  { id: "select-track", title: "Select all on the track", keys: ["A"], run: clip.selectTrack },
  { id: "select-later", title: "Select all to the right", keys: ["Shift+A"], run: clip.selectLater },
  { id: "range-of-selection", title: "Range over the selection", keys: ["Shift+R"], run: clip.rangeOfSelection },
  { id: "picking", title: "Pick several: each click adds or takes out", keys: ["Shift+S"], run: () => setView({ picking: !view().picking }) },
  { id: "select-all", title: "Select all clips", keys: ["Mod+A"], run: act.selectAll },
  { id: "select-none", title: "Select nothing, then close the bundle", keys: ["Escape"], run: stepOut },
  ...TOOLS.map((tool) => {
    const { name, does, key } = TIMELINE_TOOLS[tool];
    return { id: `tool-${tool}`, title: `${name} tool${does ? `: ${does}` : ""}`, keys: [key], run: () => setView({ tool }) };
  }),
  ...NEIGHBOURS.map((n) => ({
    id: `neighbours-${n}`,
    title: NEIGHBOUR_TITLES[n],
    keys: [NEIGHBOUR_KEYS[n]],
    run: () => setSettings({ neighbours: n }),
  })),
  ...OVERLAPS.map((o) => ({ id: `overlaps-${o}`, title: OVERLAP_TITLES[o], keys: [OVERLAP_KEYS[o]], run: () => setSettings({ overlaps: o }) })),
  { id: "reach", title: "What ripples: this track, linked tracks, all tracks", keys: ["0"], run: nextReach },
  { id: "zoom-in", title: "Zoom in", keys: ["+", "="], run: () => zoomAt(middle(), 1 / 1.6) },
  { id: "zoom-out", title: "Zoom out", keys: ["-"], run: () => zoomAt(middle(), 1.6) },
  { id: "zoom-selection", title: "Zoom to the selection", keys: ["Z"], run: act.zoomToSelection },
  { id: "zoom-whole", title: "Zoom to the whole piece", keys: ["W"], run: act.zoomToWhole },
  { id: "zoom-back", title: "Back to the earlier view", keys: ["Shift+Z"], run: act.earlierView },
  { id: "zoom-forward", title: "Forward to the later view", keys: ["Alt+Z"], run: act.laterView },
  { id: "close-up", title: "Close-up of the selection, and back", keys: ["Shift+C"], run: act.closeUp },
  { id: "scroll-later", title: "Scroll later", keys: ["Mod+ArrowRight"], run: () => act.scrollBy(0.5, 0) },
  { id: "scroll-earlier", title: "Scroll earlier", keys: ["Mod+ArrowLeft"], run: () => act.scrollBy(-0.5, 0) },
  { id: "scroll-down", title: "Scroll down", keys: ["Alt+PageDown"], run: () => act.scrollBy(0, 0.5) },
  { id: "scroll-up", title: "Scroll up", keys: ["Alt+PageUp"], run: () => act.scrollBy(0, -0.5) },
  { id: "next-track", title: "Next track", keys: ["Alt+ArrowDown"], run: () => act.stepTrack(1) },
  { id: "previous-track", title: "Previous track", keys: ["Alt+ArrowUp"], run: () => act.stepTrack(-1) },
  { id: "range-start", title: "Range starts at the playhead", keys: [";"], run: () => act.rangeFromPlayhead("start") },
  { id: "range-end", title: "Range ends at the playhead", keys: [":"], run: () => act.rangeFromPlayhead("end") },
  { id: "follow", title: "View turns pages, keeps the playhead in the middle, or stays", keys: ["F"], run: nextFollow },
  { id: "magnify", title: "Taller waveforms; the chosen point up", keys: ["ArrowUp"], run: () => sound.pointBy(1) || magnify(MAGNIFY_STEP) },
  {
    id: "magnify-less",
    title: "Lower waveforms; the chosen point down",
    keys: ["ArrowDown"],
    run: () => sound.pointBy(-1) || magnify(1 / MAGNIFY_STEP),
  },
  { id: "magnify-none", title: "Waveforms at their own height", keys: ["Mod+ArrowDown"], run: () => setView({ magnify: 1 }) },
  { id: "taller", title: "All tracks taller", keys: ["Shift+ArrowUp"], run: () => act.trackHeights(1.25) },
  { id: "lower", title: "All tracks lower", keys: ["Shift+ArrowDown"], run: () => act.trackHeights(1 / 1.25) },
  { id: "track-taller", title: "The chosen track taller", keys: ["Alt+Shift+ArrowUp"], run: () => act.trackHeights(1.25, true) },
  { id: "track-lower", title: "The chosen track lower", keys: ["Alt+Shift+ArrowDown"], run: () => act.trackHeights(1 / 1.25, true) },
  { id: "picture", title: "Picture: a made-up frame for every timecode", keys: ["Alt+Q"], run: () => setSettings({ picture: !settings().picture }) },
  { id: "frame-on", title: "Playhead one frame on", keys: ["Shift+ArrowRight"], run: () => act.stepFrame(1) },
  { id: "frame-back", title: "Playhead one frame back", keys: ["Shift+ArrowLeft"], run: () => act.stepFrame(-1) },
  { id: "theme", title: "Light or dark", keys: ["Mod+Shift+L"], run: () => setSettings({ theme: settings().theme === "day" ? "vat" : "day" }) },
  ...TRACK_COMMANDS,
  { id: "mark-remove", title: "Remove the chosen marker, or the section's name", keys: [], run: removeMark },
  ...PANEL_COMMANDS,
  {
    id: "tool-names",
    title: "Names beside the tools, where there is room, or not",
    keys: [],
    run: () => setSettings({ toolNames: !settings().toolNames }),
  },
  { id: "inspector", title: "Show or hide the inspector", keys: ["Shift+I"], run: toggleInspector },
];

/** Taps shorter than this set what a key stands for; longer ones, or those that a gesture fell into, only lend it. */
export const TAP_MS = 250;

/** What a held key lends for as long as it is down: `lend` begins it and returns what ends it; a tap instead does `tap`. */
export interface Loan {
  lend(): () => void;
  tap(): void;
}

const lendModes = (lent: ReturnType<typeof view>["lent"]) => (): (() => void) => {
  // A rule for neighbours and one for overlaps may be held together; each gives back only its own.
  setView({ lent: { ...view().lent, ...lent } });
  return () => setView({ lent: Object.fromEntries(Object.entries(view().lent).filter(([rule]) => !(rule in lent))) });
};

/** Commands whose keys work while they are held: snapping, the rules of a drag, the tools. */
export const LOANS: ReadonlyMap<string, Loan> = new Map<string, Loan>([
  [
    "snap",
    {
      lend() {
        setView({ gridHeld: true });
        return () => setView({ gridHeld: false });
      },
      tap: () => setSettings({ snapOn: !settings().snapOn }),
    },
  ],
  ["paste", { lend: showPaste, tap: paste }],
  ["solo", { lend: listen.soloHeld, tap: listen.toggleSolo }],
  [
    "fan",
    {
      lend() {
        const { fanned } = view();
        setView({ fanned: !fanned });
        return () => setView({ fanned });
      },
      tap: () => setView({ fanned: !view().fanned }),
    },
  ],
  ...NEIGHBOURS.map((n): [string, Loan] => [`neighbours-${n}`, { lend: lendModes({ neighbours: n }), tap: () => setSettings({ neighbours: n }) }]),
  ...OVERLAPS.map((o): [string, Loan] => [`overlaps-${o}`, { lend: lendModes({ overlaps: o }), tap: () => setSettings({ overlaps: o }) }]),
  ...TOOLS.map((tool): [string, Loan] => [
    `tool-${tool}`,
    {
      lend() {
        const before = view().tool;
        setView({ tool });
        return () => setView({ tool: before });
      },
      tap: () => setView({ tool }),
    },
  ]),
]);

/** Runs a command by its id, as its key would. */
export function runCommand(id: string): void {
  COMMANDS.find((c) => c.id === id)?.run();
}
