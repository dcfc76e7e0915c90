import { type Modes, Modes as ModesSchema, NEIGHBOURS, OVERLAPS, REACHES, RULERS } from "@wet-thread/core/model/modes";
import type { BlendLaw, Dye, FadeShape, StretchKind } from "@wet-thread/core/model/schema";
import type { PointKind } from "@wet-thread/core/snap/snap";
import { stepForZoom, type Timebase } from "@wet-thread/core/time/grid";
import type { GridStep } from "@wet-thread/core/time/grid-step";
import { create } from "zustand";
import { persist } from "zustand/middleware";
import { shareTabs } from "./share-tabs";

export type Target = "grid" | PointKind | "zero";
export type NudgeUnit = { readonly kind: "step"; readonly step: GridStep } | { readonly kind: "grid" };
export type Theme = "day" | "vat";

export { NEIGHBOURS, OVERLAPS, REACHES, RULERS };
export type Ruler = (typeof RULERS)[number];
export type Overlaps = (typeof OVERLAPS)[number];
export type Neighbours = (typeof NEIGHBOURS)[number];
export type Reach = (typeof REACHES)[number];

export interface FadePreset {
  readonly name: string;
  readonly ms: number;
  readonly shape: FadeShape;
  readonly bend: number;
}

/** What the mode line says, kept with each version, and what else this browser keeps from one visit to the next. */
export interface Settings extends Modes {
  /** How strongly grid lines are drawn, 0.2 to 2, and in which colour. */
  readonly gridStrength: number;
  readonly gridDye: Dye | null;
  /** The kind that stretching used last. */
  readonly stretchKind: StretchKind;
  /** The shape and bend that a fade was last given by hand: the next one gets them. */
  readonly lastFade: { readonly shape: FadeShape; readonly bend: number };
  /** What a blend was last given. */
  readonly lastBlend: { readonly law: BlendLaw; readonly place: "centred" | "before" | "after"; readonly ms: number };
  /** Gaps up to this long are filled before the joints of a range are blended; 0 for none. */
  readonly fillGapsMs: number;
  /** Fades kept under a name. */
  readonly fadePresets: readonly FadePreset[];
  /** When playing is stopped the playhead stays where the ear was, or returns to where play began. */
  readonly afterStop: "stay" | "return";
  /** Playing begins this long before the place that was asked for. */
  readonly preRollMs: number;
  /** How much of what comes before a place is heard when it is played up to. */
  readonly playToMs: number;
  /** How much of both sides of a seam is heard when one listens to it. */
  readonly seamLeadMs: number;
  readonly metronome: { readonly on: boolean; readonly gain: number };
  /** What counts as silence, and how much of it stays beside the sound, in ms. */
  readonly silence: { readonly shortest: number; readonly shortestSound: number; readonly before: number; readonly after: number };
  /** How far a splice may go to where both sides are most alike, and whether the later clip's audio may be shifted for it. */
  readonly settle: { readonly reachMs: number; readonly shifts: boolean };
  /** How hits are drawn to the grid; without a step to the grid in force. */
  readonly tighten: {
    readonly step: GridStep | null;
    readonly strength: number;
    readonly swing: number;
    readonly reachMs: number;
    readonly leaveMs: number;
    readonly leadMs: number;
    /** Left out by what was kept before there was a choice: by cutting. */
    readonly way?: "cutting" | "stretching";
    /** Name of the feel that is used in place of the grid's even lines. */
    readonly feel: string | null;
  };
  /** Feels that this browser kept before the server did; they are handed over to it. */
  readonly feels: readonly Omit<Feel, "id">[];
  readonly theme: Theme;
  readonly inspector: boolean;
  /** The table of all seams is open. */
  readonly seamCheck: boolean;
  readonly seamCheckHeight: number;
  /** On a wide page tools say their names beside their icons. */
  readonly toolNames: boolean;
  /** The lanes of a take stack stand by their rating, the best first. */
  readonly takesByRating: boolean;
  /** Parts of the inspector that were opened (true) or folded by hand, by name. */
  readonly folds: Readonly<Record<string, boolean>>;
  /** The lanes of the take stack that is meant are shown. */
  readonly takes: boolean;
  /** Whether hits are drawn on the cloth. */
  readonly showHits: boolean;
  /** A treatment and the bare sound are compared at equal loudness. */
  readonly equalLoudness: boolean;
  /** The picture that stands in for a film is shown, and by how many frames it runs ahead of the piece. */
  readonly picture: boolean;
  readonly pictureOffset: number;
  /** Commands that were found by words, by their ids, the last first. */
  readonly used: readonly string[];
  /** The card with the first steps on the demo, and which of them have been taken. */
  readonly firstSteps: { readonly open: boolean; readonly done: readonly FirstStep[] };
}

