import { type Line, stretchSmooth } from "./stretch-smooth";
import type { Fetch } from "./stretcher";

/*
 * Time stretching that keeps attacks: what follows a hit, and only that, is stretched up to the next one, so that no attack is smeared into
 * the sound before it; the attack itself is the recording's own.
 */

/** So much of each hit is copied as it is. */
const ATTACK_SECONDS = 0.012;
/** What leads into an attack and out of it goes over in these times. */
const INTO_SECONDS = 0.003;
const OUT_SECONDS = 0.005;

/** A hit of the recording, in its samples, and the sample of what is made at which it lies. */
export interface Anchor {
  readonly from: number;
  readonly to: number;
}

/** What a stretch between hits hears of the recording: nothing of the next hit; its end is mirrored instead. */
const upTo =
  (fetch: Fetch, channels: number, first: number, end: number): Fetch =>
  (from, count) => {
    if (from + count <= end) return fetch(from, count);
    const own = from < end ? fetch(from, end - from) : Array.from({ length: channels }, () => new Float32Array(0));
    const behind = from + count - end;
    const back = Math.min(behind, end - first);
    const before = fetch(end - back, back);
    return own.map((samples, c) => {
      const out = new Float32Array(count);
      out.set(samples);
      const at = samples.length;
      // Where the asked span begins beyond the end, so does the mirror.
      const skip = Math.max(0, from - end);
      for (let k = skip; k < behind; k++) {
        // To and fro, so that it never runs dry.
        const turn = Math.floor(k / back);
        const place = k - turn * back;
        out[at + k - skip] = before[c][turn % 2 === 0 ? back - 1 - place : place];
      }
      return out;
    });
  };

/**
 * Samples [from, to) of a recording stretched along a line. `anchors` are all its hits near there, rising on both sides; those outside are
 * needed too, as far as a stretch between hits reaches.
 */
export function stretchKeepingHits(
  channels: number,
  sampleRate: number,
  fetch: Fetch,
  line: Line,
  anchors: readonly Anchor[],
  from: number,
  to: number,
): Float32Array[] {
  const attack = Math.round(ATTACK_SECONDS * sampleRate);
  const [into, outOf] = [Math.round(INTO_SECONDS * sampleRate), Math.round(OUT_SECONDS * sampleRate)];
  const out = Array.from({ length: channels }, () => new Float32Array(to - from));
  const put = (samples: readonly Float32Array[], start: number, a: number, b: number): void => {
    const [low, high] = [Math.max(a, from), Math.min(b, to)];
    if (high > low) for (let c = 0; c < channels; c++) out[c].set(samples[c].subarray(low - start, high - start), low - from);
  };
  for (let i = -1; i < anchors.length; i++) {
    const [hit, next] = [anchors[i], anchors[i + 1]];
    const start = hit ? hit.to : Number.NEGATIVE_INFINITY;
    const end = next ? next.to : Number.POSITIVE_INFINITY;
    if (end <= from || start - into >= to || end <= start) continue;
    const copied = hit ? Math.min(attack, ...(next ? [next.from - hit.from, next.to - hit.to] : [])) : 0;
    const [rest, last] = [Math.max(from, hit ? start + copied : from), Math.min(to, end)];
    if (last > rest) {
      const own = hit ? lineAfter(line, hit.from + copied, start + copied, next) : line;
      // What is mirrored is what rings on, and the attack too only where nothing else is left.
      const rings = hit && Math.min(hit.from + copied, Math.max(hit.from, next ? next.from - into : 0));
      const heard = next && next.from > 0 ? upTo(fetch, channels, rings ?? 0, next.from) : fetch;
      const atOnce = hit !== undefined && rest === start + copied;
      put(stretchSmooth(channels, sampleRate, heard, own, rest, last, atOnce), rest, rest, last);
    }
    if (!hit) continue;
    // The attack, and a little of what follows it in the recording, going over into what is stretched.
    const after = Math.min(outOf, (next ? Math.min(next.from - hit.from, next.to - hit.to) : Number.POSITIVE_INFINITY) - copied);
    const before = Math.min(into, hit.from);
    const own = fetch(hit.from - before, before + copied + after);
    const first = hit.to - before;
    for (let c = 0; c < channels; c++) {
      for (let k = 0; k < own[c].length; k++) {
        const at = first + k - from;
        if (at < 0 || at >= to - from) continue;
        const lead = k < before ? (k + 0.5) / before : k >= before + copied ? 1 - (k - before - copied + 0.5) / after : 1;
        out[c][at] = lead === 1 ? own[c][k] : out[c][at] * (1 - lead) + own[c][k] * lead;
      }
    }
  }
  return out;
}

/** The line from a hit's copied attack on, through the ties that lie behind it, to the next hit. */
function lineAfter(line: Line, from: number, to: number, next: Anchor | undefined): Line {
  const ties: [number, number][] = [[from, to]];
  for (let i = 0; i < line.from.length; i++) {
    const [f, t] = [line.from[i], line.to[i]];
    if (f > from && t > to && (!next || (f < next.from && t < next.to))) ties.push([f, t]);
  }
  if (next && next.from > from && next.to > to) ties.push([next.from, next.to]);
  return { from: ties.map(([f]) => f), to: ties.map(([, t]) => t), outside: line.outside };
}
