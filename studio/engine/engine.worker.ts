/// <reference lib="webworker" />

import { clipOfPart, type KeptPart } from "@wet-thread/core/model/clip/kept-part";
import { applyChanges, type Change, type Document, documentFrom, NEW_PIECE, timebaseOf } from "@wet-thread/core/model/document";
import { JUST_LAID, type SourceInfo, type VersionData } from "@wet-thread/core/model/schema";
import type { Slice } from "@wet-thread/core/model/slices";
import { Metronome } from "@wet-thread/core/render/metronome";
import { Renderer, spansNeeded } from "@wet-thread/core/render/renderer";
import { SCRUB_BLOCK, Scrub } from "@wet-thread/core/render/scrub";
import { playedSlice, slicePiece } from "@wet-thread/core/render/slices";
import { StandIn, type StandInKind } from "@wet-thread/core/render/stand-in";
import { type CountIn, NO_COUNT } from "@wet-thread/core/time/count-in";
import { ChunkReader } from "./chunk-reader";
import type { FromEngine, ToEngine } from "./messages";
import {
  COUNTER,
  framesRead,
  framesWritten,
  HEAD_START,
  isPlaying,
  placeOf,
  RING_FRAMES,
  type Ring,
  ringOf,
  setPlaying,
  setWritten,
  timesStarved,
} from "./ring";
import { Voices } from "./voices";

/** Frames rendered in one go. */
const BLOCK = 1024;
/** An edit is heard this many frames after what is being played now, and never nearer to it than SWAP_LEAST; the old sound glides into the new over GLIDE frames. */
const SWAP_AHEAD = 3072;
const SWAP_LEAST = 2048;
const GLIDE = 240;
/** A loop shorter than this, in frames, is a moment: made round by round it would take longer than it sounds. */
const MOMENT = 256;
/** Frames that wait in the ring while scrubbing: few, so that the ear is under the hand. */
const SCRUB_AHEAD = 2048;
/** A key that is struck is heard so many frames after what is being played now; while nothing else plays so many wait in the ring. */
const STRIKE_AHEAD = 1024;
const STRIKE_BLOCK = 256;
/** How far ahead chunks of recordings are fetched, in seconds. */
const FETCH_AHEAD_SECONDS = 4;
/** Sound that takes longer than this to come, in ms, is waited for in words. */
const WAITS_MS = 700;

const port = self as unknown as { postMessage(message: FromEngine): void; onmessage: ((e: MessageEvent<ToEngine>) => void) | null };

interface Loop {
  readonly start: number;
  readonly end: number;
}

class Engine {
  private readonly reader = new ChunkReader(true);
  private readonly left = new Float32Array(BLOCK);
  private readonly right = new Float32Array(BLOCK);
  private readonly side = new Float32Array(BLOCK);
  private renderer: Renderer;
  /** Timeline position of the next frame to be written. */
  private position = 0;
  private loop: Loop | null = null;
  private stopAt: number | null = null;
  private session = 0;
  private metronome: Metronome;
  private metronomeGain = 0;
  private wanted = 0;
  /** What is made just now. */
  private what: "nothing" | "play" | "scrub" | "voices" = "nothing";
  private counting = { count: NO_COUNT, gain: 0, at: 0 };
  private standIn: { readonly kind: StandInKind; readonly player: StandIn } | null = null;
  /** How often the loop has begun anew. */
  private round = 0;
  private readonly voices = new Voices();
  /** Slices on keys as they sound, and what they were made from. */
  private kit: ({ readonly of: string; readonly sound: readonly Float32Array[] } | null)[] = [];
  private kitAsked = 0;
  /** Where each written frame came from, so that an edit can be laid over what waits in the ring. */
  private trail: { frame: number; position: number }[] = [];

  constructor(
    private doc: Document,
    private readonly ring: Ring,
  ) {
    this.renderer = new Renderer(doc, this.reader, { live: true });
    this.setSources(doc);
    this.metronome = new Metronome(timebaseOf(doc));
  }

  /** Another engine for another piece on the same ring. */
  beside(doc: Document): Engine {
    return new Engine(doc, this.ring);
  }

  private setSources(doc: Document): void {
    this.reader.setDocument(doc);
  }

  private get written(): number {
    return framesWritten(this.ring);
  }
  private get read(): number {
    return framesRead(this.ring);
  }

