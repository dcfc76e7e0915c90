import { applyEdits } from "@wet-thread/core/edit/registry";
import type { KeptPart } from "@wet-thread/core/model/clip/kept-part";
import { type Document, dataOf } from "@wet-thread/core/model/document";
import type { Slice } from "@wet-thread/core/model/slices";
import { attacksOnly } from "@wet-thread/core/render/attacks";
import type { StandInKind } from "@wet-thread/core/render/stand-in";
import { type CountIn, NO_COUNT } from "@wet-thread/core/time/count-in";
import { type Along, type HeardRun, heardRuns } from "@wet-thread/core/time/recorded";
import { create } from "zustand";
import { settings, useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { differences } from "./differences";
import type { FromEngine, ToEngine } from "./messages";
import { framesRead, isPlaying, newRing, type Ring, ringOf, setPlaying } from "./ring";

export interface Meters {
  readonly tracks: Readonly<Record<string, number>>;
  readonly left: number;
  readonly right: number;
  /** How often the ring ran dry since this page was opened, and when it last did. */
  readonly starved: number;
  readonly starvedAt: number;
  /** Sound that should be heard now has not come from the server. */
  readonly missing: boolean;
  /** Playing stands still until sound has come from the server. */
  readonly waiting: boolean;
  /** "off" until first played, "on", or why there is no sound. */
  readonly engine: "off" | "on" | "no device" | "server away" | "not secure" | "restarted";
}
const SILENT = { tracks: {}, left: 0, right: 0, missing: false, waiting: false } as const;
export const useMeters = create<Meters>(() => ({ ...SILENT, starved: 0, starvedAt: Number.NEGATIVE_INFINITY, engine: "off" }));

/** Why nothing can be heard. */
export class NoSound extends Error {
  constructor(
    readonly state: "no device" | "server away" | "not secure",
    message: string,
  ) {
    super(message);
  }
}

/** Sound takes memory that page, engine and audio share: browsers give it to pages that came over https, or from this very computer. */
export const canSound = (): boolean => window.isSecureContext && window.crossOriginIsolated;
const NOT_SECURE = "this page came over plain http, where browsers give none. Open it over https; everything else works here too";

/** The engine gets the piece when the page has a moment, at the latest after this, or when it is wanted. */
const HAND_OVER_MS = 3000;
const WORKER_REST_MS = 2000;

const factor = (dB: number): number => 10 ** (dB / 20);
const metronomeGain = (): number => {
  const { on, gain } = settings().metronome;
  return on ? factor(gain) : 0;
};

/** How playing begins for a recording. */
export interface RecordedPlay {
  /** Where it begins, and where what is recorded begins: there the playhead may return to. */
  readonly from: number;
  readonly start: number;
  readonly loop: { readonly start: number; readonly end: number } | null;
  /** Where it ends by itself. */
  readonly end: number | null;
  readonly countIn: CountIn;
}

/** While a hand turns at something, what it comes to is heard so often. */
const HEARD_EACH_MS = 80;

/**
 * Playing, from the page's side: it owns the audio context and the engine worker, tells the worker of every change of the document, and
 * says where the ear is.
 */
export class Transport {
  private worker: Worker;
  private readonly ring: Ring;
  private context: AudioContext | null = null;
  private anchors: { frame: number; position: number }[] = [];
  private known: Document;
  private stopFrame: number | null = null;
  /** While something is recorded: which frames went out when, and where they lie on the timeline. */
  private log: { readonly played: Along[]; readonly made: Along[] } | null = null;
  private player: AudioWorkletNode | null = null;
  private standInKind: StandInKind | null = null;
  private readonly off: () => void;
  /** What the engine has now. */
  private heard: Document;
  /** What is heard in place of the piece until it stops, and what a hand tries, which is heard until it lets go. */
  private instead: Document | null = null;
  private tried: Document | null = null;
  /** While a seam is listened to the view does not follow. */
  viewStays = false;
  /** Where play began, to return to. */
  private from = 0;

  constructor() {
    this.ring = ringOf(newRing());
    this.known = session().doc;
    this.heard = this.known;
    this.worker = this.newWorker();
    const offs = [
      session().store.subscribe(({ doc }) => this.follow(doc)),
      useView.subscribe((v, old) => {
        if (v.bareGains !== old.bareGains || v.attacksOnly !== old.attacksOnly || (v.attacksOnly && v.clipIds !== old.clipIds)) this.bring();
      }),
      useSettings.subscribe((s, old) => {
        if (s.metronome !== old.metronome && view().playing && !this.viewStays) this.tell({ type: "metronome", gain: metronomeGain() });
      }),
    ];
    this.off = () => {
      for (const off of offs) off();
    };
  }

  /** Starts the engine; one that fails is started anew, so that the next press of play has sound again. */
  private newWorker(): Worker {
    const worker = new Worker(new URL("./engine.worker.ts", import.meta.url), { type: "module" });
    let heard = false;
    worker.onmessage = ({ data }: MessageEvent<FromEngine>) => {
      heard = true;
      this.listen(data);
    };
    worker.onerror = (e) => {
      e.preventDefault();
      worker.terminate();
      if (!heard && !this.handedOver) {
        // It never came, since the server is away: it is asked for again, not at once.
        setTimeout(() => {
          if (this.worker === worker) this.worker = this.newWorker();
        }, WORKER_REST_MS);
        return;
      }
      const { playing } = view();
      if (playing) this.stop();
      this.worker = this.newWorker();
      useMeters.setState({ engine: "restarted" });
      toast.error("The sound engine stopped and was started again. The piece is untouched; press play to go on.", { id: "engine" });
    };
    // A large piece takes a moment to hand over: the first drawing goes before it, unless sound is wanted at once.
    this.handedOver = false;
    requestIdleCallback(() => this.handOver(), { timeout: HAND_OVER_MS });
    return worker;
  }

  private handedOver = false;
  /** Gives the engine the piece, once. */
  private handOver(): void {
    if (this.handedOver || !canSound()) return;
    this.handedOver = true;
    const { heard, ring } = this;
    const open: ToEngine = { type: "open", data: dataOf(heard), sources: [...heard.sources.values()], memory: ring.memory as SharedArrayBuffer };
    this.worker.postMessage(open);
    if (this.standInKind) this.worker.postMessage({ type: "stand-in", kind: this.standInKind } satisfies ToEngine);
    if (this.kit.length > 0) this.worker.postMessage({ type: "kit", slices: this.kit } satisfies ToEngine);
  }

  /** What the stand-in for a sound device plays along with the piece; null for none. */
  setStandIn(kind: StandInKind | null): void {
    this.standInKind = kind;
    if (this.handedOver) this.tell({ type: "stand-in", kind });
  }

  /** For tests and bench: what reached the ring. */
  get ringForTests(): Ring {
    return this.ring;
  }

  private tell(message: ToEngine): void {
    this.handOver();
    if (this.handedOver) this.worker.postMessage(message);
  }

  /** Lets the engine hear another state of the piece, such as the one before a seam was smoothed; null is the piece as it is. */
  hear(instead: Document | null): void {
    // What is heard while something is recorded only the recording says.
    if (!this.log) this.hearInstead(instead);
  }

  private readonly turning: { timer: ReturnType<typeof setTimeout> | undefined; last: number } = { timer: undefined, last: 0 };
  /**
   * Lets what a hand tries be heard, whatever else is and however often it stops and plays meanwhile; null once it lets go. Not with every move,
   * since the engine works it out anew each time; the last one always.
   */
  hearWhile(tried: Document | null): void {
    const { turning } = this;
    clearTimeout(turning.timer);
    const rest = turning.last + HEARD_EACH_MS - performance.now();
    const now = (): void => {
      turning.last = performance.now();
      this.tried = tried;
      this.bring();
    };
    if (tried === null || rest <= 0) now();
    else turning.timer = setTimeout(now, rest);
  }

  /** What is heard for a recording: the piece without what is recorded anew. */
  hearRecorded(instead: Document | null): void {
    this.hearInstead(instead);
  }

  private hearInstead(instead: Document | null): void {
    this.instead = instead;
    this.bring();
  }

  /** The piece as the view has it heard: as it is, nothing but attacks, or with bare clips as loud as they are when treated. */
  private meant(): Document {
    const { attacksOnly: only, clipIds, bareGains } = view();
    const doc = louder(this.known, bareGains);
    if (!only) return doc;
    const chosen = [...clipIds].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
    return attacksOnly(doc, chosen.length > 0 ? chosen : doc.clips.values());
  }

  /** Brings the engine to what is to be heard now. */
  private bring(): void {
    const doc = (this.log ? null : this.tried) ?? this.instead ?? this.meant();
    if (doc === this.heard) return;
    if (!this.handedOver) {
      this.heard = doc;
      return;
    }
    const changes = differences(this.heard, doc);
    if (changes) {
      if (changes.length) this.tell({ type: "changes", changes });
    } else this.tell({ type: "document", data: dataOf(doc), sources: [...doc.sources.values()] });
    this.heard = doc;
  }

  private follow(doc: Document): void {
    if (doc === this.known) return;
    const [before, after] = [this.known.piece.loop, doc.piece.loop];
    this.known = doc;
    this.bring();
    if (before !== after) this.tell({ type: "loop", loop: after?.on ? after : null });
  }

  private listen(message: FromEngine): void {
    if (message.type === "anchor") {
      this.anchors.push({ frame: message.frame, position: message.position });
      this.log?.made.push({ frame: message.frame, to: message.position });
    }
    if (message.type === "meters") {
      const ranDry = message.starved > useMeters.getState().starved;
      // A report that was under way when playing stopped is no level any more.
      if (ranDry || isPlaying(this.ring)) useMeters.setState({ ...message, ...(ranDry ? { starvedAt: performance.now() } : {}) });
    }
    if (message.type === "quiet" && !view().playing) useMeters.setState(SILENT);
    if (message.type === "kit") this.kitReady(message.ready);
    if (message.type === "waiting") useMeters.setState({ waiting: message.on && view().playing });
    if (message.type === "reached") this.stopFrame = message.frame;
  }

  private starting: Promise<AudioContext> | null = null;

  /** A context with the player in it: made once, anew where making it failed. Rejects with NoSound. */
  private ready(): Promise<AudioContext> {
    this.starting ??= this.makeContext().catch((error) => {
      this.starting = null;
      throw error;
    });
    return this.starting;
  }

  private async makeContext(): Promise<AudioContext> {
    if (!canSound()) throw new NoSound("not secure", NOT_SECURE);
    let context: AudioContext;
    try {
      context = new AudioContext({ sampleRate: session().doc.sampleRate, latencyHint: "interactive" });
    } catch {
      throw new NoSound("no device", "this computer gives no way to play it");
    }
    try {
      await Promise.all(["player", "input"].map((name) => context.audioWorklet.addModule(`${process.env.NEXT_PUBLIC_WORKLETS}/${name}.js`)));
    } catch {
      void context.close();
      throw new NoSound("server away", "the server does not answer");
    }
    const player = new AudioWorkletNode(context, "player", {
      numberOfInputs: 0,
      numberOfOutputs: 2,
      outputChannelCount: [2, 1],
      processorOptions: { memory: this.ring.memory },
    });
    player.connect(context.destination, 0);
    player.port.onmessage = ({ data }: MessageEvent<Along>) => this.log?.played.push(data);
    this.player = player;
    this.context = context;
    return context;
  }

  /** Makes sure that what reaches the ring is heard. Rejects, having said why, when it can't be. */
  private async start(): Promise<void> {
    try {
      const context = await this.ready();
      if (context.state !== "running") await context.resume();
      useMeters.setState({ engine: "on" });
    } catch (error) {
      const why = error instanceof NoSound ? error : new NoSound("no device", (error as Error).message);
      const { state, message } = why;
      useMeters.setState({ engine: state });
      toast.error(`There is no sound: ${message}.${state === "not secure" ? "" : " Press play to try again."}`, { id: "engine", duration: 8000 });
      throw why;
    }
  }

  /** Lays slices on keys; `ready` is called with how many can be struck once they are made. */
  setKit(slices: readonly Slice[], ready: (count: number) => void = () => {}): void {
    this.kitReady = ready;
    this.kit = slices;
    this.tell({ type: "kit", slices });
  }
  private kit: readonly Slice[] = [];
  private kitReady: (count: number) => void = () => {};

  /** Strikes a key of the kit, at a gain in dB. */
  strike(pad: number, gain = 0): void {
    this.stopSource();
    void this.start().then(
      () => this.tell({ type: "strike", pad, gain: factor(gain) }),
      () => {},
    );
  }

  /** The running context, and the player, whose second output is what the stand-in plays. Rejects, having said why. */
  async sound(): Promise<{ context: AudioContext; player: AudioWorkletNode }> {
    await this.start();
    return { context: this.context as AudioContext, player: this.player as AudioWorkletNode };
  }

  /** Begins to play for a recording; until `endRecorded` nothing else is played. Rejects, having said why, when nothing can be heard. */
  async playRecorded({ from, start, loop, end, countIn }: RecordedPlay): Promise<void> {
    this.log = { played: [], made: [] };
    this.bring();
    const { on, gain } = settings().metronome;
    await this.begin(from, loop, end, { metronome: on ? factor(gain) : 0, from: start, countIn: { count: countIn, gain: factor(gain) } });
    if (!view().playing) throw new NoSound("no device", "nothing can be heard");
  }

  /** What was heard when, so far. */
  heardSoFar(): HeardRun[] {
    return this.log ? heardRuns(this.log.played, this.log.made, framesRead(this.ring)) : [];
  }

  endRecorded(): void {
    this.log = null;
    this.bring();
  }

  /** Whether something is being recorded, which only stopping ends; says so. */
  private held(): boolean {
    if (this.log) toast("Something is being recorded: stop first.", { id: "recording" });
    return this.log !== null;
  }

  /** Plays from a position; to `end` if given, else round the loop when it is on. */
  play(position = view().playhead, end: number | null = null, from = position): Promise<void> {
    if (this.held()) return Promise.resolve();
    const { loop } = session().doc.piece;
    const lead = (settings().preRollMs * session().doc.sampleRate) / 1000;
    const round = end === null && loop?.on ? { start: loop.start, end: loop.end } : null;
    return this.begin(position, round, end, { lead, metronome: metronomeGain(), from });
  }

  /** Plays a span once, or round and round whatever the piece's own loop, while the view stays where it is. */
  audition(start: number, end: number, round: boolean, from = start): Promise<void> {
    if (this.held()) return Promise.resolve();
    const begun = this.begin(start, round ? { start, end } : null, round ? null : end, { from });
    this.viewStays = true;
    return begun;
  }

  /** The engine's own answer to a hand that moves over the timeline; the playhead goes along. */
  scrub(position: number): void {
    if (this.held()) return;
    this.sourceEnds?.();
    if (view().playing) this.stop();
    const at = Math.max(0, position);
    setView({ playhead: at });
    void this.start().then(
      () => this.tell({ type: "scrub", position: at }),
      () => {},
    );
  }

  endScrub(): void {
    if (this.log) return;
    void this.start().then(
      () => this.tell({ type: "stop" }),
      () => {},
    );
    setPlaying(this.ring, false);
    useMeters.setState(SILENT);
  }

  private async begin(
    position: number,
    loop: { start: number; end: number } | null,
    end: number | null,
    { lead = 0, metronome = 0, from = position, countIn = { count: NO_COUNT, gain: 0 } } = {},
  ): Promise<void> {
    this.sourceEnds?.();
    // Whoever counted the rounds of what was played before has nothing to do with this.
    this.roundBegins = null;
    this.anchors = [];
    this.stopFrame = null;
    this.viewStays = false;
    this.from = from;
    const first = Math.max(0, Math.round(position - lead));
    setView({ playing: true, playhead: first });
    try {
      await this.start();
    } catch {
      setView({ playing: false });
      return;
    }
    this.tell({ type: "play", position: first, loop, stopAt: end, metronome, countIn });
  }

  /** Stops; the playhead stays where the ear was, or goes back to where play began. */
  stop(back = false): void {
    if (this.instead) this.hearInstead(null);
    const at = this.position();
    this.tell({ type: "stop" });
    setPlaying(this.ring, false);
    setView({ playing: false, playhead: back ? this.from : at });
    useMeters.setState(SILENT);
  }

  private sourceEnds: (() => void) | null = null;

  /** Hears one recording by itself, or a part of it, from a sample of it on; `ended` is called when it is over or something else is played. */
  async hearSource(sourceId: string, part: KeptPart | null, from: number, ended: () => void): Promise<void> {
    const { sources, sampleRate } = session().doc;
    const source = sources.get(sourceId);
    if (!source) return;
    if (this.held()) return ended();
    if (view().playing) this.stop();
    this.anchors = [];
    this.stopFrame = null;
    this.sourceEnds = ended;
    try {
      await this.start();
    } catch {
      this.sourceEnds = null;
      return ended();
    }
    if (this.sourceEnds === ended) this.tell({ type: "source", source, part, from: Math.min(from, (part ?? source).length - 1), sampleRate });
  }

  stopSource(): void {
    if (!this.sourceEnds) return;
    this.sourceEnds = null;
    this.tell({ type: "stop" });
    setPlaying(this.ring, false);
    useMeters.setState(SILENT);
  }

  private roundBegins: (() => void) | null = null;
  /** Has a function called whenever the ear begins another round of what is played round and round, until what is returned is called. */
  eachRound(begins: () => void): () => void {
    this.roundBegins = begins;
    return () => {
      if (this.roundBegins === begins) this.roundBegins = null;
    };
  }

  /** Where the ear is in what was begun last, in samples; undefined before its first sound. Ends a recording that is over. */
  earPosition(): number | undefined {
    const read = framesRead(this.ring);
    while (this.anchors.length > 1 && this.anchors[1].frame <= read) {
      this.anchors.shift();
      if (this.roundBegins) queueMicrotask(this.roundBegins);
    }
    if (this.sourceEnds && this.stopFrame !== null && read >= this.stopFrame) this.sourceEnds();
    const anchor = this.anchors[0];
    return anchor && Math.max(anchor.position, anchor.position + read - anchor.frame);
  }

  toggle(): void {
    if (view().playing) this.stop(settings().afterStop === "return");
    else void this.play();
  }

  /** Where the ear is on the timeline; ends play that has reached its end. */
  position(): number {
    if (!view().playing) return view().playhead;
    return this.earPosition() ?? view().playhead;
  }

  /** Called with each frame of the screen while playing. */
  tick(): void {
    if (this.stopFrame !== null && framesRead(this.ring) >= this.stopFrame) this.stop(true);
  }

  close(): void {
    clearTimeout(this.turning.timer);
    this.off();
    this.worker.terminate();
    void this.context?.close();
  }
}

/** The piece with clips louder or softer for the ear, as long as their treatment is by-passed: undone, or taken in again elsewhere, it is not. */
function louder(doc: Document, gains: ReadonlyMap<string, number>): Document {
  const isBare = (id: string): boolean => doc.clips.get(id)?.recipe?.treat?.chain.every((p) => !p.on) ?? false;
  const edits = [...gains].filter(([id]) => isBare(id)).map(([id, by]) => ({ type: "set-gain", clipIds: [id], by, links: false }));
  return edits.length > 0 ? applyEdits(doc, edits).doc : doc;
}

let current: Transport | null = null;
export const setTransport = (transport: Transport | null): void => {
  current = transport;
};
export const transport = (): Transport => {
  if (!current) throw new Error("The engine has not been started.");
  return current;
};
/** As `transport`; null where the editor is being left. */
export const transportIfAny = (): Transport | null => current;
