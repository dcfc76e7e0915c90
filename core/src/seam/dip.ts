import { clipEnvelopeFactor } from "../dsp/envelope";
import { blendGains, fadeGain } from "../dsp/fades";
import type { Document } from "../model/document";
import { playedId, playedSource } from "../model/recipe/played-recording";
import { type Clip, clipEnd, gainFactor, playedChannels } from "../model/schema";
import type { PcmReader } from "../render/reader";
import { panGains } from "../render/renderer";
import type { Seam } from "./seams";

/*
 * The dip of a seam (semantics, Seams): the level of what is heard through it, in windows of 5 ms, against what the two sides' own material would give
 * at the same moments without their fades there. A word that begins or ends beside the seam is in both, and so is no dip.
 */
export const DIP_WINDOW_SECONDS = 0.005;
/** Windows follow each other by this part of their length. */
const HOP = 1 / 4;
/** Material below −60 dB has no dip; as the mean power of a sample of one side. */
const LEAST_POWER = 1e-6;

/** What of a clip's own material sounds at each sample of [from, to) of the timeline, as power summed over both sides, without its fade at one edge. Zero where it does not lie. */
function powerOf(doc: Document, clip: Clip, from: number, to: number, without: "fadeIn" | "fadeOut", reader: PcmReader): Float64Array {
  const power = new Float64Array(to - from);
  const [first, last] = [Math.max(from, clip.start), Math.min(to, clipEnd(clip))];
  const source = playedSource(doc.sources, clip);
  const own = doc.sources.get(clip.sourceId);
  if (!source || !own || last <= first) return power;
  const n = last - first;
  const buffer = new Float32Array(n);
  const pan = panGains(clip.pan);
  const channels = playedChannels(clip, source.channels);
  const gain = gainFactor(clip.gain) ** 2;
  channels.forEach((channel, c) => {
    if (!reader.read(playedId(clip), channel, clip.offset + first - clip.start, buffer, 0, n)) return;
    const sides = channels.length === 1 ? pan.left ** 2 + pan.right ** 2 : (c === 0 ? pan.left : pan.right) ** 2;
    for (let i = 0; i < n; i++) power[first - from + i] += buffer[i] * buffer[i] * sides * gain;
  });
  const line = clip.envelopes?.gain;
  for (let i = 0; i < n; i++) {
    const into = first + i - clip.start;
    const left = clip.length - 1 - into;
    let factor = line ? clipEnvelopeFactor(clip, own.length, clip.offset + into) : 1;
    if (without !== "fadeIn" && into < clip.fadeIn.length) factor *= fadeGain(clip.fadeIn, into);
    if (without !== "fadeOut" && left < clip.fadeOut.length) factor *= fadeGain(clip.fadeOut, left);
    if (factor !== 1) power[first - from + i] *= factor * factor;
  }
  return power;
}

/** How much of the power is to be the later clip's at a sample of a blend: the one side goes over into the other as their gains do, whatever both come to. */
function partOf(left: Clip, right: Clip, i: number): number {
  const length = right.fadeIn.length;
  const { gainIn, gainOut } =
    right.blend?.linked === false
      ? { gainIn: fadeGain(right.fadeIn, i), gainOut: fadeGain(left.fadeOut, length - 1 - i) }
      : blendGains(right.blend?.law ?? "power", right.fadeIn, i, length, 0);
  const sum = gainIn * gainIn + gainOut * gainOut;
  return sum > 0 ? (gainIn * gainIn) / sum : 0.5;
}

/**
 * The dip of a seam in dB, negative where it is quieter: of all windows in and around it the one that strays farthest. `heard` gives the power of
 * what is heard at a sample of the timeline, summed over both sides. Null where a side is silence or all is below −60 dB.
 */
export function dipOf(doc: Document, seam: Seam, reader: PcmReader, blend: number, heard: (at: number) => number): number | null {
  const { left, right, position } = seam;
  if (!left || !right || left === right) return null;
  const window = Math.max(1, Math.round(DIP_WINDOW_SECONDS * doc.sampleRate));
  const [a, b] = blend > 0 ? [right.start, right.start + blend] : [position, position];
  const [from, to] = [Math.max(a - window, left.start), Math.min(b + window, clipEnd(right))];
  if (to - from < window / 2) return null;
  const [out, into] = [powerOf(doc, left, from, to, "fadeOut", reader), powerOf(doc, right, from, to, "fadeIn", reader)];
  let worst: number | null = null;
  for (let start = from; start === from || start + window <= to; start += Math.max(1, Math.round(window * HOP))) {
    const end = Math.min(to, start + window);
    let [is, should] = [0, 0];
    for (let at = start; at < end; at++) {
      const part = at < a ? 0 : at >= b ? 1 : partOf(left, right, at - a);
      should += (1 - part) * out[at - from] + part * into[at - from];
      is += heard(at);
    }
    if (should < 2 * LEAST_POWER * (end - start)) continue;
    const dip = 10 * Math.log10(Math.max(is, 1e-12) / should);
    if (worst === null || Math.abs(dip) > Math.abs(worst)) worst = dip;
  }
  return worst;
}