  /** Frames that can be made in one piece from a position: up to a loop's end; of a loop of a moment many rounds at once. */
  private room(position: number, most: number): number {
    const { loop } = this;
    if (!loop || position >= loop.end) return most;
    if (this.isMoment(loop)) return position < loop.start ? Math.min(most, loop.start - position) : most;
    return Math.min(most, loop.end - position);
  }

  private isMoment = (loop: Loop): boolean => loop.end - loop.start < MOMENT;

  /** Where it goes on after a piece was made: at a loop's end from its start, after rounds of a moment within it. */
  private after(position: number): number {
    const { loop } = this;
    if (!loop || position < loop.end) return position;
    if (this.isMoment(loop)) return loop.start + ((position - loop.start) % (loop.end - loop.start));
    return position === loop.end ? loop.start : position;
  }

  private async prepare(position: number, frames: number): Promise<void> {
    const { session } = this;
    let told = false;
    const slow = setTimeout(() => {
      told = session === this.session;
      if (told) port.postMessage({ type: "waiting", on: true });
    }, WAITS_MS);
    await this.reader.prepare(spansNeeded(this.doc, position, position + frames));
    clearTimeout(slow);
    if (told) port.postMessage({ type: "waiting", on: false });
  }

  private prefetch(position: number): void {
    const ahead = FETCH_AHEAD_SECONDS * this.doc.sampleRate;
    void this.reader.prepare(spansNeeded(this.doc, position, this.loop ? Math.min(this.loop.end, position + ahead) : position + ahead));
    if (this.loop && position + ahead > this.loop.end) void this.reader.prepare(spansNeeded(this.doc, this.loop.start, this.loop.start + ahead));
  }

  /** The piece, and the metronome besides it. */
  private make(position: number, n: number, left: Float32Array, right: Float32Array, at = 0): void {
    const { loop } = this;
    if (loop && position >= loop.start && position < loop.end && position + n > loop.end) return this.makeRounds(loop, position, n, left, right, at);
    this.renderer.render(position, n, left, right, at);
    if (this.metronomeGain > 0) this.metronome.add(position, n, left, right, at, this.metronomeGain);
  }

  /** Round after round of a loop that is shorter than what is asked for: one is made, the others are as it is. */
  private makeRounds(loop: Loop, position: number, n: number, left: Float32Array, right: Float32Array, at: number): void {
    const long = loop.end - loop.start;
    const [l, r] = [new Float32Array(long), new Float32Array(long)];
    this.make(loop.start, long, l, r);
    for (let i = 0; i < n; i++) {
      left[at + i] = l[(position - loop.start + i) % long];
      right[at + i] = r[(position - loop.start + i) % long];
    }
  }

  private put(frame: number, n: number): void {
    for (let i = 0; i < n; i++) {
      const at = placeOf(frame + i);
      this.ring.left[at] = this.left[i];
      this.ring.right[at] = this.right[i];
      this.ring.side[at] = this.side[i];
    }
  }

  /** What is counted before the piece is heard: its frames lie nowhere on the timeline. */
  private putCount(n: number): void {
    const { count, gain, at } = this.counting;
    for (const x of [this.left, this.right, this.side]) x.fill(0, 0, n);
    this.metronome.addCountIn(count, at, n, this.left, this.right, 0, gain);
    this.voices.add(this.written, n, this.left, this.right, 0);
    this.put(this.written, n);
    this.counting.at += n;
    setWritten(this.ring, this.written + n);
  }

  /** Makes what lies on keys; what is the same as before is kept. */
  async setKit(slices: readonly Slice[]): Promise<void> {
    const asked = ++this.kitAsked;
    const known = new Map(this.kit.flatMap((one) => (one ? [[one.of, one] as const] : [])));
    const next: typeof this.kit = [];
    for (const slice of slices) {
      const piece = slicePiece(this.doc, slice);
      const of = JSON.stringify([slice, piece && [...piece.clips.values()]]);
      const length = slice.end - slice.start;
      if (piece && !known.has(of)) {
        await this.reader.prepare(spansNeeded(piece, 0, length));
        if (asked !== this.kitAsked) return;
        const both = [new Float32Array(length), new Float32Array(length)];
        new Renderer(piece, this.reader).render(0, length, both[0], both[1]);
        known.set(of, { of, sound: playedSlice(both, slice, this.doc.sampleRate) });
      }
      next.push(known.get(of) ?? null);
    }
    this.kit = next;
    port.postMessage({ type: "kit", ready: next.filter((one) => one !== null).length });
  }

