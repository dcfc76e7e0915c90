import type { Clip } from "../../model/schema";
import { sliceOf } from "../cutting/parts";
import { EditError } from "../errors";
import type { Neighbours, Reach } from "../opening/neighbours";
import { openRoom } from "../opening/openings";
import type { Transaction } from "../transaction";
import { layCopies } from "./copies";
import type { Landing } from "./overlap";

export const shifted = (clips: readonly Clip[], by: number): Clip[] =>
  by === 0
    ? [...clips]
    : clips.map((c) => ({ ...c, start: c.start + by, blend: c.blend && { ...c.blend, splice: Math.max(0, c.blend.splice + by) } }));

/** Copies at most this many; more is surely not meant. */
export const MOST_COPIES = 10_000;

/** Lays copies of clips, which fill [from, to), behind it again and again. */
export function repeatAfter(
  tx: Transaction,
  clips: readonly Clip[],
  from: number,
  to: number,
  {
    times,
    until,
    every = to - from,
    landing,
    neighbours,
    reach,
    bundles,
  }: {
    times?: number;
    until?: number;
    every?: number;
    landing: Landing;
    neighbours: Neighbours;
    reach: Reach;
    bundles: "independent" | "linked";
  },
): void {
  if (until !== undefined && until <= to) throw new EditError("There is no room to fill: that lies before the end of what is repeated.", "until");
  const count = until === undefined ? (times ?? 1) : Math.ceil((until - to) / every);
  if (count > MOST_COPIES) throw new EditError(`That would be ${count} copies; ${MOST_COPIES} is the most.`, until === undefined ? "times" : "until");
  const end = until ?? from + every * count + (to - from);
  if (neighbours !== "hold")
    openRoom(
      tx,
      clips.map((c) => c.trackId),
      to,
      end - to,
      neighbours === "reorder" ? "track" : reach,
    );
  for (let k = 1; k <= count; k++) {
    const laid = shifted(clips, k * every);
    const cut = until === undefined ? laid : laid.map((c) => sliceOf(c, 0, until)).filter((c) => c !== null);
    if (cut.length) layCopies(tx, cut, landing, bundles);
  }
}
