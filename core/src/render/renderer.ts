import { envelopeValue, scaleByEnvelope } from "../dsp/envelope";
import { blendGains, fadeGain } from "../dsp/fades";
import { newKernels } from "../kernels/kernels";
import { blendAfter, type Document } from "../model/document";
import { linePlace, madeLine, playedId, runsBackwards } from "../model/recipe/played-recording";
import { type Clip, clipEnd, type EnvelopePoint, gainFactor, playedChannels, type Track } from "../model/schema";
import { firstHeardAt, type Heard, heardOf } from "./heard";
import { likeness } from "./likeness";
import type { PcmReader, SourceSpan } from "./reader";

/** Largest block that is rendered in one go; longer ones are taken in parts. The result does not depend on it. */
const BLOCK = 4096;
/** Live changes of gain, mute and solo glide over this time, so that they don't click. */
const RAMP_SECONDS = 0.005;

/** Balance: at centre both sides are untouched, so that a recording at unity comes out as it went in. */
export const panGains = (pan: number): { left: number; right: number } => ({ left: Math.min(1, 1 - pan), right: Math.min(1, 1 + pan) });

/** Whether a track is heard, given its own mute and everybody's solo. */
export const isAudible = (track: Track, anySolo: boolean): boolean => !track.mute && (!anySolo || track.solo);

/** Whether some track's solo silences the others: tracks that are named for a render are heard whatever is soloed. */
export function soloCounts(doc: Document, named?: ReadonlySet<string>): boolean {
  if (!named) for (const track of doc.tracks.values()) if (track.solo) return true;
  return false;
}

/** Places in the kernels' memory, each of one block: the mix, a track's bus, a clip's samples, and tracks that wait to be mixed together. */
const PLACES = { mixLeft: 0, mixRight: BLOCK, busLeft: 2 * BLOCK, busRight: 3 * BLOCK, clip: 4 * BLOCK, clipRight: 5 * BLOCK, waiting: 6 * BLOCK };
/** As many tracks of one channel are mixed in one pass. */
const TOGETHER = 4;
const GAINS = PLACES.waiting + TOGETHER * BLOCK;

/**
 * Renders a document to two channels, block by block: the one engine behind playback and export. Each sample depends only on the
 * document and its position, never on block borders; only `live` gain glides keep state between blocks.
 */
export class Renderer {
  private doc: Document;
  private readonly likenesses = new Map<string, number>();
  private readonly kernels = newKernels(GAINS + 2 * TOGETHER);
  /** Tracks that wait in the kernels' memory; they are mixed in the order in which they came. */
  private waiting = 0;
  private readonly gains = new Float64Array(BLOCK);
  private readonly panLeft = new Float64Array(BLOCK);
  private readonly panRight = new Float64Array(BLOCK);
  private readonly glides = new Map<string, { left: number; right: number }>();
  /** What a clip plays whose samples were not at hand where they were to be heard, the last that was met; whoever must have them all looks here. */
  missing: string | null = null;
  /** When live: peak of each track in the last block, after its gain and pan. */
  readonly peaks = new Map<string, number>();

  constructor(
    doc: Document,
    private readonly reader: PcmReader,
    private readonly options: { readonly live?: boolean; readonly tracks?: ReadonlySet<string> } = {},
  ) {
    this.doc = doc;
  }

  /** Takes another state of the document from the next block on. */
  setDocument(doc: Document): void {
    this.doc = doc;
  }

  /** Reads samples that a clip plays into the kernels' memory; silence where they are not at hand, which is noted. */
  private read(clip: Clip, channel: number, from: number, place: number, n: number): void {
    const id = playedId(clip);
    if (!this.reader.read(id, channel, from, this.kernels.floats, place, n)) this.missing = id;
  }

  /** Writes [from, from + count) to both outputs at `at`. */
  render(from: number, count: number, left: Float32Array, right: Float32Array, at = 0): void {
    this.peaks.clear();
    const { floats } = this.kernels;
    const { tracks, lanes, piece } = this.doc;
    const anySolo = soloCounts(this.doc, this.options.tracks);
    for (let done = 0; done < count; done += BLOCK) {
      const n = Math.min(BLOCK, count - done);
      floats.fill(0, PLACES.mixLeft, PLACES.mixRight + BLOCK);
      for (const id of piece.trackOrder) {
        if (this.options.tracks && !this.options.tracks.has(id)) continue;
        const track = tracks.get(id) as Track;
        const heard = heardOf(lanes.get(id) as Parameters<typeof heardOf>[0]);
        this.mixTrack(track, isAudible(track, anySolo), heard, from + done, n);
      }
      this.mixWaiting(n);
      left.set(floats.subarray(PLACES.mixLeft, PLACES.mixLeft + n), at + done);
      right.set(floats.subarray(PLACES.mixRight, PLACES.mixRight + n), at + done);
    }
  }

