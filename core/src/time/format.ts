import type { Timebase } from "./grid";
import { nudged } from "./nudge";
import { formatTimecode, frameToSample, sampleToFrame, timecodeToFrame } from "./timecode";

/** The unit of a read-out or ruler. */
export type PositionUnit = "bars" | "time" | "timecode" | "samples";

const pad = (n: number, width: number): string => String(n).padStart(width, "0");

/** "17.2.240": bar, beat and tick of the tick nearest to a sample. */
export function formatBars(sample: number, { tempo, meter }: Timebase): string {
  const p = meter.position(tempo.sampleToTick(sample));
  return `${p.bar}.${p.beat}.${pad(p.tick, 3)}`;
}

/** "00:41.739" or "1:00:41.739": hours (from the first hour on), minutes, seconds to the millisecond nearest. */
export function formatClock(sample: number, sampleRate: number, digits = 3): string {
  const scale = 10 ** digits;
  const total = Math.round((Math.abs(sample) * scale) / sampleRate);
  const seconds = Math.floor(total / scale);
  const hours = Math.floor(seconds / 3600);
  const rest = `${pad(Math.floor(seconds / 60) % 60, 2)}:${pad(seconds % 60, 2)}${digits ? `.${pad(total % scale, digits)}` : ""}`;
  return `${sample < 0 ? "-" : ""}${hours ? `${hours}:` : ""}${rest}`;
}

/** A position in a unit, as a read-out shows it. */
export function formatPosition(sample: number, unit: PositionUnit, timebase: Timebase): string {
  switch (unit) {
    case "bars":
      return formatBars(sample, timebase);
    case "time":
      return formatClock(sample, timebase.sampleRate);
    case "timecode":
      return formatTimecode(sampleToFrame(sample, timebase.frameRate, timebase.sampleRate), timebase.frameRate);
    case "samples":
      return String(sample);
  }
}

/** A length: "24.0 ms" below a second, "3.588 s" below a minute, else as a clock. */
export function formatLength(samples: number, sampleRate: number): string {
  const ms = (samples * 1000) / sampleRate;
  const size = Math.abs(ms);
  if (size < 999.95) return `${ms.toFixed(1)} ms`;
  if (size < 59_999.5) return `${(ms / 1000).toFixed(3)} s`;
  return formatClock(samples, sampleRate);
}

/**
 * How long [from, to) is, in a unit: bars, beats and ticks as they are counted through the maps ("2 bars 1.240"), a clock, timecode, or
 * samples.
 */
export function formatSpan(from: number, to: number, unit: PositionUnit, timebase: Timebase): string {
  const { sampleRate, tempo, meter, frameRate } = timebase;
  switch (unit) {
    case "bars": {
      const [a, b] = [tempo.sampleToTick(from), tempo.sampleToTick(to)];
      // Whole bars from where it begins, then beats of the meter that it ends in.
      const first = meter.barIndexAt(a);
      const into = a - meter.barIndexToTick(first);
      const bars = Math.max(0, meter.barIndexAt(Math.max(0, b - into)) - first);
      const rest = b - meter.barIndexToTick(first + bars) - into;
      const { beatTicks } = meter.meterAt(Math.max(0, b - 1));
      const [beats, ticks] = [Math.floor(rest / beatTicks), rest % beatTicks];
      const parts = [
        ...(bars ? [`${bars} ${bars === 1 ? "bar" : "bars"}`] : []),
        ...(beats ? [`${beats} ${beats === 1 ? "beat" : "beats"}`] : []),
        ...(ticks ? [`${ticks} ticks`] : []),
      ];
      return parts.join(" ") || "0 ticks";
    }
    case "time":
      return formatLength(to - from, sampleRate);
    case "timecode":
      return `${formatTimecode(sampleToFrame(to, frameRate, sampleRate) - sampleToFrame(from, frameRate, sampleRate), frameRate)}`;
    case "samples":
      return `${to - from} samples`;
  }
}

/** A change with its sign: "+12.0 ms", "−1.250 s". */
export function formatChange(samples: number, sampleRate: number): string {
  return `${samples < 0 ? "−" : "+"}${formatLength(Math.abs(samples), sampleRate)}`;
}

const UNIT_WORDS: Record<string, (value: number, base: Timebase) => number> = {
  ms: (v, b) => (v * b.sampleRate) / 1000,
  s: (v, b) => v * b.sampleRate,
  min: (v, b) => v * 60 * b.sampleRate,
  sample: (v) => v,
  frame: (v, b) => frameToSample(v, b.frameRate, b.sampleRate),
};
const ALIASES: Record<string, string> = {
  sec: "s",
  second: "s",
  seconds: "s",
  samples: "sample",
  smp: "sample",
  frames: "frame",
  fr: "frame",
  milliseconds: "ms",
};

