import { timebaseOf } from "@wet-thread/core/model/document";
import { METER_DENOMINATORS, type MeterEvent } from "@wet-thread/core/time/meter";
import type { TempoEvent } from "@wet-thread/core/time/tempo";
import { session } from "@/state/sync/session";
import { toast } from "@/state/words/toast";

/* How tempo and meter are typed and changed, by the chips of the ruler and by the list alike. */

/** What a change of the maps leaves in place; chosen once, kept while the page is open. */
let keep: "time" | "bars" = "time";
export const keepChosen = (): "time" | "bars" => keep;
export const chooseKeep = (chosen: "time" | "bars"): void => {
  keep = chosen;
};

const inOrder = <E extends { tick: number }>(events: readonly E[]): E[] => [...events].sort((a, b) => a.tick - b.tick);

/** Each is false where the change was refused; why has been said. */
export const setTempo = (events: readonly TempoEvent[]): boolean => session().edit([{ type: "set-time", tempo: inOrder(events), keep }]) !== false;
export const setMeter = (events: readonly MeterEvent[]): boolean => session().edit([{ type: "set-time", meter: inOrder(events), keep }]) !== false;

/** The tick of the bar line nearest to a sample. */
export function barNear(sample: number): number {
  const { tempo, meter } = timebaseOf(session().doc);
  const bar = meter.barIndexAt(Math.max(0, tempo.sampleToTick(sample)));
  const [a, b] = [meter.barIndexToTick(bar), meter.barIndexToTick(bar + 1)];
  return sample - tempo.tickToSample(a) < tempo.tickToSample(b) - sample ? a : b;
}

/** A typed tempo in quarter notes a minute; null, having said why, where it is none. */
export function bpmFrom(text: string): number | null {
  const bpm = Number(text.trim().replace(",", "."));
  if (bpm >= 20 && bpm <= 400) return bpm;
  toast.error(`“${text}” is no tempo: it lies between 20 and 400.`);
  return null;
}

/** A typed meter like 6/8; null, having said why, where it is none. */
export function meterFrom(text: string): Pick<MeterEvent, "numerator" | "denominator"> | null {
  const m = /^\s*(\d{1,2})\s*\/\s*(\d{1,2})\s*$/.exec(text);
  const [numerator, denominator] = m ? [Number(m[1]), Number(m[2])] : [0, 0];
  if (numerator >= 1 && numerator <= 64 && (METER_DENOMINATORS as readonly number[]).includes(denominator)) return { numerator, denominator };
  toast.error(`“${text}” is no meter: it is written like 6/8, with 1 to 64 beats of a 1, 2, 4, 8, 16, 32 or 64th note.`);
  return null;
}