  /** Mixes the tracks that wait. Alone or together they give the same bits: each sample takes one track after the other. */
  private mixWaiting(n: number): void {
    const { kernels, waiting } = this;
    if (waiting === TOGETHER) kernels.mixFour(PLACES.waiting, BLOCK, PLACES.mixLeft, PLACES.mixRight, (n + 3) & ~3, GAINS);
    else
      for (let k = 0; k < waiting; k++) {
        const [l, r] = [kernels.floats[GAINS + 2 * k], kernels.floats[GAINS + 2 * k + 1]];
        kernels.mixBoth(PLACES.waiting + k * BLOCK, PLACES.mixLeft, PLACES.mixRight, n, l, r);
      }
    this.waiting = 0;
  }

  private mixTrack(track: Track, audible: boolean, heard: readonly Heard[], from: number, n: number): void {
    const { kernels } = this;
    const { floats } = kernels;
    const target = panGains(track.pan);
    const factor = audible ? gainFactor(track.gain) : 0;
    const to = { left: target.left * factor, right: target.right * factor };
    let glide = this.options.live ? this.glides.get(track.id) : undefined;
    if (this.options.live && !glide) {
      glide = { ...to };
      this.glides.set(track.id, glide);
    }
    const gliding = glide !== undefined && (glide.left !== to.left || glide.right !== to.right);
    if (!gliding && to.left === 0 && to.right === 0) return;
    const { ride } = track;
    const plain = this.plainClip(heard, from, n);
    let busLeft: number = PLACES.busLeft;
    let busRight: number = PLACES.busRight;
    if (plain && plain.channels.length === 1 && !gliding && !ride) {
      // One channel at one gain waits to be mixed with those of other tracks: on a bus it would be just the same on both sides.
      busLeft = busRight = PLACES.waiting + this.waiting * BLOCK;
      const place = plain.gain === 1 ? busLeft : PLACES.clip;
      this.read(plain.clip, plain.channels[0], plain.from, place, n);
      this.swell(plain.clip, plain.from, n, place);
      if (plain.gain !== 1) {
        floats.fill(0, busLeft, busLeft + n);
        kernels.mixOne(PLACES.clip, busLeft, n, plain.gain);
      }
      floats[GAINS + 2 * this.waiting] = to.left;
      floats[GAINS + 2 * this.waiting + 1] = to.right;
      this.notePeak(track.id, busLeft, busRight, n, to);
      if (++this.waiting === TOGETHER) this.mixWaiting(n);
      return;
    }
    // Tracks are mixed in their order, whatever each of them needs.
    this.mixWaiting(n);
    if (plain?.gain === 1) {
      busLeft = PLACES.clip;
      const [first, second] = plain.channels;
      this.read(plain.clip, first, plain.from, busLeft, n);
      this.swell(plain.clip, plain.from, n, busLeft);
      busRight = second === undefined ? busLeft : PLACES.clipRight;
      if (second !== undefined) {
        this.read(plain.clip, second, plain.from, busRight, n);
        this.swell(plain.clip, plain.from, n, busRight);
      }
    } else if (!this.fillBus(heard, from, n)) {
      if (gliding) this.glides.set(track.id, to);
      return;
    }
    if (ride) {
      // Where one channel stands for both sides it is scaled once.
      scaleByEnvelope(kernels, ride, from, n, busLeft);
      if (busRight !== busLeft) scaleByEnvelope(kernels, ride, from, n, busRight);
    }
    if (gliding && glide) {
      const step = 1 / (RAMP_SECONDS * this.doc.sampleRate);
      const toward = (value: number, goal: number): number => (value < goal ? Math.min(goal, value + step) : Math.max(goal, value - step));
      for (let i = 0; i < n; i++) {
        glide.left = toward(glide.left, to.left);
        glide.right = toward(glide.right, to.right);
        floats[PLACES.mixLeft + i] += floats[busLeft + i] * glide.left;
        floats[PLACES.mixRight + i] += floats[busRight + i] * glide.right;
      }
    } else {
      kernels.mixOne(busLeft, PLACES.mixLeft, n, to.left);
      kernels.mixOne(busRight, PLACES.mixRight, n, to.right);
    }
    this.notePeak(track.id, busLeft, busRight, n, to);
  }

