import fc from "fast-check";
import { MeterMap } from "../time/meter";
import { type TempoEvent, TempoMap } from "../time/tempo";
import { FRAME_RATES } from "../time/timecode";

/** Random tempo maps with steps and ramps, and whole time bases with meters and frame rates. */
export const rates = fc.constantFrom(44_100, 48_000, 96_000);
const bpm = fc.double({ min: 20, max: 400, noNaN: true }).map((b) => Math.round(b * 1000) / 1000);
export const tempoMaps = fc
  .tuple(fc.array(fc.record({ gap: fc.integer({ min: 1, max: 200_000 }), bpm, ramp: fc.boolean() }), { minLength: 1, maxLength: 12 }), rates)
  .map(([parts, rate]) => {
    let tick = 0;
    const events: TempoEvent[] = parts.map(({ gap, bpm, ramp }, i) => ({ tick: i === 0 ? 0 : (tick += gap), bpm, ramp }));
    return new TempoMap(events, rate);
  });

export const timebases = fc
  .tuple(
    tempoMaps,
    fc.array(fc.record({ bars: fc.integer({ min: 1, max: 9 }), numerator: fc.constantFrom(2, 3, 4, 6, 7), denominator: fc.constantFrom(4, 8) }), {
      minLength: 1,
      maxLength: 5,
    }),
    fc.constantFrom(...FRAME_RATES),
  )
  .map(([tempo, parts, frameRate]) => {
    let tick = 0;
    const events = parts.map(({ bars, numerator, denominator }) => {
      const event = { tick, numerator, denominator };
      tick += (bars * numerator * 3840) / denominator;
      return event;
    });
    return { sampleRate: tempo.sampleRate, tempo, meter: new MeterMap(events), frameRate };
  });
