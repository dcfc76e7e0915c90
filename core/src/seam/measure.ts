import { clipEnvelopeFactor } from "../dsp/envelope";
import { fadeGain } from "../dsp/fades";
import type { Document } from "../model/document";
import type { Lane } from "../model/index/lane";
import { playedId, playedSource } from "../model/recipe/played-recording";
import { type Clip, clipEnd, gainFactor, playedChannels, without } from "../model/schema";
import type { PcmReader, SourceSpan } from "../render/reader";
import { Renderer, spansNeeded } from "../render/renderer";
import { dipOf } from "./dip";
import { classify, type QuietEdge, type Seam, type SeamClass } from "./seams";

/** Within this of zero an edge needs no fade. */
const QUIET = 0.001;
const QUIET_SECONDS = 0.0005;

/** Tells from the samples whether an edge is quiet; answers are kept by what decides them. */
export function quietEdges(doc: Document, reader: PcmReader, memory: Map<string, boolean> = new Map()): QuietEdge {
  const span = Math.ceil(QUIET_SECONDS * doc.sampleRate);
  const buffer = new Float32Array(span);
  return (clip, edge, at) => {
    const into = at - clip.start;
    const n = Math.min(span, edge === "start" ? clip.length - into : into);
    const first = edge === "start" ? into : into - n;
    const from = clip.offset + first;
    const faded = first < clip.fadeIn.length || first + n > clip.length - clip.fadeOut.length;
    const key = `${playedId(clip)} ${clip.channels ?? ""} ${from} ${n} ${clip.gain}${clip.envelopes?.gain ? JSON.stringify(clip.envelopes.gain) : ""}${faded ? JSON.stringify([first, clip.length, clip.fadeIn, clip.fadeOut]) : ""}`;
    const known = memory.get(key);
    if (known !== undefined) return known;
    const factor = gainFactor(clip.gain);
    const source = playedSource(doc.sources, clip);
    const own = doc.sources.get(clip.sourceId);
    if (!source || !own) return undefined;
    /** What the clip's fades leave of a sample there. */
    const left = (i: number): number => {
      const [a, b] = [first + i, clip.length - 1 - first - i];
      return (
        clipEnvelopeFactor(clip, own.length, from + i) *
        (a < clip.fadeIn.length ? fadeGain(clip.fadeIn, a) : 1) *
        (b < clip.fadeOut.length ? fadeGain(clip.fadeOut, b) : 1)
      );
    };
    for (const c of playedChannels(clip, source.channels)) {
      if (!reader.read(playedId(clip), c, from, buffer, 0, n)) return undefined;
      for (let i = 0; i < n; i++) {
        if (Math.abs(buffer[i] * factor * (faded || clip.envelopes?.gain ? left(i) : 1)) > QUIET) {
          memory.set(key, false);
          return false;
        }
      }
    }
    memory.set(key, true);
    return true;
  };
}

/** What is heard around a seam is taken from this many seconds on each side. */
export const SEAM_REACH_SECONDS = 0.05;
const ORDER = 24;
/** A jump counts as audible from this many times the ordinary prediction error on, and above −72 dB. */
const SALIENT = 6;
const FLOOR = 10 ** (-72 / 20);

interface Prediction {
  /** The weights of the samples before. */
  readonly weights: Float64Array;
  /** The ordinary error, as an RMS over the stretch. */
  readonly usual: number;
}

/**
 * What predicts a sample from the `ORDER` before it: Burg's method, which minimises the errors forward and backward within the stretch and
 * so does not smear its ends (J. P. Burg, 1967). What is left of the forward error in the end is the error of the prediction itself.
 */
function predictor(x: Float64Array): Prediction {
  const a = new Float64Array(ORDER + 1);
  const n = x.length;
  const f = Float64Array.from(x);
  const b = Float64Array.from(x);
  const before = new Float64Array(ORDER + 1);
  let cross = 0;
  let power = 0;
  for (let i = 1; i < n; i++) {
    cross += f[i] * b[i - 1];
    power += f[i] * f[i] + b[i - 1] * b[i - 1];
  }
  for (let m = 1; m <= ORDER && m < n; m++) {
    if (power < 1e-18) break;
    const k = (2 * cross) / power;
    before.set(a);
    a[m] = k;
    for (let i = 1; i < m; i++) a[i] = before[i] - k * before[m - i];
    // The errors of the next order and their sums in one pass: b[i] of this order goes one place on with each step.
    cross = power = 0;
    let late = b[m - 1];
    for (let i = m; i < n; i++) {
      const [forward, back] = [f[i], late];
      late = b[i];
      const ahead = forward - k * back;
      const behind = back - k * forward;
      f[i] = ahead;
      b[i] = behind;
      if (i > m) {
        const was = b[i - 1];
        cross += ahead * was;
        power += ahead * ahead + was * was;
      }
    }
  }
  let sum = 0;
  for (let i = ORDER; i < n; i++) sum += f[i] * f[i];
  return { weights: a, usual: Math.sqrt(sum / Math.max(1, n - ORDER)) };
}

