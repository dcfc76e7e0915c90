import { applyEdits } from "@wet-thread/core/edit/registry";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd, type TakeLane } from "@wet-thread/core/model/schema";
import { create } from "zustand";
import { LEAD_BARS, recorder } from "@/engine/recorder";
import { transport } from "@/engine/transport";
import { session } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import type { Command } from "../command";
import { phraseOf } from "./phrase";
import { needStack, pickLane, reachOf, type Stack } from "./takes";

/** What is heard of a stack in place of the piece: a lane by itself, or in turn with what is picked, round by round; or the stack, round and round. */
interface Heard {
  readonly stackId: string | null;
  readonly laneId: string | null;
  readonly inTurn: boolean;
  /** In turn: whether this round is the lane's. */
  readonly laneNow: boolean;
}
const NOTHING: Heard = { stackId: null, laneId: null, inTurn: false, laneNow: false };
export const useHeard = create<Heard>(() => NOTHING);

let endRounds = (): void => {};

/** Ends hearing a stack or a lane of it; the piece is heard again as it is. */
export function endHeard(): void {
  if (useHeard.getState().stackId === null) return;
  endRounds();
  useHeard.setState(NOTHING);
  transport().stop();
  transport().hear(null);
}

// Stopped by hand it is over too.
useView.subscribe((v, old) => {
  if (old.playing && !v.playing && useHeard.getState().stackId !== null) {
    endRounds();
    useHeard.setState(NOTHING);
  }
});

/** What of a stack is heard round and round: the range where it lies on it, else all that any lane has. */
function spanOf(stack: Stack): { start: number; end: number } {
  const reach = reachOf(stack);
  const { range } = view();
  if (!range || range.start >= reach.end || range.end <= reach.start) return reach;
  return { start: Math.max(range.start, reach.start), end: Math.min(range.end, reach.end) };
}

/** The piece with only the stack's track heard, and on it, where one is given, nothing but a lane. */
function alone(stack: Stack, lane: TakeLane | null): Document {
  const { doc } = session();
  const reach = reachOf(stack);
  const others = [...doc.tracks.values()].filter((t) => t.id !== stack.trackId && t.solo).map((t) => t.id);
  return applyEdits(doc, [
    ...(lane ? [{ type: "pick", bundleId: stack.id, laneId: lane.id, start: reach.start, end: reach.end, border: 0, links: false }] : []),
    { type: "set-track", trackIds: [stack.trackId], solo: true, mute: false, links: false },
    ...(others.length > 0 ? [{ type: "set-track", trackIds: others, solo: false, links: false }] : []),
  ]).doc;
}

function hear(heard: Heard, stack: Stack, what: Document | null, from?: number): void {
  const { start, end } = spanOf(stack);
  if (what) transport().hear(what);
  useHeard.setState(heard);
  void transport().audition(start, end, true, from).catch(endHeard);
}

/** Hears a lane by itself at its place, round and round; again, it stops. */
export function hearLane(stack: Stack, lane: TakeLane): void {
  const { laneId, inTurn } = useHeard.getState();
  endHeard();
  if (laneId === lane.id && !inTurn) return;
  try {
    hear({ stackId: stack.id, laneId: lane.id, inTurn: false, laneNow: true }, stack, alone(stack, lane));
  } catch (error) {
    toast((error as Error).message, { id: "takes" });
  }
}

/** Hears what is picked and a bare lane in turn, a round each, with nothing else; again, it stops. */
export function hearAgainst(stack: Stack, lane: TakeLane): void {
  const { laneId, inTurn } = useHeard.getState();
  endHeard();
  if (laneId === lane.id && inTurn) return;
  try {
    hear({ stackId: stack.id, laneId: lane.id, inTurn: true, laneNow: false }, stack, alone(stack, null));
    endRounds = transport().eachRound(() => {
      const laneNow = !useHeard.getState().laneNow;
      const { doc } = session();
      const now = doc.bundles.get(stack.id);
      if (!now?.takes) return endHeard();
      try {
        transport().hear(alone(now as Stack, laneNow ? (now.takes.find((l) => l.id === lane.id) ?? null) : null));
        useHeard.setState({ laneNow });
      } catch {
        endHeard();
      }
    });
  } catch (error) {
    toast((error as Error).message, { id: "takes" });
  }
}

/** Plays the stack round and round as it is picked, with all else: what is picked meanwhile is heard in the next round. Again, it stops. */
export function loopStack(): void {
  const was = useHeard.getState();
  endHeard();
  if (was.stackId !== null && was.laneId === null) return;
  const stack = needStack();
  if (stack) hear({ ...NOTHING, stackId: stack.id }, stack, null);
}

/** Where the ear is, or the playhead stands. */
const earAt = (): number => Math.round(transport().position());

/** Picks a take, by its number from 1, for the phrase that is heard or lies at the playhead. */
export function pickTake(number: number): void {
  const stack = needStack();
  if (!stack) return;
  const lane = stack.takes[number - 1];
  if (!lane) return void toast(`${stack.name} has ${stack.takes.length} takes.`, { id: "takes" });
  const found = phraseOf(stack, lane, earAt());
  if (typeof found === "string") return void toast(found, { id: "takes" });
  if (pickLane(stack, lane, ...found)) toast(`${number}: ${lane.name}`, { id: "takes", duration: 1200 });
}

/** Records the phrase at the playhead anew, as a take of the stack: two bars before it are heard, and just it is kept. */
export function recordPhrase(): void {
  const stack = needStack();
  if (!stack) return;
  const { doc } = session();
  const at = earAt();
  const pick = picksOf(doc, stack).find((c) => (c.blend?.splice ?? c.start) <= at && clipEnd(c) > at);
  const lane = stack.takes.find((l) => l.id === pick?.take);
  if (!lane) return void toast("Put the playhead on a phrase of the stack.", { id: "takes" });
  const found = phraseOf(stack, lane, at);
  if (typeof found === "string") return void toast(found, { id: "takes" });
  const [start, end] = [Math.round(found[0]), Math.round(found[1])];
  endHeard();
  const { tempo, meter } = timebaseOf(doc);
  const tick = tempo.ticksAt(start);
  const before = Math.max(0, tick - LEAD_BARS * meter.meterAt(Math.max(0, Math.floor(tick) - 1)).barTicks);
  // Where the piece begins within the two bars they are counted instead.
  const bars = start - tempo.samplesAt(before);
  const lead = before > 0 ? Math.round(bars) : start + 1;
  setView({ range: { start, end, trackIds: [stack.trackId] } });
  void recorder().punch({ stackId: stack.id, trackId: stack.trackId, start, end, lead });
}

/** Takes that have a key of their own. */
const WITH_KEYS = 9;

/** Choosing among takes by ear. */
export const COMPING_COMMANDS: readonly Command[] = [
  { id: "takes-loop", title: "Play the take stack round and round; picks are heard in the next round", keys: [], run: loopStack },
  { id: "takes-record-phrase", title: "Record the phrase at the playhead anew, as a take", keys: [], run: recordPhrase },
  ...Array.from({ length: WITH_KEYS }, (_, i) => ({
    id: `take-${i + 1}`,
    title: `Pick take ${i + 1} for the phrase that is heard`,
    keys: [`Alt+${i + 1}`],
    run: () => pickTake(i + 1),
  })),
];