  private notePeak(trackId: string, busLeft: number, busRight: number, n: number, to: { left: number; right: number }): void {
    if (!this.options.live) return;
    const left = this.kernels.loudest(busLeft, n);
    const right = busRight === busLeft ? left : this.kernels.loudest(busRight, n);
    this.peaks.set(trackId, Math.max(this.peaks.get(trackId) ?? 0, left * to.left, right * to.right));
  }

  /** The one clip that fills the whole block, without fade or pan; undefined when there is more to do. */
  private plainClip(
    heard: readonly Heard[],
    from: number,
    n: number,
  ): { clip: Clip; from: number; gain: number; channels: readonly number[] } | undefined {
    let only: Heard | undefined;
    for (let i = firstHeardAt(heard, from); i < heard.length && heard[i].from < from + n; i++) {
      if (heard[i].to <= from) continue;
      if (only) return undefined;
      only = heard[i];
    }
    if (!only || only.from > from || only.to < from + n) return undefined;
    const { clip } = only;
    const source = this.doc.sources.get(clip.sourceId);
    const faded = from < clip.start + clip.fadeIn.length || from + n > clipEnd(clip) - clip.fadeOut.length;
    return source && !faded && clip.pan === 0 && !clip.envelopes?.pan
      ? { clip, from: clip.offset + from - clip.start, gain: gainFactor(clip.gain), channels: playedChannels(clip, source.channels) }
      : undefined;
  }

  /** Lays what is heard of a lane on the bus; false when nothing sounds in the block. */
  private fillBus(heard: readonly Heard[], from: number, n: number): boolean {
    let any = false;
    for (let i = firstHeardAt(heard, from); i < heard.length && heard[i].from < from + n; i++) {
      const { clip } = heard[i];
      const start = Math.max(heard[i].from, from);
      const end = Math.min(heard[i].to, from + n);
      if (end <= start) continue;
      if (!any) {
        this.kernels.floats.fill(0, PLACES.busLeft, PLACES.busRight + BLOCK);
        any = true;
      }
      this.addClip(clip, start, end, start - from);
    }
    return any;
  }

  private addClip(clip: Clip, start: number, end: number, at: number): void {
    const source = this.doc.sources.get(clip.sourceId);
    const factor = gainFactor(clip.gain);
    if (!source || factor === 0) return;
    const { kernels, gains } = this;
    const { floats } = kernels;
    const n = end - start;
    const pan = panGains(clip.pan);
    const first = clip.offset + (start - clip.start);
    const faded = this.fillGains(clip, start, n);
    const turns = clip.envelopes?.pan;
    if (turns) this.fillPans(clip, turns, source.length, first, n);
    const [left, right] = [PLACES.busLeft + at, PLACES.busRight + at];
    const channels = playedChannels(clip, source.channels);
    for (let channel = 0; channel < channels.length; channel++) {
      this.read(clip, channels[channel], first, PLACES.clip, n);
      if (faded) for (let i = 0; i < n; i++) floats[PLACES.clip + i] *= gains[i];
      this.swell(clip, first, n, PLACES.clip);
      if (turns) {
        const { panLeft, panRight } = this;
        for (let i = 0; i < n; i++) {
          const x = floats[PLACES.clip + i];
          if (channels.length === 1 || channel === 0) floats[left + i] += x * (panLeft[i] * factor);
          if (channels.length === 1 || channel === 1) floats[right + i] += x * (panRight[i] * factor);
        }
      } else if (channels.length === 1) kernels.mixBoth(PLACES.clip, left, right, n, pan.left * factor, pan.right * factor);
      else kernels.mixOne(PLACES.clip, channel === 0 ? left : right, n, channel === 0 ? pan.left * factor : pan.right * factor);
    }
  }

  /**
   * Scales n samples of a clip, from `first` of what it plays on, along its gain envelope. What is played backwards is gone through forwards and
   * turned, so that an envelope's factors are the same whichever way.
   */
  private swell(clip: Clip, first: number, n: number, place: number): void {
    const drawn = clip.envelopes?.gain;
    const source = this.doc.sources.get(clip.sourceId);
    if (!drawn || !source) return;
    const line = madeLine(clip, drawn);
    if (!runsBackwards(clip.recipe)) return scaleByEnvelope(this.kernels, line, linePlace(source, clip, first), n, place);
    const samples = this.kernels.floats.subarray(place, place + n);
    samples.reverse();
    scaleByEnvelope(this.kernels, line, linePlace(source, clip, first + n - 1), n, place);
    samples.reverse();
  }