const predict = (x: Float64Array, a: Float64Array, n: number): number => {
  let sum = 0;
  for (let i = 1; i <= ORDER; i++) sum += a[i] * (x[n - i] ?? 0);
  return sum;
};

/** One side counts as cut off against the other when it is this many times as loud in the half millisecond at the splice. */
const CUT_OFF = 10;
const NEAR_SECONDS = 0.0005;
const BODY_SECONDS = [0.001, 0.005];
/** The time nearest to the splice in which a cut-off side's jump is looked for, and the least part of the side's level that it has there: a fade of 1 ms has less. */
const AT_ONCE_SECONDS = 1 / 6000;
const AT_ONCE_PART = 0.3;
const FIRST_PART = 0.15;
const SILENT = 1e-6;
/** Below −60 dB nothing is heard of a cut-off edge: the same 0.001 of full scale that makes an edge quiet. */
const CUT_FLOOR = QUIET;

const rmsOf = (x: Float64Array, n: number): number => {
  let sum = 0;
  const m = Math.min(n, x.length);
  for (let i = 0; i < m; i++) sum += x[i] * x[i];
  return m > 0 ? Math.sqrt(sum / m) : 0;
};

/** The jump of a side that begins (or, reversed, ends) against much less: its first samples, unless they rise from nothing as a fade does. */
function cutOffJump(sounding: Float64Array, sampleRate: number): number {
  const n = Math.max(1, Math.round(AT_ONCE_SECONDS * sampleRate));
  let jump = 0;
  for (let i = 0; i < Math.min(n, sounding.length); i++) jump = Math.max(jump, Math.abs(sounding[i]));
  // What only starts there, such as the next pulse of a voice, begins with next to nothing.
  const first = Math.max(Math.abs(sounding[0] ?? 0), Math.abs(sounding[1] ?? 0));
  if (first < FIRST_PART * jump) return 0;
  const body = Math.max(...BODY_SECONDS.map((seconds) => rmsOf(sounding, Math.round(seconds * sampleRate))));
  return jump >= CUT_FLOOR && rmsOf(sounding, n) >= AT_ONCE_PART * body ? jump : 0;
}

/**
 * The jump between two stretches that meet, in dB below full scale; null ("none") when it does not stand out. Where one side is much
 * louder at the splice than the other, it is what is cut off there. Else it is the right one's first sample against what the left one
 * predicts (linear prediction), or the reverse, whichever is larger, and counts when it stands out of the ordinary error of both.
 */
export function clickLevel(before: Float64Array, after: Float64Array, sampleRate = 48_000): number | null {
  const back = before.slice().reverse();
  const near = Math.round(NEAR_SECONDS * sampleRate);
  const [ends, begins] = [rmsOf(back, near), rmsOf(after, near)];
  let jump = 0;
  if (ends > CUT_OFF * begins) jump = cutOffJump(back, sampleRate);
  else if (begins > CUT_OFF * ends) jump = cutOffJump(after, sampleRate);
  // Against silence a prediction knows too much: any rise at all would stand out.
  if (jump === 0 && Math.min(ends, begins) < SILENT) return null;
  if (jump === 0) {
    const reversed = after.slice().reverse();
    const left = predictor(before);
    const right = predictor(reversed);
    const forward = Math.abs((after[0] ?? 0) - predict(before, left.weights, before.length));
    const backward = Math.abs((before.at(-1) ?? 0) - predict(reversed, right.weights, reversed.length));
    const usual = Math.max(left.usual, right.usual);
    jump = Math.max(forward, backward);
    if (jump < FLOOR || jump < SALIENT * usual) return null;
  }
  return 20 * Math.log10(jump);
}

export interface SeamMeasure {
  readonly class: SeamClass;
  /** dB below full scale, or null for none. */
  readonly click: number | null;
  /** Short-term level through the seam against what both sides would give without their fades, in dB; null where a side is silence. */
  readonly dip: number | null;
}

/** Tracks alone, by their lanes: many seams of one are measured together. */
const alone = new WeakMap<Lane, Document>();

