import { withBundles } from "@wet-thread/core/edit/bundles/members";
import type { Document } from "@wet-thread/core/model/document";
import { create } from "zustand";
import type { Neighbours, Overlaps } from "../kept/settings";

export const TOOLS = ["pointer", "range", "split", "shift", "stretch", "draw", "stamp", "mute", "erase", "listen", "zoom", "hand"] as const;
/** What the draw tool draws: a clip's gain or pan, or the gain ride of a track. */
export const DRAW_KINDS = ["gain", "pan", "pitch", "ride"] as const;
export type DrawKind = (typeof DRAW_KINDS)[number];
export interface LentWaves {
  readonly trackIds: ReadonlySet<string>;
  readonly magnify: number;
}
/** How many times as tall as they are a track's waveforms are drawn. */
export const magnifyOf = (view: Pick<View, "magnify" | "lentWaves">, trackId: string): number =>
  view.lentWaves?.trackIds.has(trackId) ? view.lentWaves.magnify : view.magnify;
/** Waveforms are drawn at most so many times as tall as they are. */
export const MOST_MAGNIFY = 64;

export type Tool = (typeof TOOLS)[number];
export const FOLLOWS = ["page", "centre", "stay"] as const;
export type Follow = (typeof FOLLOWS)[number];
export const INSPECTOR_TABS = ["clip", "seam", "track", "marks", "history", "sources"] as const;
export type InspectorTab = (typeof INSPECTOR_TABS)[number];

export interface TimeRange {
  readonly start: number;
  readonly end: number;
  readonly trackIds: readonly string[];
}

/** A drop that asks for its exact place: the positions that it would have at no distance, and how it is done at any. */
export interface Placing {
  /** Of what is dropped; a sync point where it has one. */
  readonly from: { readonly start: number; readonly end: number; readonly sync?: number };
  readonly x: number;
  readonly y: number;
  /** The distance at which it was dropped. */
  readonly by: number;
  /** Does it at a distance. */
  place(by: number): void;
}

/** What is seen and selected: not part of the piece, never sent. */
export interface View {
  /** Sample at the left edge, with its fraction. */
  readonly start: number;
  readonly samplesPerPixel: number;
  readonly scrollY: number;
  /** Size of the lanes, in CSS pixels. */
  readonly width: number;
  readonly height: number;
  readonly tool: Tool;
  readonly drawKind: DrawKind;
  /** The point of an envelope that is chosen, by its place in the list that is kept. */
  readonly point: ChosenPoint | null;
  readonly clipIds: ReadonlySet<string>;
  readonly range: TimeRange | null;
  readonly trackId: string | null;
  /** The tracks that are chosen together, `trackId` among them; empty where only that one is. */
  readonly trackIds: ReadonlySet<string>;
  readonly seamId: string | null;
  /** The seam that was made last, and where the playhead stood then. */
  readonly seamMade: { readonly id: string; readonly playhead: number } | null;
  /** The fade that is chosen, of one of the selected clips. */
  readonly fade: ChosenFade | null;
  /** The marker or section that is chosen (and nudged), and whether its small panel is open. */
  readonly markId: string | null;
  readonly markPanel: boolean;
  /** The track or clip whose name is being typed where it stands. */
  readonly naming: string | null;
  readonly playhead: number;
  readonly playing: boolean;
  /** What the view does while playing: turn a page, keep the playhead in the middle, or stay. */
  readonly follow: Follow;
  /** How many times taller waveforms are drawn; what is heard does not change. */
  readonly magnify: number;
  /** Taller waveforms that a panel lends some tracks while it is open. */
  readonly lentWaves: LentWaves | null;
  /** Of the selected clips, or of all where none is selected, only the attacks are heard. */
  readonly attacksOnly: boolean;
  /** By how many dB clips whose treatment is by-passed are louder for the ear, so that both are equally loud. */
  readonly bareGains: ReadonlyMap<string, number>;
  readonly tab: InspectorTab;
  /** The grid key is down: snapping is the other way round for the gesture. */
  readonly gridHeld: boolean;
  /** Modes that a held key lends. */
  readonly lent: { readonly neighbours?: Neighbours; readonly overlaps?: Overlaps };
  /** The bundle that is open: its clips are handled one by one. */
  readonly openBundle: string | null;
  /** Layers are spread out, one below the other, so that all can be seen and taken. */
  readonly fanned: boolean;
  /** Each click adds a clip to the selection or takes it out: for touch. */
  readonly picking: boolean;
  /** Nothing can be edited; a drag scrolls. */
  readonly locked: boolean;
  /** A drop that waits for its exact position. */
  readonly placing: Placing | null;
  /** The panel that is open over the lanes. */
  readonly panel: "split" | "repeat" | "silence" | "tighten" | "settle" | "kit" | "tempo" | "compare" | "palette" | "keys" | "list" | null;
  /** The help that is open beside the work: a page of the guide, or what is found for some words. */
  readonly help: { readonly page: string | null; readonly search: string } | null;
  /** Below this width of the page the inspector lies over the lanes, and is there only while it is asked for. */
  readonly narrow: boolean;
  readonly inspectorOver: boolean;
  /** A position is being typed in the first read-out, to go to. */
  readonly goingTo: boolean;
  /** What the pointer would do where it is, in words. */
  readonly hint: string;
  /** Tracks that a close-up draws taller than they are; their own heights stay. */
  readonly tall: Tall | null;
}

