import type { StandInKind } from "@wet-thread/core/render/stand-in";
import { create } from "zustand";
import { persist } from "zustand/middleware";
import { shareTabs } from "./share-tabs";

/** The input that is always there: it plays along with the piece in place of a sound device. */
export const STAND_IN = "stand-in";

/** What a track is recorded from. */
export interface TrackInput {
  readonly input: string;
  /** Channels of the input, counted from 0: one, or a pair. */
  readonly channels: readonly number[];
  /** Whether what comes in is heard. */
  readonly monitor: boolean;
}
export const FIRST_INPUT: TrackInput = { input: STAND_IN, channels: [0], monitor: false };

/** A round trip that was measured, in samples at a rate. */
export interface Measured {
  readonly samples: number;
  readonly rate: number;
}

/** How one records, kept by the browser from one visit to the next. */
export interface RecordingSettings {
  readonly inputs: Readonly<Record<string, TrackInput>>;
  readonly standIn: { readonly kind: StandInKind; readonly delayMs: number };
  readonly roundTrips: Readonly<Record<string, Measured>>;
  /** Bars that are counted before, and how much of the piece is heard before, in ms. */
  readonly countInBars: number;
  readonly preRollMs: number;
  /** Where a range is selected, only that is recorded. */
  readonly punch: boolean;
  /** Recordings that this browser began and has not seen end. */
  readonly begun: readonly string[];
}

export const useRecording = create<RecordingSettings>()(
  persist(
    (): RecordingSettings => ({
      inputs: {},
      standIn: { kind: "click", delayMs: 10 },
      roundTrips: {},
      countInBars: 1,
      preRollMs: 0,
      punch: true,
      begun: [],
    }),
    { name: "wet-thread recording" },
  ),
);
shareTabs(useRecording);
export const recordingSettings = (): RecordingSettings => useRecording.getState();
export const setRecording = (change: Partial<RecordingSettings>): void => void useRecording.setState(change);
export const inputOf = (trackId: string): TrackInput => recordingSettings().inputs[trackId] ?? FIRST_INPUT;

export type RecorderPhase = "off" | "starting" | "counting" | "on" | "ending" | "laying";

/** What the recorder does just now: no part of the piece, never kept. */
export interface RecorderState {
  readonly phase: RecorderPhase;
  readonly armed: ReadonlySet<string>;
  /** Inputs that the browser has found. */
  readonly devices: readonly { readonly id: string; readonly name: string }[];
  /** Greatest level of each channel of inputs that are open, in the last moment. */
  readonly levels: Readonly<Record<string, readonly number[]>>;
  /** Channels that came in too loud since this was last looked at: `input channel`. */
  readonly clipped: ReadonlySet<string>;
  /** Tracks that are being recorded. */
  readonly tracks: readonly string[];
  /** Samples that have come in, those of them that are laid (from the first that is kept on), and that the server has. */
  readonly came: number;
  readonly taken: number;
  readonly kept: number;
  /** Why the server takes nothing just now, in words. */
  readonly away: string | null;
  readonly measuring: boolean;
}
const NONE: ReadonlySet<string> = new Set();
export const useRecorder = create<RecorderState>(() => ({
  phase: "off",
  armed: NONE,
  devices: [],
  levels: {},
  clipped: NONE,
  tracks: [],
  came: 0,
  taken: 0,
  kept: 0,
  away: null,
  measuring: false,
}));
export const recorderState = (): RecorderState => useRecorder.getState();