  /** Strikes a key: its slice is laid over what waits in the ring, or, where nothing plays, sounds by itself. */
  strike(pad: number, gain: number): void {
    const one = this.kit[pad];
    if (!one) return;
    const { read, written } = this;
    this.voices.prune(read);
    if (this.what !== "play" && this.what !== "voices") {
      this.voices.strike(pad, one.sound, read, gain);
      void this.sing();
      return;
    }
    // While playing waits for sound nothing is read: then it begins with what is played.
    const ahead = isPlaying(this.ring) ? read + STRIKE_AHEAD : read;
    const start = this.what === "voices" ? Math.min(written, ahead) : ahead;
    // What waits is made of the piece and of voices: theirs is taken out, and put in again with the new one.
    const from = Math.min(start, written);
    const n = written - from;
    const [left, right] = [new Float32Array(n), new Float32Array(n)];
    this.voices.add(from, n, left, right, 0);
    for (const x of [left, right]) for (let i = 0; i < n; i++) x[i] = -x[i];
    this.voices.strike(pad, one.sound, start, gain);
    this.voices.add(from, n, left, right, 0);
    for (let i = 0; i < n; i++) {
      const at = placeOf(from + i);
      this.ring.left[at] += left[i];
      this.ring.right[at] += right[i];
    }
  }

  /** Lets voices sound while nothing else plays, until they are over. */
  private async sing(): Promise<void> {
    const session = ++this.session;
    this.what = "voices";
    this.trail = [];
    this.side.fill(0);
    setWritten(this.ring, this.read);
    while (session === this.session && this.voices.any) {
      const { read } = this;
      while (this.written + STRIKE_BLOCK <= read + STRIKE_AHEAD) {
        for (const x of [this.left, this.right]) x.fill(0, 0, STRIKE_BLOCK);
        this.voices.add(this.written, STRIKE_BLOCK, this.left, this.right, 0);
        this.put(this.written, STRIKE_BLOCK);
        setWritten(this.ring, this.written + STRIKE_BLOCK);
      }
      setPlaying(this.ring, true);
      this.report();
      await waitForChange(this.ring, read);
      this.voices.prune(this.read);
    }
    if (session !== this.session) return;
    this.what = "nothing";
    setPlaying(this.ring, false);
    port.postMessage({ type: "quiet" });
  }

  setStandIn(kind: StandInKind | null): void {
    this.standIn = kind && { kind, player: new StandIn(kind, timebaseOf(this.doc)) };
  }

  async play(
    position: number,
    loop: Loop | null,
    stopAt: number | null,
    metronome: number,
    countIn: { readonly count: CountIn; readonly gain: number } | null,
  ): Promise<void> {
    const session = ++this.session;
    this.what = "play";
    this.metronomeGain = metronome;
    setPlaying(this.ring, false);
    this.position = position;
    this.loop = loop && position < loop.end ? loop : null;
    this.stopAt = stopAt;
    this.round = 0;
    this.counting = { count: countIn?.count ?? NO_COUNT, gain: countIn?.gain ?? 0, at: 0 };
    // A new document state: live glides start from where it is, not from an earlier play.
    this.renderer = new Renderer(this.doc, this.reader, { live: true });
    const start = this.read;
    setWritten(this.ring, start);
    this.trail = [];
    await this.fill(session, start + HEAD_START);
    if (session !== this.session) return;
    setPlaying(this.ring, true);
    port.postMessage({ type: "playing" });
    let starved = timesStarved(this.ring);
    while (session === this.session) {
      if (timesStarved(this.ring) !== starved) {
        // Run dry: one pause until enough lies ready again, instead of many little ones.
        setPlaying(this.ring, false);
        this.report();
        await this.fill(session, this.read + HEAD_START);
        if (session !== this.session) return;
        starved = timesStarved(this.ring);
        setPlaying(this.ring, true);
      }
      await this.fill(session, this.read + RING_FRAMES);
      if (session !== this.session) return;
      const seen = this.read;
      if (this.written - seen >= RING_FRAMES - BLOCK) await waitForChange(this.ring, seen);
      this.report();
    }
  }