/** What a newcomer does first. */
export type FirstStep = "listen" | "closer" | "cut" | "move" | "smooth";

/** How somebody plays the lines of a bar: by how many ticks each comes later. */
export interface Feel {
  readonly id: string;
  readonly name: string;
  readonly step: GridStep;
  readonly offsets: readonly number[];
}

/** Names of what belongs to a version; all else is the browser's. */
export const MODES = Object.keys(ModesSchema.shape) as (keyof Modes)[];
const only = (all: Settings, wanted: (name: string) => boolean): Partial<Settings> =>
  Object.fromEntries(Object.entries(all).filter(([name]) => wanted(name)));
const isMode = (name: string): boolean => name in ModesSchema.shape;

export const modesOf = (all: Settings): Modes => only(all, isMode) as Modes;

export const SIXTEENTH: GridStep = { kind: "note", division: 16, feel: "straight" };

export const useSettings = create<Settings>()(
  persist(
    (): Settings => ({
      neighbours: "hold",
      reach: "track",
      overlaps: "blend",
      keepAttacks: true,
      linksOn: true,
      snapOn: true,
      targets: ["grid", "edge"],
      placing: "line",
      pull: "near",
      moveEdge: "start",
      edgeTargets: "both",
      family: "musical",
      followsZoom: true,
      step: SIXTEENTH,
      finest: null,
      showGrid: true,
      gridStrength: 1,
      gridDye: null,
      rulers: ["sections", "tempo", "bars", "time"],
      readOuts: ["bars", "time"],
      nudge: { kind: "step", step: { kind: "time", milliseconds: 10 } },
      edgeFadeMs: 4,
      edgeBlends: false,
      stretchKind: "smooth",
      edgeFadeShape: "power",
      edgeFadeBend: 0,
      lastFade: { shape: "power", bend: 0 },
      lastBlend: { law: "auto", place: "centred", ms: 12 },
      fillGapsMs: 0,
      fadePresets: [],
      afterStop: "stay",
      preRollMs: 0,
      playToMs: 2000,
      seamLeadMs: 1000,
      metronome: { on: false, gain: -12 },
      silence: { shortest: 300, shortestSound: 50, before: 60, after: 150 },
      settle: { reachMs: 20, shifts: false },
      tighten: { step: null, strength: 0.8, swing: 0, reachMs: 80, leaveMs: 5, leadMs: 4, feel: null },
      feels: [],
      theme: "day",
      inspector: true,
      seamCheck: false,
      seamCheckHeight: 304,
      toolNames: true,
      takesByRating: false,
      folds: {},
      takes: false,
      showHits: false,
      equalLoudness: false,
      picture: false,
      pictureOffset: 0,
      used: [],
      firstSteps: { open: true, done: [] },
    }),
    { name: "wet-thread settings", partialize: (all) => only(all, (name) => !isMode(name)) },
  ),
);
shareTabs(useSettings);

/** The modes that a version begins with. */
export const NEW_MODES: Modes = modesOf(useSettings.getInitialState());

export const settings = (): Settings => useSettings.getState();
export function setSettings(change: Partial<Settings>): void {
  useSettings.setState(change);
}

/** The grid step in force at a zoom and place. */
export function stepInForce({ followsZoom, family, step, finest }: Settings, samplesPerPixel: number, timebase: Timebase, tick: number): GridStep {
  return followsZoom ? stepForZoom(family, samplesPerPixel, timebase, tick, finest ?? undefined) : step;
}

/** The fade that new edges get, as the edits take it; undefined for none. */
export function edgeFade(sampleRate: number) {
  const { edgeFadeMs, edgeFadeShape: shape, edgeFadeBend: bend, keepAttacks: attacks } = settings();
  return edgeFadeMs > 0 ? { length: Math.round((edgeFadeMs * sampleRate) / 1000), shape, bend, attacks } : undefined;
}
