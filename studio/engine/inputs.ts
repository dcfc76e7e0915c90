import { recordingSettings, STAND_IN, type TrackInput, useRecorder } from "@/state/kept/recording";
import type { FromCapture, Place, ToCapture } from "./capture";

/** Why an input can't be used, for people. */
export class InputError extends Error {}

const AS_IT_IS = { echoCancellation: false, noiseSuppression: false, autoGainControl: false } as const;
/** From this level on a sample counts as too loud. */
const TOO_LOUD = 0.9999;
/** A worklet that hands over nothing more, since its device stands still, is not waited for longer than this. */
const TAIL_WAIT_MS = 1000;
/** More channels of one input are not asked for. */
const MOST_CHANNELS = 32;

function inWords(error: unknown, name: string): InputError {
  const { name: code, message } = error as DOMException;
  if (code === "NotAllowedError" || code === "SecurityError")
    return new InputError("The browser does not let this page listen. Allow it beside the address, then try again.");
  if (code === "NotFoundError" || code === "OverconstrainedError")
    return new InputError(`${name} is not there. Plug it in, or choose another input.`);
  if (code === "NotReadableError" || code === "AbortError") return new InputError(`${name} gives no sound: another program may hold it.`);
  if (code === "NotSupportedError")
    return new InputError(`${name} does not run at the project's rate here. Set the device to it, or choose another input.`);
  return new InputError(`${name} can't be used: ${message}`);
}

/** Looks which inputs there are; with `ask` the browser asks for permission first, without which they have no names. Throws InputError. */
export async function findDevices(ask = false): Promise<void> {
  const { mediaDevices } = navigator;
  if (!mediaDevices) throw new InputError("This page came over plain http, so the browser gives it no inputs. The stand-in works.");
  if (ask) {
    try {
      const stream = await mediaDevices.getUserMedia({ audio: AS_IT_IS });
      for (const track of stream.getTracks()) track.stop();
    } catch (error) {
      throw inWords(error, "An input");
    }
  }
  const found = (await mediaDevices.enumerateDevices()).filter((d) => d.kind === "audioinput" && d.deviceId !== "");
  useRecorder.setState({ devices: found.map((d, i) => ({ id: d.deviceId, name: d.label || `Input ${i + 1}` })) });
}

export const inputName = (id: string): string =>
  id === STAND_IN ? "The stand-in" : (useRecorder.getState().devices.find((d) => d.id === id)?.name ?? "The input");

const pause = (ms: number): Promise<void> => new Promise((wake) => setTimeout(wake, ms));

interface Open {
  readonly id: string;
  readonly node: AudioNode;
  readonly monitor: GainNode;
  /** Seconds from the microphone to the page, by what the browser says. */
  readonly latency: number;
  readonly stream: MediaStream | null;
  /** The way through the stand-in, which has a known delay. */
  readonly delay: AudioWorkletNode | null;
}

/** Takes interleaved samples from a frame of the sound device on. */
type Hear = (frame: number, samples: Float32Array<ArrayBuffer>) => void;

/** The inputs that are open, and the worklet that captures from them. */
export class Inputs {
  private open: Open[] = [];
  private capture: AudioWorkletNode | null = null;
  private ended: (() => void) | null = null;
  private sound: Hear | null = null;

  constructor(
    readonly context: AudioContext,
    private readonly player: AudioWorkletNode,
    /** Called when a device that was open is gone. */
    private readonly gone: (name: string) => void,
  ) {}

  private turn: Promise<unknown> = Promise.resolve();

  /**
   * Opens just these inputs; those that are open already stay so. Throws InputError, and leaves open what could be opened. One after the other: who
   * presses record while an armed input is still being opened waits for it, and does not open it a second time beside.
   */
  use(ids: readonly string[]): Promise<void> {
    const mine = this.turn.then(() => this.useNow(ids));
    this.turn = mine.catch(() => {});
    return mine;
  }

  private async useNow(ids: readonly string[]): Promise<void> {
    const gone = this.open.filter((o) => !ids.includes(o.id));
    const missing = ids.filter((id) => !this.open.some((o) => o.id === id));
    if (gone.length === 0 && missing.length === 0) return;
    for (const one of gone) this.shut(one);
    this.open = this.open.filter((o) => ids.includes(o.id));
    let failed: InputError | null = null;
    for (const id of missing) {
      try {
        this.open.push(await this.openOne(id));
      } catch (error) {
        failed = error instanceof InputError ? error : inWords(error, inputName(id));
      }
    }
    this.wire();
    if (failed) throw failed;
  }

