import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit } from "@wet-thread/core/edit/registry";
import { type Document, documentEnd, timebaseOf } from "@wet-thread/core/model/document";
import { nameOf } from "@wet-thread/core/model/schema";
import { countIn } from "@wet-thread/core/time/count-in";
import { type RecordedPart, takesOf } from "@wet-thread/core/time/recorded";
import { inputOf, recorderState, recordingSettings, STAND_IN, setRecording, useRecorder, useRecording } from "@/state/kept/recording";
import { setSettings, settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { edited, modeRules } from "@/state/view/modes";
import { selectClips, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import type { Place } from "./capture";
import { findDevices, Inputs, inputName } from "./inputs";
import { holdRecording, takeInLeft, takenIn } from "./laying";
import { measureRoundTrip } from "./measure-round-trip";
import { RecordedWave } from "./recorded-wave";
import { SoundSender } from "./sound-sender";
import { NoSound, type Transport } from "./transport";

/** The page keeps at most so much sound that the server has not taken. */
const MOST_WAITING_SECONDS = 600;
/** Bars that are heard before a phrase is recorded anew. */
export const LEAD_BARS = 2;
/** The last of the sound, which is on its way when playing stops, is not waited for longer than this. */
const TAIL_WAIT_MS = 2000;
/** What was laid shows itself in the piece within this, or is not selected. */
const SHOWN_WITHIN_MS = 15_000;

/** One track that is being recorded. */
interface Lane {
  readonly trackId: string;
  readonly name: string;
  readonly places: readonly Place[];
  readonly roundTrip: number;
}

/** What is recorded anew of a take stack: a span of it, with what is heard before it, in samples; it becomes a lane of the stack. */
export interface PunchIntoStack {
  readonly stackId: string;
  readonly trackId: string;
  readonly start: number;
  readonly end: number;
  readonly lead: number;
}

/** A recording under way. */
interface Running {
  readonly into: string | undefined;
  readonly lanes: readonly Lane[];
  readonly sender: SoundSender;
  readonly wave: RecordedWave;
  readonly sampleRate: number;
  /** What of the timeline is kept. */
  readonly start: number;
  readonly end: number | null;
  /** Frame of the device at which the first sample came in. */
  first: number | null;
  /** What was selected when it began. */
  readonly selection: ReadonlySet<string>;
  /** Called with each handful of samples. */
  came(): void;
  /** Lets go of it; one that is not taken in is offered again by the next page. */
  release(done: boolean): void;
  readonly unfollow: () => void;
}

/** A track while it is recorded: its waveform, and the take under way as parts of it. */
export interface Growing {
  readonly trackId: string;
  readonly name: string;
  readonly parts: readonly RecordedPart[];
  readonly lows: readonly number[];
  readonly highs: readonly number[];
}

/** Records from inputs while the piece plays: arms, captures, sends, and has it laid where it was played to. */
export class Recorder {
  private inputs: Inputs | null = null;
  private running: Running | null = null;
  /** What is drawn of a recording that has ended, until it lies in the piece. */
  private ended: readonly Growing[] = [];
  private readonly offs: (() => void)[];

  constructor(private readonly transport: Transport) {
    const on = <K extends keyof WindowEventMap>(type: K, hear: (e: WindowEventMap[K]) => void): (() => void) => {
      window.addEventListener(type, hear);
      return () => window.removeEventListener(type, hear);
    };
    const plugged = (): void => void findDevices().catch(() => {});
    navigator.mediaDevices?.addEventListener("devicechange", plugged);
    this.offs = [
      useView.subscribe((v, old) => {
        if (old.playing && !v.playing) void this.finish();
      }),
      useRecording.subscribe((s, old) => {
        if (s.standIn.kind !== old.standIn.kind) transport.setStandIn(s.standIn.kind);
        if (s.inputs !== old.inputs && recorderState().phase === "off") void this.openArmed();
        else if (s.standIn !== old.standIn || s.inputs !== old.inputs) this.followSettings();
      }),
      on("pagehide", () => this.running?.sender.leave(this.laid(this.running, this.takes(this.running, this.running.sender.sent)))),
      on("beforeunload", (e) => {
        if (recorderState().phase !== "off") e.preventDefault();
      }),
      () => navigator.mediaDevices?.removeEventListener("devicechange", plugged),
    ];
    plugged();
    transport.setStandIn(recordingSettings().standIn.kind);
    useRecorder.setState({ phase: "off", armed: new Set(), tracks: [], levels: {}, clipped: new Set() });
    void takeInLeft(session().store.getState().versionId, session().doc.sampleRate);
  }

  /** Arms tracks, or takes them out. */
  arm(trackIds: readonly string[], on: boolean): void {
    if (recorderState().phase !== "off") return void toast("Something is being recorded: stop first.", { id: "recording" });
    const armed = new Set(recorderState().armed);
    for (const id of trackIds) {
      if (on) armed.add(id);
      else armed.delete(id);
    }
    useRecorder.setState({ armed });
    void this.openArmed();
  }

  /** Tracks that are armed and there, in their order. */
  private armedTracks(doc: Document): string[] {
    const { armed } = recorderState();
    return doc.piece.trackOrder.filter((id) => armed.has(id) && doc.tracks.has(id));
  }

  private async ready(): Promise<Inputs> {
    const { context, player } = await this.transport.sound();
    if (this.inputs?.context !== context) {
      this.inputs?.close();
      this.inputs = new Inputs(context, player, (name) => this.deviceGone(name));
    }
    return this.inputs;
  }

  /** Opens the inputs of all armed tracks, so that their levels are seen. False where one can't be opened, which has been said. */
  private async openArmed(): Promise<boolean> {
    const wanted = [...new Set(this.armedTracks(session().doc).map((id) => inputOf(id).input))];
    if (wanted.length === 0 && !this.inputs) return true;
    try {
      await (await this.ready()).use(wanted);
      if (wanted.some((id) => id !== STAND_IN)) void findDevices().catch(() => {});
      return true;
    } catch (error) {
      sayWhy(error, "input");
      return false;
    } finally {
      this.followSettings();
    }
  }

  private followSettings(): void {
    const heard = this.armedTracks(session().doc)
      .map(inputOf)
      .filter((i) => i.monitor);
    this.inputs?.settings(new Set(heard.map((i) => i.input)));
  }

  private deviceGone(name: string): void {
    const during = this.running !== null;
    toast.error(`${name} is gone.${during ? " What came until then is kept, and laid where it was played to." : ""}`, {
      id: "input",
      duration: 12_000,
    });
    if (during) this.stop();
  }

  private stop(): void {
    this.transport.stop(settings().afterStop === "return");
  }

  /** Begins to record on all armed tracks, or ends it. */
  toggle(): void {
    const { phase } = recorderState();
    if (phase === "on" || phase === "counting") this.stop();
    else if (phase === "off") void this.record();
    else toast(phase === "starting" ? "Recording is just beginning." : "What was recorded is still being taken in.", { id: "recording" });
  }

  /** Records a span of a take stack anew, as a lane of it; its track is armed for that. */
  async punch(into: PunchIntoStack): Promise<void> {
    if (recorderState().phase !== "off") return void toast("Something is being recorded: stop first.", { id: "recording" });
    if (!recorderState().armed.has(into.trackId)) this.arm([into.trackId], true);
    await this.record(into);
  }

  private async record(into?: PunchIntoStack): Promise<void> {
    const { doc } = session();
    if (view().locked) return void toast("The view is locked: nothing is recorded.", { id: "lock" });
    const ids = into ? [into.trackId] : this.armedTracks(doc);
    if (ids.length === 0) return void toast("Arm a track first: the round button on its head.", { id: "recording" });
    if (view().playing) this.transport.stop();
    useRecorder.setState({ phase: "starting", came: 0, taken: 0, kept: 0, away: null, clipped: new Set(), tracks: ids });
    try {
      if (!(await this.openArmed())) return this.idle();
      await this.begin(doc, ids, into);
    } catch (error) {
      sayWhy(error, "recording");
      await this.abandon();
    }
  }

  /** What of the timeline is recorded: the selected range, the loop round after round, or from the playhead on. */
  private span(doc: Document): { start: number; end: number | null; loop: { start: number; end: number } | null } {
    const { range, playhead } = view();
    if (range && recordingSettings().punch) return { start: range.start, end: range.end, loop: null };
    const { loop } = doc.piece;
    if (loop?.on) return { start: loop.start, end: loop.end, loop: { start: loop.start, end: loop.end } };
    return { start: Math.round(playhead), end: null, loop: null };
  }

  private async begin(doc: Document, ids: readonly string[], into?: PunchIntoStack): Promise<void> {
    const own = session();
    const inputs = await this.ready();
    const { start, end, loop } = into ? { ...into, loop: null } : this.span(doc);
    const { countInBars, preRollMs } = recordingSettings();
    const from = Math.max(0, start - (into?.lead ?? Math.round((preRollMs * doc.sampleRate) / 1000)));
    // What is heard before a phrase counts it in, unless the piece begins there.
    const bars = !into ? countInBars : start < into.lead ? LEAD_BARS : 0;
    const count = countIn(timebaseOf(doc), from, bars);
    const lanes = ids.map((trackId): Lane => {
      const input = inputOf(trackId);
      return { trackId, name: takeName(doc, trackId), places: inputs.places(input), roundTrip: inputs.roundTrip(input.input).samples };
    });
    const places = lanes.flatMap((l) => l.places);
    let channel = 0;
    const groups = lanes.map((l) => l.places.map(() => channel++));
    let early = (_done: boolean): void => {};
    const sender = new SoundSender(
      own.store.getState().versionId,
      { tracks: lanes.map((l) => ({ trackId: l.trackId, name: l.name, channels: l.places.length })), start: Math.max(0, from - count.frames) },
      places.length,
      {
        begun: ({ id }) => {
          const release = holdRecording(id);
          if (this.running) this.running.release = release;
          else early = release;
        },
        kept: (kept, away) => useRecorder.setState({ kept, away }),
        refused: () => this.running && view().playing && this.stop(),
      },
    );
    await sender.begin();
    const running: Running = {
      into: into?.stackId,
      lanes,
      sender,
      wave: new RecordedWave(groups, places.length),
      sampleRate: doc.sampleRate,
      start,
      end,
      first: null,
      selection: view().clipIds,
      came: () => {},
      release: early,
      // What lies on the track is heard up to where it is recorded anew.
      unfollow: own.store.subscribe((now, old) => {
        if (now.doc !== old.doc) this.transport.hearRecorded(without(now.doc, ids, start, end));
      }),
    };
    this.running = running;
    this.transport.hearRecorded(without(doc, ids, start, end));
    inputs.capturing(places, (frame, samples) => this.hear(running, frame, samples));
    useRecorder.setState({ phase: count.frames > 0 || from < start ? "counting" : "on" });
    await this.transport.playRecorded({ from, start, loop, end: loop ? null : end, countIn: count });
  }

  private idle(): void {
    this.ended = [];
    useRecorder.setState({ phase: "off", tracks: [], away: null });
  }

  /** It did not come to be: nothing of it is kept. */
  private async abandon(): Promise<void> {
    const { running } = this;
    this.running = null;
    running?.unfollow();
    if (view().playing) this.transport.stop();
    this.transport.hearRecorded(null);
    this.transport.endRecorded();
    this.idle();
    await this.inputs?.captured();
    await running?.sender.drop();
    running?.release(true);
  }

  private hear(running: Running, frame: number, samples: Float32Array<ArrayBuffer>): void {
    running.first ??= frame;
    running.wave.push(samples);
    running.sender.push(samples);
    const { sender, sampleRate, start } = running;
    const begins = recorderState().phase === "counting" && this.transport.heardSoFar().some((r) => r.position + r.frames > start);
    const taken = Math.max(0, ...this.takes(running, sender.came).map((rounds) => rounds.flat().reduce((sum, part) => sum + part.length, 0)));
    useRecorder.setState({ came: sender.came, taken, ...(begins && { phase: "on" as const }) });
    running.came();
    if (!sender.full && sender.waitingFrames < MOST_WAITING_SECONDS * sampleRate) return;
    if (recorderState().phase === "on") {
      toast.error("The server was away for too long: recording was stopped. What came is kept here, and sent when it is back.", {
        id: "recording",
        duration: Number.POSITIVE_INFINITY,
      });
      this.stop();
    }
  }

  /** The takes of each track in the first `frames` that came. */
  private takes({ lanes, first, start, end }: Running, frames: number): RecordedPart[][][] {
    if (first === null) return lanes.map(() => []);
    const runs = this.transport.heardSoFar();
    return lanes.map(({ roundTrip }) => takesOf(runs, { first, frames, roundTrip, start, end }));
  }

  /** What is drawn while it grows, and until it is laid. */
  growing(): readonly Growing[] {
    return this.running ? growingOf(this.running, this.takes(this.running, this.running.sender.came)) : this.ended;
  }

  /** The edit that lays the takes of each track; none where nothing of it is kept. */
  private laid({ lanes, sender, sampleRate, into }: Running, takes: readonly RecordedPart[][][]): Edit[] {
    const tracks = lanes.flatMap(({ trackId }, i) => {
      const sourceId = sender.row?.tracks.find((t) => t.trackId === trackId)?.sourceId;
      return sourceId && takes[i].length > 0 ? [{ trackId, sourceId, takes: takes[i], ...(into !== undefined && { into }) }] : [];
    });
    if (tracks.length === 0) return [];
    const border = Math.round((settings().lastBlend.ms * sampleRate) / 1000);
    return [edited({ type: "lay-recording", tracks, border, ...modeRules() }, sampleRate)];
  }

  /** Playing has stopped: waits for the last of the sound, and has it laid. */
  private async finish(): Promise<void> {
    const { running } = this;
    if (!running) return;
    this.ended = this.growing();
    this.running = null;
    running.unfollow();
    useRecorder.setState({ phase: "ending" });
    const { sender } = running;
    const heard = this.transport.heardSoFar();
    const last = Math.max(0, ...heard.map((r) => r.frame + r.frames)) + Math.max(...running.lanes.map((l) => l.roundTrip));
    await new Promise<void>((done) => {
      running.came = () => running.first !== null && running.first + sender.came >= last && done();
      running.came();
      setTimeout(done, TAIL_WAIT_MS);
    });
    await this.inputs?.captured();
    const takes = this.takes(running, sender.came);
    this.ended = growingOf(running, takes);
    // From here on it can be played again.
    this.transport.endRecorded();
    let done = true;
    try {
      if (takes.every((t) => t.length === 0)) {
        await sender.drop();
        toast("Stopped before it began: nothing was recorded.", { id: "recording" });
      } else done = await this.lay(running, takes);
    } catch (error) {
      done = false;
      toast.error(`The recording could not be taken in: ${(error as Error).message}`, { id: "recording", duration: Number.POSITIVE_INFINITY });
    } finally {
      running.release(done);
      this.idle();
    }
  }

  /** Has it taken in and laid; false where it could not be taken in, which has been said. */
  private async lay(running: Running, takes: readonly RecordedPart[][][]): Promise<boolean> {
    const { sender } = running;
    useRecorder.setState({ phase: "laying" });
    const own = session();
    await sender.flush();
    const { id, tracks } = await sender.end(this.laid(running, takes));
    const row = await takenIn(id);
    if (!row) return false;
    if (row.error) {
      toast.error(row.error, { id: "recording", duration: Number.POSITIVE_INFINITY });
      return true;
    }
    const names = running.lanes.map((l) => l.name).join(", ");
    const clips = await laidClips(new Set(tracks.map((t) => t.sourceId)));
    // Who has turned to something else meanwhile keeps it.
    if (clips.length > 0 && view().clipIds === running.selection) selectClips(own.doc, clips);
    // Rounds are there to be picked from.
    if (clips.some((id) => own.doc.clips.get(id)?.take)) setSettings({ takes: true });
    toast(`Recorded ${names}.`, { id: "recording", duration: 2500 });
    return true;
  }

  /** Measures the round trip of an input by a sound that is sent out and comes in again. */
  async measure(input: string, channel: number): Promise<void> {
    if (recorderState().phase !== "off" || recorderState().measuring) return;
    if (view().playing) this.transport.stop();
    useRecorder.setState({ measuring: true });
    try {
      const { doc } = session();
      const inputs = await this.ready();
      const armed = this.armedTracks(doc).map((id) => inputOf(id).input);
      await inputs.use([...new Set([...armed, input])]);
      const samples = await measureRoundTrip(inputs, input, channel);
      const rate = inputs.context.sampleRate;
      setRecording({ roundTrips: { ...recordingSettings().roundTrips, [input]: { samples, rate } } });
      toast(`Round trip of ${inputName(input)}: ${samples} samples, ${((1000 * samples) / rate).toFixed(2)} ms.`, {
        id: "round-trip",
        duration: 6000,
      });
    } catch (error) {
      sayWhy(error, "round-trip");
    } finally {
      useRecorder.setState({ measuring: false });
      void this.openArmed();
    }
  }

  close(): void {
    if (this.running) this.transport.stop();
    for (const off of this.offs) off();
    this.inputs?.close();
  }
}

/** Says why something did not begin; that there is no sound at all the transport has said. */
function sayWhy(error: unknown, id: string): void {
  if (!(error instanceof NoSound)) toast.error((error as Error).message, { id, duration: 10_000 });
}

const growingOf = ({ lanes, wave }: Running, takes: readonly RecordedPart[][][]): Growing[] =>
  lanes.map(({ trackId, name }, i) => ({ trackId, name, parts: takes[i].at(-1) ?? [], lows: wave.lows[i], highs: wave.highs[i] }));

/** The piece without what lies on some tracks where they are recorded anew. */
function without(doc: Document, trackIds: readonly string[], start: number, end: number | null): Document {
  const last = end ?? Math.max(documentEnd(doc), start) + 1;
  try {
    return applyEdits(doc, [{ type: "delete-range", start, end: last, trackIds: [...trackIds], links: false }]).doc;
  } catch (error) {
    // Where a clip can't be cut it is heard.
    if (error instanceof EditError) return doc;
    throw error;
  }
}

/** "Loom take 3": the track, and a number that none of its recordings has yet. */
function takeName(doc: Document, trackId: string): string {
  const track = doc.tracks.get(trackId)?.name || "Track";
  const names = new Set([...session().store.getState().sources.values()].map((s) => s.name));
  let n = 1;
  while (names.has(`${track} take ${n}`)) n++;
  return nameOf(`${track} take ${n}`);
}

/** The clips of recordings, once they are in the piece; none where they don't come. */
async function laidClips(sourceIds: ReadonlySet<string>): Promise<string[]> {
  const look = (): string[] => [...session().doc.clips.values()].filter((c) => sourceIds.has(c.sourceId)).map((c) => c.id);
  const there = look();
  if (there.length > 0) return there;
  return new Promise((done) => {
    const end = (found: string[]): void => {
      off();
      clearTimeout(late);
      done(found);
    };
    const off = session().store.subscribe(() => {
      const found = look();
      if (found.length > 0) end(found);
    });
    const late = setTimeout(() => end([]), SHOWN_WITHIN_MS);
  });
}

let current: Recorder | null = null;
export const setRecorder = (recorder: Recorder | null): void => {
  current = recorder;
};
export const recorder = (): Recorder => {
  if (!current) throw new Error("The recorder has not been started.");
  return current;
};