/** The track of a seam alone, at its own unity: mute, solo and track gain say nothing about a seam. Null when it is gone. */
function aloneOf(doc: Document, seam: Seam): Document | null {
  const [track, lane] = [doc.tracks.get(seam.trackId), doc.lanes.get(seam.trackId)];
  if (!track || !lane) return null;
  let found = alone.get(lane);
  if (!found || found.sources !== doc.sources || found.clips !== doc.clips) {
    found = {
      ...doc,
      tracks: new Map([[track.id, { ...without(track, ["ride"]), mute: false, solo: false, gain: 0, pan: 0 }]]),
      lanes: new Map([[track.id, lane]]),
      piece: { ...doc.piece, trackOrder: [track.id] },
    };
    alone.set(lane, found);
  }
  return found;
}

/** One renderer for each reader: what it needs besides the document costs more to make than a seam to measure. */
const renderers = new WeakMap<PcmReader, Renderer>();
function rendererOf(doc: Document, reader: PcmReader): Renderer {
  let renderer = renderers.get(reader);
  if (!renderer) {
    renderer = new Renderer(doc, reader);
    renderers.set(reader, renderer);
  }
  renderer.setDocument(doc);
  return renderer;
}

/** What is heard around a seam is measured in [from, to); for a blend its overlap, and as much again, lies in it. */
function stretchOf(doc: Document, seam: Seam): { from: number; to: number; blend: number } {
  const reach = Math.ceil(SEAM_REACH_SECONDS * doc.sampleRate);
  const blend = seam.kind === "blended" && seam.right ? seam.right.fadeIn.length : 0;
  return { from: Math.max(0, seam.position - reach - blend), to: seam.position + reach + blend, blend };
}

/** The stretches of recordings that measuring a seam reads: all that is heard of its track around it. */
export function seamSpans(doc: Document, seam: Seam): SourceSpan[] {
  const track = aloneOf(doc, seam);
  const { from, to } = stretchOf(doc, seam);
  const edge = Math.ceil(QUIET_SECONDS * doc.sampleRate);
  // Whether an edge is quiet is asked of its clip, be it muted.
  const edges = [seam.left, seam.right].flatMap((clip) => {
    if (!clip) return [];
    const [a, b] = [Math.max(clip.start, seam.position - edge), Math.min(clipEnd(clip), seam.position + edge)];
    return b > a ? [{ sourceId: playedId(clip), from: clip.offset + a - clip.start, to: clip.offset + b - clip.start }] : [];
  });
  return track ? [...spansNeeded(track, from, to), ...edges] : [];
}

/** Names all that decides a seam's figures: with the same key they are the same, whatever else was edited. */
export function measureKey(doc: Document, seam: Seam): string {
  const { from, to } = stretchOf(doc, seam);
  const around = doc.lanes.get(seam.trackId)?.within(from, to) ?? [];
  const of = (c: Clip): unknown[] => [
    playedId(c),
    c.envelopes,
    c.channels,
    c.start - seam.position,
    c.offset,
    c.length,
    c.gain,
    c.pan,
    c.mute,
    c.layer,
    c.fadeIn,
    c.fadeOut,
    c.blend && { ...c.blend, splice: c.blend.splice - seam.position },
  ];
  return `${seam.id} ${JSON.stringify(around.map(of))}`;
}

/** Class, click and dip of a seam, on what is really heard of its track (gains, fades, layers; not the track's own gain). */
export function measureSeam(doc: Document, seam: Seam, reader: PcmReader, quiet: QuietEdge): SeamMeasure {
  const kind = classify(seam, doc.sampleRate, quiet);
  if (kind === "unbroken") return { class: kind, click: null, dip: 0 };
  const reach = Math.ceil(SEAM_REACH_SECONDS * doc.sampleRate);
  const { from, to, blend } = stretchOf(doc, seam);
  const n = to - from;
  const track = aloneOf(doc, seam);
  if (!track) return { class: kind, click: null, dip: null };
  const left = new Float32Array(n);
  const right = new Float32Array(n);
  rendererOf(track, reader).render(from, n, left, right);
  const at = seam.position - from;
  let click: number | null = null;
  if (kind !== "blended") {
    const mono = left.every((v, i) => v === right[i]);
    for (const channel of mono ? [left] : [left, right]) {
      const level = clickLevel(
        Float64Array.from(channel.subarray(Math.max(0, at - reach), at)),
        Float64Array.from(channel.subarray(at, at + reach)),
        doc.sampleRate,
      );
      if (level !== null && (click === null || level > click)) click = level;
    }
  }
  const dip = dipOf(doc, seam, reader, blend, (place) => left[place - from] ** 2 + right[place - from] ** 2);
  return { class: kind, click, dip };
}
