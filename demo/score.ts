import { type MeterEvent, MeterMap } from "@wet-thread/core/time/meter";
import { type TempoEvent, TempoMap } from "@wet-thread/core/time/tempo";

/** The night's plan: 92 beats a minute in 4/4, two bars of 3/4, four of 6/8, then faster. */
export const RATE = 48_000;
export const FRAME_RATE = "25";
export const LAST_BAR = 45;

const BAR = 3840;
/** Bars 1–20 in 4/4, 21–22 in 3/4, 23–24 in 4/4, 25–28 in 6/8, from 29 on in 4/4. */
const AT_21 = 20 * BAR;
const AT_23 = AT_21 + 2 * 2880;
const AT_25 = AT_23 + 2 * BAR;
const AT_29 = AT_25 + 4 * 2880;
export const METER: MeterEvent[] = [
  { tick: 0, numerator: 4, denominator: 4 },
  { tick: AT_21, numerator: 3, denominator: 4 },
  { tick: AT_23, numerator: 4, denominator: 4 },
  { tick: AT_25, numerator: 6, denominator: 8 },
  { tick: AT_29, numerator: 4, denominator: 4 },
];
export const TEMPO: TempoEvent[] = [
  { tick: 0, bpm: 92 },
  { tick: AT_29, bpm: 104 },
];

const meter = new MeterMap(METER);
const tempo = new TempoMap(TEMPO, RATE);

/** The sample of a bar, beat and tick. */
export const at = (bar: number, beat = 1, tick = 0): number => tempo.tickToSample(meter.tickOf({ bar, beat, tick }));

export const SECTIONS = [
  { name: "Yard", from: 1, to: 5, color: "lichen" },
  { name: "Looms wake", from: 5, to: 17, color: "weld" },
  { name: "First shift", from: 17, to: 25, color: "woad" },
  { name: "Break bell", from: 25, to: 29, color: "fern" },
  { name: "Second shift", from: 29, to: 35, color: "walnut" },
  { name: "Lights out", from: 35, to: 45, color: "cochineal" },
] as const;
