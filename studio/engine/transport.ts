import { type Document, dataOf } from "@wet-thread/core/model/document";
import { create } from "zustand";
import { session } from "@/state/session";
import { setView, view } from "@/state/view";
import { differences } from "./differences";
import type { FromEngine, ToEngine } from "./messages";
import { HEADER, newRing, type Ring, ringOf } from "./ring";

export interface Meters {
  readonly tracks: Readonly<Record<string, number>>;
  readonly left: number;
  readonly right: number;
  readonly starved: number;
  /** "off" until first played, "on", or why there is no sound. */
  readonly engine: "off" | "on" | "no device";
}
export const useMeters = create<Meters>(() => ({ tracks: {}, left: 0, right: 0, starved: 0, engine: "off" }));

/**
 * Playing, from the page's side: it owns the audio context and the engine worker, tells the worker of every change of the document, and
 * says where the ear is.
 */
export class Transport {
  private readonly worker: Worker;
  private readonly ring: Ring;
  private context: AudioContext | null = null;
  private anchors: { frame: number; position: number }[] = [];
  private known: Document;
  private stopFrame: number | null = null;
  private readonly off: () => void;
  /** What the engine has now, and what it was asked to hear in place of the piece. */
  private heard: Document;
  private instead: Document | null = null;
  /** While a seam is listened to the view does not follow. */
  viewStays = false;
  /** Where play began, to return to. */
  private from = 0;

  constructor() {
    this.ring = ringOf(newRing());
    this.worker = new Worker(new URL("./engine.worker.ts", import.meta.url), { type: "module" });
    this.worker.onmessage = ({ data }: MessageEvent<FromEngine>) => this.listen(data);
    this.known = session().doc;
    this.heard = this.known;
    this.tell({ type: "open", data: dataOf(this.known), sources: [...this.known.sources.values()], memory: this.ring.memory });
    this.off = session().store.subscribe(({ doc }) => this.follow(doc));
  }

  /** For tests and bench: what reached the ring. */
  get ringForTests(): Ring {
    return this.ring;
  }

  private tell(message: ToEngine): void {
    this.worker.postMessage(message);
  }

  /** Lets the engine hear another state of the piece, such as the one before a seam was smoothed; null is the piece as it is. */
  hear(instead: Document | null): void {
    this.instead = instead;
    this.bring(instead ?? this.known);
  }

  /** Brings the engine to a state of the piece. */
  private bring(doc: Document): void {
    if (doc === this.heard) return;
    const changes = differences(this.heard, doc);
    if (changes) {
      if (changes.length) this.tell({ type: "changes", changes });
    } else this.tell({ type: "document", data: dataOf(doc), sources: [...doc.sources.values()] });
    this.heard = doc;
  }

  private follow(doc: Document): void {
    if (doc === this.known) return;
    if (!this.instead) this.bring(doc);
    const [before, after] = [this.known.piece.loop, doc.piece.loop];
    if (before !== after) this.tell({ type: "loop", loop: after?.on ? after : null });
    this.known = doc;
  }

  private listen(message: FromEngine): void {
    if (message.type === "anchor") this.anchors.push({ frame: message.frame, position: message.position });
    if (message.type === "meters") useMeters.setState({ ...message });
    if (message.type === "reached") this.stopFrame = message.frame;
  }

  private async start(): Promise<void> {
    if (!this.context) {
      this.context = new AudioContext({ sampleRate: session().doc.sampleRate, latencyHint: "interactive" });
      await this.context.audioWorklet.addModule("/worklet/player.js");
      const player = new AudioWorkletNode(this.context, "player", {
        numberOfInputs: 0,
        outputChannelCount: [2],
        processorOptions: { memory: this.ring.memory },
      });
      player.connect(this.context.destination);
    }
    if (this.context.state !== "running") await this.context.resume();
    useMeters.setState({ engine: "on" });
  }

  /** Plays from a position; to `end` if given, else round the loop when it is on. */
  play(position = view().playhead, end: number | null = null): Promise<void> {
    const { loop } = session().doc.piece;
    return this.begin(position, end === null && loop?.on ? { start: loop.start, end: loop.end } : null, end);
  }

  /** Plays a span once, or round and round whatever the piece's own loop, while the view stays where it is. */
  audition(start: number, end: number, round: boolean): Promise<void> {
    const begun = this.begin(start, round ? { start, end } : null, round ? null : end);
    this.viewStays = true;
    return begun;
  }

  private async begin(position: number, loop: { start: number; end: number } | null, end: number | null): Promise<void> {
    this.anchors = [];
    this.stopFrame = null;
    this.viewStays = false;
    this.from = position;
    setView({ playing: true, playhead: position });
    try {
      await this.start();
    } catch (error) {
      setView({ playing: false });
      useMeters.setState({ engine: "no device" });
      throw error;
    }
    this.tell({ type: "play", position, loop, stopAt: end });
  }

  /** Stops; the playhead stays where the ear was, or goes back to where play began. */
  stop(back = false): void {
    if (this.instead) this.hear(null);
    const at = this.position();
    this.tell({ type: "stop" });
    Atomics.store(this.ring.header, HEADER.playing, 0);
    setView({ playing: false, playhead: back ? this.from : at });
    useMeters.setState({ tracks: {}, left: 0, right: 0 });
  }

  toggle(): void {
    if (view().playing) this.stop();
    else void this.play();
  }

  /** Where the ear is on the timeline; ends play that has reached its end. */
  position(): number {
    if (!view().playing) return view().playhead;
    const read = Atomics.load(this.ring.header, HEADER.read);
    while (this.anchors.length > 1 && this.anchors[1].frame <= read) this.anchors.shift();
    const anchor = this.anchors[0];
    return anchor ? Math.max(anchor.position, anchor.position + read - anchor.frame) : view().playhead;
  }

  /** Called with each frame of the screen while playing. */
  tick(): void {
    if (this.stopFrame !== null && Atomics.load(this.ring.header, HEADER.read) >= this.stopFrame) this.stop(true);
  }

  close(): void {
    this.off();
    this.worker.terminate();
    void this.context?.close();
  }
}

let current: Transport | null = null;
export const setTransport = (transport: Transport | null): void => {
  current = transport;
};
export const transport = (): Transport => {
  if (!current) throw new Error("The engine has not been started.");
  return current;
};