  /** Lets sound follow the hand; each call says where it is now. */
  async scrub(wanted: number): Promise<void> {
    this.wanted = wanted;
    if (this.what === "scrub") return;
    const session = ++this.session;
    this.what = "scrub";
    setPlaying(this.ring, false);
    this.renderer = new Renderer(this.doc, this.reader, { live: true });
    this.trail = [];
    const hand = new Scrub(wanted, this.doc.sampleRate);
    const { from, to } = hand.reach();
    await this.reader.prepare(spansNeeded(this.doc, from, to));
    if (session !== this.session) return;
    setWritten(this.ring, this.read);
    const rendered = (at: number, count: number, left: Float32Array, right: Float32Array) => this.renderer.render(at, count, left, right);
    while (session === this.session) {
      const { read } = this;
      while (this.written + SCRUB_BLOCK <= read + SCRUB_AHEAD) {
        const near = hand.reach();
        // What is not here yet is silent: the hand does not wait.
        void this.reader.prepare(spansNeeded(this.doc, near.from, near.to));
        hand.next(this.wanted, rendered, this.left, this.right);
        this.put(this.written, SCRUB_BLOCK);
        setWritten(this.ring, this.written + SCRUB_BLOCK);
      }
      setPlaying(this.ring, true);
      this.report();
      await waitForChange(this.ring, read);
    }
  }

  setMetronome(gain: number): void {
    this.metronomeGain = gain;
    // What waits in the ring is made anew, as after an edit.
    void this.change([], null);
  }

  stop(): void {
    this.session++;
    this.what = "nothing";
    this.voices.clear();
    setPlaying(this.ring, false);
  }

  private async fill(session: number, until: number): Promise<void> {
    while (this.written + BLOCK <= until && session === this.session) {
      const counted = this.counting.count.frames - this.counting.at;
      if (counted > 0) {
        this.putCount(Math.min(BLOCK, counted));
        continue;
      }
      const frame = this.written;
      const n = this.room(this.position, BLOCK);
      await this.prepare(this.position, n);
      if (session !== this.session) return;
      // Rendering itself takes no turn: an edit comes before or after it, never in between.
      this.make(this.position, n, this.left, this.right);
      if (this.standIn) this.standIn.player.render(this.position, n, this.side, 0, this.round);
      else this.side.fill(0, 0, n);
      this.voices.add(frame, n, this.left, this.right, 0);
      this.put(frame, n);
      const last = this.trail.at(-1);
      if (!last || last.position + (frame - last.frame) !== this.position) {
        this.trail.push({ frame, position: this.position });
        while (this.trail.length > 2 && this.trail[1].frame < this.read) this.trail.shift();
        port.postMessage({ type: "anchor", frame, position: this.position });
      }
      const next = this.after(this.position + n);
      if (next <= this.position) this.round++;
      this.position = next;
      setWritten(this.ring, frame + n);
      if (Math.floor(frame / BLOCK) % 16 === 0) this.prefetch(this.position);
      if (this.stopAt !== null && this.position >= this.stopAt) {
        port.postMessage({ type: "reached", frame: frame + n });
        this.stopAt = null;
      }
    }
  }

  private positionAt(frame: number): number {
    const from = this.trail.findLast((t) => t.frame <= frame) ?? this.trail[0];
    return from ? this.after(from.position + (frame - from.frame)) : this.position;
  }

  /** Takes another document: what waits in the ring is rendered anew from a little ahead of the ear, gliding over. */
  async change(changes: readonly Change[] | null, doc: Document | null): Promise<void> {
    this.doc = doc ?? applyChanges(this.doc, changes ?? []);
    this.setSources(this.doc);
    this.renderer.setDocument(this.doc);
    this.metronome = new Metronome(timebaseOf(this.doc));
    if (this.standIn) this.setStandIn(this.standIn.kind);
    if (!isPlaying(this.ring) || this.what !== "play") return;
    const session = this.session;
    const ahead = this.read;
    await this.prepare(this.positionAt(ahead), RING_FRAMES);
    if (session !== this.session) return;
    // What is counted before the piece is no part of it.
    const first = Math.max(this.read + SWAP_AHEAD, this.trail[0]?.frame ?? this.written);
    const { written } = this;
    if (written <= first) return;
    // Rendered apart and laid in at once: however long rendering takes, the ear never meets a half-swapped ring.
    const left = new Float32Array(written - first);
    const right = new Float32Array(written - first);
    for (let frame = first; frame < written; ) {
      const next = this.trail.find((t) => t.frame > frame)?.frame ?? written;
      const n = Math.min(BLOCK, written - frame, next - frame);
      this.make(this.positionAt(frame), n, left, right, frame - first);
      this.voices.add(frame, n, left, right, frame - first);
      frame += n;
    }
    const from = Math.max(first, this.read + SWAP_LEAST);
    for (let frame = from; frame < written; frame++) {
      const at = placeOf(frame);
      const g = Math.min(1, (frame - from + 0.5) / GLIDE);
      this.ring.left[at] += (left[frame - first] - this.ring.left[at]) * g;
      this.ring.right[at] += (right[frame - first] - this.ring.right[at]) * g;
      if (g === 1) {
        this.ring.left[at] = left[frame - first];
        this.ring.right[at] = right[frame - first];
      }
    }
    port.postMessage({ type: "swapped", frame: from });
  }