  /** Fills the gains of both sides along a pan envelope, the clip's own pan added. */
  private fillPans(clip: Clip, points: readonly EnvelopePoint[], length: number, first: number, n: number): void {
    const { panLeft, panRight } = this;
    const line = madeLine(clip, points);
    for (let i = 0; i < n; i++) {
      const value = clip.pan + envelopeValue(line, linePlace({ length }, clip, first + i));
      const pan = Math.max(-1, Math.min(1, value));
      panLeft[i] = Math.min(1, 1 - pan);
      panRight[i] = Math.min(1, 1 + pan);
    }
  }

  /** Fills the gain of a clip's fades and blends over [start, start + n); false when it is 1 throughout. */
  private fillGains(clip: Clip, start: number, n: number): boolean {
    const { gains } = this;
    const inEnd = Math.min(n, clip.start + clip.fadeIn.length - start);
    const outStart = Math.max(0, clipEnd(clip) - clip.fadeOut.length - start);
    if (inEnd <= 0 && outStart >= n) return false;
    gains.fill(1, Math.max(0, inEnd), n);
    if (inEnd > 0) {
      const blend = clip.blend?.linked ? clip.blend : null;
      const alike = blend ? this.likenessOf(clip) : 0;
      const first = start - clip.start;
      for (let i = 0; i < inEnd; i++) {
        gains[i] = blend ? blendGains(blend.law, clip.fadeIn, first + i, clip.fadeIn.length, alike).gainIn : fadeGain(clip.fadeIn, first + i);
      }
    }
    if (outStart < n) {
      const follower = blendAfter(this.doc, clip);
      const blend = follower?.blend?.linked ? follower.blend : null;
      const alike = blend && follower ? this.likenessOf(follower) : 0;
      const last = clipEnd(clip) - 1 - start;
      for (let i = outStart; i < n; i++) {
        gains[i] *=
          blend && follower
            ? blendGains(blend.law, follower.fadeIn, clip.fadeOut.length - 1 - (last - i), clip.fadeOut.length, alike).gainOut
            : fadeGain(clip.fadeOut, last - i);
      }
    }
    return true;
  }

  private likenessOf(right: Clip): number {
    const left = right.blend && right.blend.law === "auto" ? this.doc.clips.get(right.blend.with) : undefined;
    if (!left) return 0;
    const channels = (c: Clip): readonly number[] => playedChannels(c, this.doc.sources.get(c.sourceId)?.channels ?? 1);
    const key = `${playedId(left)} ${channels(left)} ${left.offset + right.start - left.start} ${playedId(right)} ${channels(right)} ${right.offset} ${right.fadeIn.length}`;
    let r = this.likenesses.get(key);
    if (r === undefined) {
      r = likeness(left, channels(left), right, channels(right), this.reader);
      if (r === undefined) return 0;
      this.likenesses.set(key, r);
    }
    return r;
  }
}

/** The overlap of a blend as both clips play it: Auto asks both sides for the whole of it, whatever of them is heard. */
function overlapSpans(doc: Document, right: Clip): SourceSpan[] {
  const left = right.blend && right.blend.law === "auto" ? doc.clips.get(right.blend.with) : undefined;
  if (!left) return [];
  const [from, to] = [right.start, clipEnd(left)];
  return [left, right].map((c) => ({ sourceId: playedId(c), from: c.offset + from - c.start, to: c.offset + to - c.start }));
}

/** The stretches of recordings that rendering [from, to) reads: the one answer to what must be at hand for it, whoever renders. */
export function spansNeeded(doc: Document, from: number, to: number, tracks?: ReadonlySet<string>): SourceSpan[] {
  const spans: SourceSpan[] = [];
  const anySolo = soloCounts(doc, tracks);
  for (const [id, lane] of doc.lanes) {
    if (tracks && !tracks.has(id)) continue;
    const track = doc.tracks.get(id);
    if (!track || !isAudible(track, anySolo)) continue;
    const heard = heardOf(lane);
    for (let i = firstHeardAt(heard, from); i < heard.length && heard[i].from < to; i++) {
      const { clip } = heard[i];
      const start = Math.max(from, heard[i].from);
      const end = Math.min(to, heard[i].to);
      if (end <= start) continue;
      spans.push({ sourceId: playedId(clip), from: clip.offset + start - clip.start, to: clip.offset + end - clip.start });
      if (clip.blend && start < clip.start + clip.fadeIn.length) spans.push(...overlapSpans(doc, clip));
      if (clip.fadeOut.length > 0 && end > clipEnd(clip) - clip.fadeOut.length) {
        const follower = blendAfter(doc, clip);
        if (follower) spans.push(...overlapSpans(doc, follower));
      }
    }
  }
  return spans;
}
