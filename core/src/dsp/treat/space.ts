import type { Processor } from "../../model/recipe/treatment";
import { exp, lasting, sin } from "../maths";
import type { Runners } from "./runner";

type Of<K extends Processor["kind"]> = Extract<Processor, { kind: K }>;

/** What of a value stays after one sample in a one-pole low pass. */
const poleOf = (hz: number, rate: number): number => exp((-2 * Math.PI * Math.min(hz, 0.49 * rate)) / rate);

/** Repeats after a time, each softer and duller than the one before. */
export function echo(x: Float32Array, p: Of<"echo">, rate: number): void {
  const delay = Math.max(1, Math.round((p.time * rate) / 1000));
  const line = new Float64Array(delay);
  const pole = poleOf(p.tone, rate);
  let dull = 0;
  for (let i = 0, at = 0; i < x.length; i++) {
    const late = line[at];
    dull = lasting(late + (dull - late) * pole);
    line[at] = x[i] + p.feedback * dull;
    if (++at === delay) at = 0;
    x[i] = x[i] * (1 - p.mix) + dull * p.mix;
  }
}

/** Lengths of the lines of the late reverb at the full size, in seconds: without a common measure, so that no pitch stands out. */
const LINES = [0.0311, 0.0373, 0.0419, 0.0473, 0.0533, 0.0601, 0.0677, 0.0761];

/**
 * Our own late reverb: eight delay lines that feed each other through a Householder reflection (Jot & Chaigne 1991), each dulled and
 * weakened so that all of them decay alike. Two channels hear the odd and the even lines.
 */
export function room(channels: readonly Float32Array[], p: Of<"room">, rate: number): void {
  const n = channels[0].length;
  const lines = LINES.map((s) => new Float64Array(Math.max(2, Math.round(s * (0.25 + 0.75 * p.size) * rate))));
  const gains = lines.map((line) => exp((-6.907755278982137 * line.length) / (p.decay * rate)));
  const pole = poleOf(p.tone, rate);
  const dull = new Float64Array(lines.length);
  const at = new Int32Array(lines.length);
  const pre = new Float64Array(Math.round((p.preDelay * rate) / 1000) + 1);
  const out = new Float64Array(lines.length);
  for (let i = 0, place = 0; i < n; i++) {
    let into = 0;
    for (const x of channels) into += x[i];
    pre[place] = into / channels.length;
    if (++place === pre.length) place = 0;
    const heard = pre[place];
    let sum = 0;
    for (let k = 0; k < lines.length; k++) {
      const late = lines[k][at[k]] * gains[k];
      dull[k] = lasting(late + (dull[k] - late) * pole);
      out[k] = dull[k];
      sum += dull[k];
    }
    const mirror = (2 / lines.length) * sum;
    for (let k = 0; k < lines.length; k++) {
      lines[k][at[k]] = heard * (k & 1 ? -0.5 : 0.5) + out[k] - mirror;
      if (++at[k] === lines[k].length) at[k] = 0;
    }
    for (let c = 0; c < channels.length; c++) {
      let wet = 0;
      for (let k = channels.length > 1 ? c & 1 : 0; k < lines.length; k += channels.length > 1 ? 2 : 1) wet += out[k] * ((k >> 1) & 1 ? -1 : 1);
      channels[c][i] = channels[c][i] * (1 - p.mix) + wet * p.mix;
    }
  }
}

/** A quarter of a turn between the channels, so that movement is heard across them. */
const APART = 0.25;

/** The sample between two others that a delay points at. */
function delayed(x: Float32Array | Float64Array, at: number): number {
  const k = Math.floor(at);
  const f = at - k;
  const a = k >= 0 ? x[k] : 0;
  const b = k + 1 >= 0 && k + 1 < x.length ? x[k + 1] : 0;
  return a + (b - a) * f;
}

/** A copy whose delay moves to and fro beside the sound; `start` is the place of its first sample, which the movement goes by. */
export function chorus(x: Float32Array, p: Of<"chorus">, rate: number, start: number, channel: number): void {
  const own = x.slice();
  const depth = (p.depth * rate) / 1000;
  for (let i = 0; i < x.length; i++) {
    const turn = ((start + i) * p.rate) / rate + channel * APART;
    const delay = 2 + depth * (1 + sin(2 * Math.PI * (turn - Math.floor(turn))));
    x[i] = own[i] * (1 - p.mix) + delayed(own, i - delay) * p.mix;
  }
}

const STAGES = 6;
/** Between these the notches move. */
const [LOWEST, HIGHEST] = [220, 3200];

/** All-pass stages whose corner moves to and fro, added to the sound. */
export function phaser(x: Float32Array, p: Of<"phaser">, rate: number, start: number, channel: number): void {
  const state = new Float64Array(STAGES);
  let back = 0;
  for (let i = 0; i < x.length; i++) {
    const turn = ((start + i) * p.rate) / rate + channel * APART;
    const swing = 0.5 + 0.5 * p.depth * sin(2 * Math.PI * (turn - Math.floor(turn)));
    const hz = Math.min(0.45 * rate, LOWEST * exp(swing * Math.log(HIGHEST / LOWEST)));
    // A first-order all-pass: its corner by the tangent of half the angle, near enough by the angle itself.
    const t = (Math.PI * hz) / rate;
    const a = (t - 1) / (t + 1);
    let value = x[i] + back * p.feedback;
    for (let k = 0; k < STAGES; k++) {
      const out = a * value + state[k];
      state[k] = lasting(value - a * out);
      value = out;
    }
    back = lasting(value);
    x[i] = x[i] * (1 - p.mix) + value * p.mix;
  }
}

export const SPACE: Runners<"echo" | "room" | "chorus" | "phaser"> = {
  echo: (p, { channels, rate }) => {
    for (const x of channels) echo(x, p, rate);
  },
  room: (p, { channels, rate }) => room(channels, p, rate),
  chorus: (p, { channels, rate, start }) => {
    channels.forEach((x, c) => chorus(x, p, rate, start, c));
  },
  phaser: (p, { channels, rate, start }) => {
    channels.forEach((x, c) => phaser(x, p, rate, start, c));
  },
};
