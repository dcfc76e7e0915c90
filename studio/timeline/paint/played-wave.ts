import { linePlace, madeId, makingOf, mapOf, playedId, playedOf, runsBackwards } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip, SourceInfo } from "@wet-thread/core/model/schema";
import { momentRecorded } from "@wet-thread/core/time/time-map";
import { isMadeHere } from "@/state/media/making";
import { type Columns, fillColumns, newColumns } from "./wave";

/** Nearer than this, in samples a column, what is made is looked at itself: farther away its recording at the map's moments looks the same. */
const LOOKED_AT = 16;

const turned = newColumns(1);

/**
 * Fills columns with what a clip plays, from sample `first` of it on. What is still to be made, or is only being dragged, is drawn from the
 * recording at the moments where it would lie.
 */
export function fillPlayed(out: Columns, clip: Clip, source: SourceInfo, channel: number, first: number, perColumn: number, count: number): void {
  const { recipe } = clip;
  if (!recipe || !makingOf(recipe)) return fillColumns(out, playedId(clip), source.channels, channel, source.length, first, perColumn, count);
  const { length } = playedOf(source, recipe);
  if (isMadeHere(madeId(clip)) || perColumn <= LOOKED_AT) {
    fillColumns(out, playedId(clip), source.channels, channel, length, first, perColumn, count);
    for (let i = 0; i < count; i++) if (!Number.isNaN(out.min[i])) return;
  }
  const map = mapOf(recipe);
  const backwards = runsBackwards(recipe);
  // The sample of what time and pitch make with which the columns begin, forwards.
  const from = backwards ? linePlace(source, clip, first + count * perColumn) + 1 : linePlace(source, clip, first);
  const moment = (column: number): number => momentRecorded(map, from + column * perColumn);
  if (turned.min.length < count) Object.assign(turned, newColumns(2 * count));
  const into = backwards ? turned : out;
  // As far as the map is straight, in one go.
  for (let i = 0; i < count; ) {
    const pace = moment(i + 1) - moment(i);
    let n = 1;
    if (map.ties.length <= 2) n = count;
    else while (i + n < count && Math.abs(moment(i + n + 1) - moment(i + n) - pace) < 1e-6 * pace) n++;
    part(into, i, n, (columns) => fillColumns(columns, source.id, source.channels, channel, source.length, moment(i), pace, n));
    i += n;
  }
  if (!backwards) return;
  for (let i = 0; i < count; i++) {
    out.min[i] = turned.min[count - 1 - i];
    out.max[i] = turned.max[count - 1 - i];
    out.rms[i] = turned.rms[count - 1 - i];
  }
}

/** Works on columns [at, at + n) as if they were all. */
function part({ min, max, rms }: Columns, at: number, n: number, work: (columns: Columns) => void): void {
  work({ min: min.subarray(at, at + n), max: max.subarray(at, at + n), rms: rms.subarray(at, at + n) });
}