  setLoop(loop: Loop | null): void {
    this.loop = loop && this.position < loop.end ? loop : null;
  }

  private lastReport = 0;
  private report(): void {
    const now = performance.now();
    if (now - this.lastReport < 50) return;
    this.lastReport = now;
    let [left, right] = [0, 0];
    const { read } = this;
    for (let i = 0; i < 2048; i++) {
      const at = placeOf(read + i);
      left = Math.max(left, Math.abs(this.ring.left[at]));
      right = Math.max(right, Math.abs(this.ring.right[at]));
    }
    port.postMessage({
      type: "meters",
      tracks: Object.fromEntries(this.renderer.peaks),
      left,
      right,
      starved: timesStarved(this.ring),
      missing: this.reader.takeMissing(),
    });
  }
}

/** Waits until more has gone to the ear than was seen, or for a moment. */
async function waitForChange(ring: Ring, seen: number): Promise<void> {
  const wait = (
    Atomics as unknown as { waitAsync?: (a: BigInt64Array, i: number, v: bigint, t: number) => { async: boolean; value: Promise<string> | string } }
  ).waitAsync;
  if (!wait) {
    await new Promise((wake) => setTimeout(wake, 10));
    return;
  }
  const { async, value } = wait(ring.counters, COUNTER.read, BigInt(seen), 200);
  if (async) await value;
}

let engine: Engine | null = null;
/** Plays one recording by itself; the piece waits as it is. */
let apart: Engine | null = null;

/** A piece of one clip: a whole recording, or a part of it that is kept. */
function alone(source: SourceInfo, part: KeptPart | null, sampleRate: number): Document {
  const track = { id: "t", name: "", color: "woad" as const, height: 36, mute: false, solo: false, gain: 0, pan: 0, hidden: false, link: null };
  const all = { id: "c", name: "", color: null, offset: 0, length: source.length, gain: 0, pan: 0, ...JUST_LAID };
  return documentFrom(
    {
      sampleRate,
      piece: { ...NEW_PIECE, trackOrder: ["t"] },
      tracks: [track],
      clips: [clipOfPart(source.id, part ?? all, "t", 0)],
      markers: [],
      sections: [],
    },
    new Map([[source.id, source]]),
  );
}

const handle = (message: ToEngine): void => {
  switch (message.type) {
    case "open":
      engine?.stop();
      engine = new Engine(documentFrom(message.data as VersionData, new Map(message.sources.map((s) => [s.id, s]))), ringOf(message.memory));
      break;
    case "document":
      void engine?.change(null, documentFrom(message.data as VersionData, new Map(message.sources.map((s) => [s.id, s]))));
      break;
    case "changes":
      void engine?.change(message.changes, null);
      break;
    case "source":
      engine?.stop();
      apart?.stop();
      if (!engine) break;
      apart = engine.beside(alone(message.source, message.part, message.sampleRate));
      void apart.play(message.from, null, (message.part ?? message.source).length, 0, null);
      break;
    case "play":
      apart?.stop();
      apart = null;
      void engine?.play(message.position, message.loop, message.stopAt, message.metronome, message.countIn);
      break;
    case "stand-in":
      engine?.setStandIn(message.kind);
      break;
    case "kit":
      void engine?.setKit(message.slices);
      break;
    case "strike":
      engine?.strike(message.pad, message.gain);
      break;
    case "metronome":
      engine?.setMetronome(message.gain);
      break;
    case "scrub":
      apart?.stop();
      apart = null;
      void engine?.scrub(message.position);
      break;
    case "loop":
      engine?.setLoop(message.loop);
      break;
    case "stop":
      apart?.stop();
      apart = null;
      engine?.stop();
      break;
  }
};
port.onmessage = ({ data }) => handle(data);