  private async openOne(id: string): Promise<Open> {
    const { context } = this;
    const monitor = new GainNode(context, { gain: 0 });
    if (id === STAND_IN) {
      const delay = new AudioWorkletNode(context, "delay", {
        numberOfInputs: 1,
        numberOfOutputs: 1,
        outputChannelCount: [1],
        channelCount: 1,
        channelCountMode: "explicit",
      });
      this.player.connect(delay, 1);
      delay.connect(monitor).connect(context.destination);
      return { id, node: delay, monitor, latency: 0, stream: null, delay };
    }
    const audio = { ...AS_IT_IS, deviceId: { exact: id }, channelCount: { ideal: MOST_CHANNELS } };
    if (!navigator.mediaDevices) throw new InputError("This page came over plain http, so the browser gives it no inputs. The stand-in works.");
    const stream = await navigator.mediaDevices.getUserMedia({ audio });
    const [track] = stream.getAudioTracks();
    const settings = track.getSettings() as MediaTrackSettings & { latency?: number };
    track.onended = () => {
      const one = this.open.find((o) => o.stream === stream);
      if (!one) return;
      this.open = this.open.filter((o) => o !== one);
      this.shut(one);
      this.gone(inputName(id));
    };
    const node = new MediaStreamAudioSourceNode(context, { mediaStream: stream });
    node.connect(monitor).connect(context.destination);
    return { id, node, monitor, latency: settings.latency ?? context.baseLatency, stream, delay: null };
  }

  private shut({ node, monitor, stream, delay }: Open): void {
    if (delay) this.player.disconnect(delay);
    node.disconnect();
    monitor.disconnect();
    for (const track of stream?.getTracks() ?? []) {
      track.onended = null;
      track.stop();
    }
  }

  /** Connects all that is open to a capturing worklet of as many inputs. */
  private wire(): void {
    this.capture?.disconnect();
    this.capture?.port.close();
    for (const { node, monitor } of this.open) {
      node.disconnect();
      node.connect(monitor);
    }
    this.capture = null;
    useRecorder.setState({ levels: {} });
    this.settings();
    if (this.open.length === 0) return;
    const capture = new AudioWorkletNode(this.context, "capture", {
      numberOfInputs: this.open.length,
      numberOfOutputs: 1,
      outputChannelCount: [1],
      channelCountMode: "max",
      channelInterpretation: "discrete",
    });
    for (const [i, { node }] of this.open.entries()) node.connect(capture, 0, i);
    // Nothing goes out of it; what leads nowhere would not be asked for sound.
    capture.connect(this.context.destination);
    const ids = this.open.map((o) => o.id);
    capture.port.onmessage = ({ data }: MessageEvent<FromCapture>) => this.hear(data, ids);
    this.capture = capture;
  }

  private hear(message: FromCapture, ids: readonly string[]): void {
    if (message.type === "sound") this.sound?.(message.frame, message.samples);
    if (message.type === "ended") this.ended?.();
    if (message.type !== "levels") return;
    const levels = Object.fromEntries(ids.map((id, i) => [id, message.levels[i] ?? []]));
    const loud = ids.flatMap((id) => levels[id].flatMap((v, c) => (v >= TOO_LOUD ? [`${id} ${c}`] : [])));
    const { clipped } = useRecorder.getState();
    useRecorder.setState({ levels, ...(loud.some((l) => !clipped.has(l)) && { clipped: new Set([...clipped, ...loud]) }) });
  }

  /** Takes over the stand-in's delay, and which inputs are heard. */
  settings(heard: ReadonlySet<string> = new Set()): void {
    for (const { id, monitor, delay } of this.open) {
      monitor.gain.setTargetAtTime(heard.has(id) ? 1 : 0, this.context.currentTime, 0.005);
      delay?.port.postMessage(this.standInDelay());
    }
  }

  private standInDelay = (): number => Math.round((recordingSettings().standIn.delayMs * this.context.sampleRate) / 1000);

  /** Samples from what goes out to what comes in, by measurement or, where there is none, by what the browser says. */
  roundTrip(id: string): { samples: number; measured: boolean } {
    if (id === STAND_IN) return { samples: this.standInDelay(), measured: true };
    const { sampleRate } = this.context;
    const known = recordingSettings().roundTrips[id];
    if (known) return { samples: Math.round((known.samples * sampleRate) / known.rate), measured: true };
    const latency = (this.open.find((o) => o.id === id)?.latency ?? 0) + (this.context.outputLatency || this.context.baseLatency);
    return { samples: Math.round(latency * sampleRate), measured: false };
  }

  /** Where a track's channels come in. Throws InputError when its input is not open. */
  places({ input, channels }: TrackInput): Place[] {
    const at = this.open.findIndex((o) => o.id === input);
    if (at < 0) throw new InputError(`${inputName(input)} is not there.`);
    return channels.map((channel) => ({ input: at, channel }));
  }

  /** Captures from these places on. */
  capturing(places: readonly Place[], hear: Hear): void {
    this.sound = hear;
    this.capture?.port.postMessage({ places } satisfies ToCapture);
  }

  /** Captures no more; resolves when all that came has been handed over. */
  async captured(): Promise<void> {
    const { capture } = this;
    if (!capture || !this.sound) return;
    const all = new Promise<void>((done) => {
      this.ended = done;
    });
    capture.port.postMessage({ places: null } satisfies ToCapture);
    await Promise.race([all, pause(TAIL_WAIT_MS)]);
    this.ended = null;
    this.sound = null;
  }

  /** Leads a sound to an input's stand-in besides to the ear, as its loudspeaker would. */
  feed(id: string, node: AudioNode): void {
    const delay = this.open.find((o) => o.id === id)?.delay;
    if (delay) node.connect(delay);
  }

  close(): void {
    for (const one of this.open) this.shut(one);
    this.open = [];
    this.capture?.disconnect();
    this.capture = null;
    useRecorder.setState({ levels: {} });
  }
}
