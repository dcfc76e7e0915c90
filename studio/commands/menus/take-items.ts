import type { Clip } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import type { MenuItem } from "@/ui/menu";
import { hearAgainst, hearLane, pickTake, useHeard } from "../edit/comping";
import { nudgeLength } from "../edit/nudge";
import { changeLane, editsAsPick, lineUp, moveLane, pickLane, reachOf, removeLane, type Stack, setLane } from "../edit/takes";
import { keyOf } from "../keys";

type Lane = Stack["takes"][number];

const RATINGS = [5, 4, 3, 2, 1, 0] as const;

/** All that can be done with a take; `pick` is the clip of it that was meant, where one was. */
export function laneItems(stack: Stack, lane: Lane, pick: Clip | null = null): MenuItem[] {
  const all = (label: string, edit: Record<string, unknown>): MenuItem => ({ label, run: () => changeLane(stack, lane, [edit]) });
  const reach = reachOf(stack);
  const { laneId, inTurn } = useHeard.getState();
  const number = stack.takes.indexOf(lane) + 1;
  const asPick = pick ? editsAsPick(stack, lane, pick) : [];
  return [
    { label: "Hear it by itself", on: laneId === lane.id && !inTurn, run: () => hearLane(stack, lane) },
    { label: "Hear it against what is picked", on: laneId === lane.id && inTurn, run: () => hearAgainst(stack, lane) },
    "-",
    { label: "Pick it for the phrase at the playhead", keys: keyOf(`take-${number}`), run: () => pickTake(number) },
    { label: "Pick all of it", run: () => void pickLane(stack, lane, reach.start, reach.end) },
    "-",
    {
      label: "All of the take",
      items: [
        { label: "As it is here: stretch, pitch, treatment", off: asPick.length === 0, run: () => changeLane(stack, lane, asPick) },
        "-",
        all("Reverse", { type: "reverse" }),
        all("Turn upside down", { type: "treat", chain: [{ kind: "invert" }], how: "behind" }),
        all("1 dB louder", { type: "set-gain", by: 1 }),
        all("1 dB softer", { type: "set-gain", by: -1 }),
        "-",
        all("As recorded: stretch and pitch off", { type: "as-recorded" }),
        all("Treatment off", { type: "treat", chain: null }),
      ],
    },
    { label: "Line up", run: () => void lineUp(stack, lane) },
    { label: "Earlier by the nudge", run: () => moveLane(stack, lane, -nudgeLength()) },
    { label: "Later by the nudge", run: () => moveLane(stack, lane, nudgeLength()) },
    "-",
    {
      label: "Rate",
      items: RATINGS.map((n) => ({
        label: n === 0 ? "Not rated" : `${n} of 5`,
        on: lane.rating === n,
        run: () => setLane(stack, lane, { rating: n }),
      })),
    },
    { label: lane.hidden ? "Show the lane" : "Hide the lane", run: () => setLane(stack, lane, { hidden: !lane.hidden }) },
    {
      label: "Remove the take",
      danger: true,
      run: () => removeLane(stack, lane),
    },
  ];
}

/** The menu of the take that a clip is picked from, as a part of the clip's; null where it is none. */
export function takeItems(clip: Clip): { readonly label: string; readonly items: MenuItem[] } | null {
  const stack = clip.bundle === null ? undefined : session().doc.bundles.get(clip.bundle);
  const lane = stack?.takes?.find((l) => l.id === clip.take);
  if (!stack?.takes || !lane) return null;
  return { label: `Take ${stack.takes.indexOf(lane) + 1}: ${lane.name}`, items: laneItems(stack as Stack, lane, clip) };
}
