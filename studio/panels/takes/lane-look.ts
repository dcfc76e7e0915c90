import { DYES, type Dye, type TakeLane } from "@wet-thread/core/model/schema";
import type { Stack } from "@/commands/edit/takes";
import type { LaneWave, Window } from "./LaneWave";

export interface LaneProps {
  readonly stack: Stack;
  readonly lane: TakeLane;
  /** Its number in the stack, from 1: the one that its key picks. */
  readonly number: number;
  readonly seen: Window;
  readonly dye: Parameters<typeof LaneWave>[0]["dye"];
}

/** A press that goes less far than this is a click. */
export const CLICK = 4;
/** The height of a lane, in pixels. */
export const ROW = 44;

/** The colour that a lane is told by: its own, else one for each place in the stack, from the track's on. */
export const dyeOf = (stack: Stack, lane: TakeLane, ofTrack: Dye): Dye =>
  lane.color ?? DYES[(DYES.indexOf(ofTrack) + stack.takes.findIndex((l) => l.id === lane.id)) % DYES.length];