/**
 * Reads a position that a person typed, in any unit: `17.2.240` bars, `1:02.5` clock, `01:00:10:12` timecode, `48000 samples`,
 * `+10 ms` and `-2 frames` relative to `from`; a bare number is taken in `unit`. Throws RangeError that says what was not understood.
 */
export function parsePosition(text: string, unit: PositionUnit, timebase: Timebase, from = 0): number {
  const raw = text.trim().replace("−", "-");
  const fail = (why: string): never => {
    throw new RangeError(`"${text}" was not understood: ${why}`);
  };
  if (raw === "") fail("it is empty.");
  const { sampleRate, tempo, meter, frameRate } = timebase;
  const land = (sample: number): number => {
    const whole = Math.round(sample);
    return whole < 0 ? fail("it lies before the start.") : whole;
  };

  /** So many bars, beats or ticks on, through the meters on the way; what is left of a whole one is a part of the next. */
  const counted = (base: number, count: number, kind: "bar" | "beat" | "tick"): number => {
    const whole = Math.trunc(count);
    const there = nudged(base, whole, { kind, count: 1 }, timebase);
    if (count === whole) return land(there);
    const next = nudged(base, whole + Math.sign(count), { kind, count: 1 }, timebase);
    return land(there + (next - there) * Math.abs(count - whole));
  };

  const timecode = /^(\d+):(\d{1,2}):(\d{1,2})[:;](\d{1,3})$/.exec(raw);
  if (timecode) {
    const [h, m, s, f] = timecode.slice(1).map(Number);
    return frameToSample(timecodeToFrame(h, m, s, f, frameRate), frameRate, sampleRate);
  }
  const clock = /^(?:(\d+):)?(\d+):(\d+(?:\.\d+)?)$/.exec(raw);
  if (clock) {
    const [h, m, s] = [Number(clock[1] ?? 0), Number(clock[2]), Number(clock[3])];
    if (s >= 60 || (clock[1] && m >= 60)) fail("minutes and seconds go up to 59.");
    return land(((h * 60 + m) * 60 + s) * sampleRate);
  }
  const bars = /^(-?\d+)\.(\d+)(?:\.(\d+))?$/.exec(raw);
  if (bars && (bars[3] !== undefined || unit === "bars")) {
    const [bar, beat, tick] = [Number(bars[1]), Number(bars[2]), Number(bars[3] ?? 0)];
    if (bar < meter.firstBar) fail(`the first bar is ${meter.firstBar}.`);
    if (beat < 1) fail("beats count from 1.");
    const at = meter.barIndexToTick(bar - meter.firstBar);
    const { numerator, beatTicks } = meter.meterAt(at);
    if (beat > numerator) fail(`bar ${bar} has ${numerator} beats.`);
    if (tick >= beatTicks) fail(`a beat there has ${beatTicks} ticks.`);
    return tempo.tickToSample(meter.tickOf({ bar, beat, tick }));
  }
  const worded = /^([+-]?)(\d+(?:\.\d+)?)\s*([a-z]*)$/i.exec(raw);
  if (!worded) return fail("it is neither bars like 17.2.240, a clock like 1:02.5, timecode like 01:00:10:12, nor a number with a unit.");
  const [, sign, digits, word] = worded;
  const name = word.toLowerCase();
  const value = Number(digits);
  const back = sign === "-" ? -1 : 1;
  if (name === "beat" || name === "beats" || name === "bar" || name === "bars" || name === "tick" || name === "ticks") {
    const kind = name.startsWith("beat") ? "beat" : name.startsWith("bar") ? "bar" : "tick";
    return counted(sign ? from : 0, value * back, kind);
  }
  const convert = UNIT_WORDS[ALIASES[name] ?? name];
  if (name && !convert) fail(`there is no unit "${word}".`);
  if (convert) return land(sign ? from + back * Math.round(convert(value, timebase)) : convert(value, timebase));
  if (unit === "samples") return land(sign ? from + back * value : value);
  if (unit === "time") return land(sign ? from + back * value * sampleRate : value * sampleRate);
  if (unit === "timecode")
    return land(sign ? from + back * frameToSample(value, frameRate, sampleRate) : frameToSample(value, frameRate, sampleRate));
  if (sign) return counted(from, value * back, "bar");
  if (value < meter.firstBar || !Number.isInteger(value)) fail(`a bar is a whole number from ${meter.firstBar} on.`);
  return tempo.tickToSample(meter.barIndexToTick(value - meter.firstBar));
}