export interface ChosenPoint {
  readonly kind: DrawKind;
  /** Of the clip, or for a ride of the track. */
  readonly id: string;
  readonly index: number;
}

export interface ChosenFade {
  readonly clipId: string;
  readonly edge: "in" | "out";
}

/** Tracks and the height, in pixels, that a close-up gives each of them. */
export interface Tall {
  readonly trackIds: ReadonlySet<string>;
  readonly height: number;
}

export const useView = create<View>(() => ({
  start: 0,
  samplesPerPixel: 1200,
  scrollY: 0,
  width: 0,
  height: 0,
  tool: "pointer",
  drawKind: "gain",
  point: null,
  clipIds: new Set(),
  range: null,
  trackId: null,
  trackIds: new Set(),
  seamId: null,
  seamMade: null,
  fade: null,
  markId: null,
  markPanel: false,
  naming: null,
  playhead: 0,
  playing: false,
  follow: "page",
  magnify: 1,
  lentWaves: null,
  attacksOnly: false,
  bareGains: new Map(),
  tab: "clip",
  gridHeld: false,
  lent: {},
  openBundle: null,
  fanned: false,
  picking: false,
  locked: false,
  placing: null,
  panel: null,
  help: null,
  narrow: false,
  inspectorOver: false,
  goingTo: false,
  hint: "",
  tall: null,
}));

export const view = (): View => useView.getState();
export const setView = (change: Partial<View>): void => useView.setState(alone(change));

/** What was selected last is what the next key acts on: choosing a mark lets go of clips, range and seam, and the other way round. */
function alone(wanted: Partial<View>): Partial<View> {
  // Choosing one track by itself lets go of those that were chosen with another.
  const { trackIds } = view();
  const change =
    wanted.trackId !== undefined && wanted.trackIds === undefined && trackIds.size > 0 && !trackIds.has(wanted.trackId ?? "")
      ? { trackIds: NO_CLIPS, ...wanted }
      : wanted;
  // A fade is chosen by itself, with its clip selected; selecting anything anew lets go of it.
  if (change.point === undefined && view().point && ["clipIds", "range", "seamId", "markId", "tool", "drawKind"].some((key) => key in change))
    return alone({ ...change, point: null });
  if (change.fade === undefined && view().fade && ["clipIds", "range", "seamId", "markId"].some((key) => key in change))
    return alone({ ...change, fade: null });
  const takes = (change.clipIds?.size ?? 0) > 0 || Boolean(change.range) || Boolean(change.seamId);
  if (takes && change.markId === undefined) return { markId: null, markPanel: false, ...change };
  return change.markId && !takes ? { clipIds: NO_CLIPS, range: null, seamId: null, ...change } : change;
}
const NO_CLIPS: ReadonlySet<string> = new Set();

/** Finest zoom: one sample over this many pixels; coarsest: this many samples a pixel. */
export const MAX_PIXELS_PER_SAMPLE = 40;
export const MAX_SAMPLES_PER_PIXEL = 1_000_000;

/** A zoom within what can be drawn. */
export const zoomWithin = (samplesPerPixel: number): number => Math.min(MAX_SAMPLES_PER_PIXEL, Math.max(1 / MAX_PIXELS_PER_SAMPLE, samplesPerPixel));

/** Zooms by a factor about a pixel of the lanes. */
export function zoomAt(x: number, factor: number): void {
  const { start, samplesPerPixel } = view();
  const next = zoomWithin(samplesPerPixel * factor);
  setView({ samplesPerPixel: next, start: Math.max(0, start + x * (samplesPerPixel - next)) });
}

/** Where a span is shown with a little room on both sides. */
export function spanInView(from: number, to: number, room = 0.04): Pick<View, "start" | "samplesPerPixel"> {
  const { width } = view();
  const length = Math.max(to - from, width / MAX_PIXELS_PER_SAMPLE / 2);
  return { samplesPerPixel: zoomWithin((length * (1 + 2 * room)) / Math.max(1, width)), start: Math.max(0, from - length * room) };
}

/** Selects clips, with all of each bundle that is closed, taking the range and the seam off. */
export function selectClips(doc: Document, ids: Iterable<string>): void {
  setView({ clipIds: withBundles(doc, ids, view().openBundle), range: null, seamId: null, tab: "clip" });
}
