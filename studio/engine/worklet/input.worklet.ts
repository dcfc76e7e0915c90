import { type FromCapture, HANDED, type Place, type ToCapture } from "../capture";

/** Frames after which levels are told anew. */
const LEVEL_FRAMES = 2048;

/** Hands over what comes in from sound devices, by the device's own count of frames, and tells how loud it is. */
class Capture extends AudioWorkletProcessor {
  private places: readonly Place[] | null = null;
  private samples = new Float32Array(0);
  private first = 0;
  private held = 0;
  private levels: number[][] = [];
  private seen = 0;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<ToCapture>) => {
      if (this.places) {
        this.handOver();
        this.tell({ type: "ended" });
      }
      this.places = data.places;
      this.begin();
    };
  }

  private tell(message: FromCapture): void {
    this.port.postMessage(message, message.type === "sound" ? [message.samples.buffer] : []);
  }

  private begin(): void {
    this.samples = new Float32Array(HANDED * (this.places?.length ?? 0));
    this.held = 0;
  }

  private handOver(): void {
    const width = this.places?.length ?? 0;
    if (this.held === 0) return;
    this.tell({ type: "sound", frame: this.first, samples: this.held === HANDED ? this.samples : this.samples.slice(0, this.held * width) });
    this.begin();
  }

  process(inputs: Float32Array[][]): boolean {
    const frames = inputs.find((i) => i.length > 0)?.[0].length ?? 128;
    this.measure(inputs, frames);
    const { places } = this;
    if (!places) return true;
    if (this.held === 0) this.first = currentFrame;
    for (const [c, { input, channel }] of places.entries()) {
      const x = inputs[input]?.[channel];
      // A device that is gone, or has fewer channels, is silent: the others go on.
      if (x) for (let i = 0; i < frames; i++) this.samples[(this.held + i) * places.length + c] = Number.isFinite(x[i]) ? x[i] : 0;
    }
    this.held += frames;
    if (this.held >= HANDED) this.handOver();
    return true;
  }

  private measure(inputs: Float32Array[][], frames: number): void {
    for (const [i, channels] of inputs.entries()) {
      this.levels[i] ??= [];
      for (const [c, x] of channels.entries()) {
        let most = this.levels[i][c] ?? 0;
        for (const v of x) most = Math.max(most, Math.abs(v));
        this.levels[i][c] = most;
      }
    }
    this.seen += frames;
    if (this.seen < LEVEL_FRAMES) return;
    this.seen = 0;
    this.tell({ type: "levels", levels: this.levels });
    this.levels = [];
  }
}

/** Longest delay of the stand-in, in frames: a power of two. */
const MOST_DELAY = 1 << 17;

/** The way through a sound device that is not there: what comes in goes out so many frames later, to the sample. */
class Delay extends AudioWorkletProcessor {
  private readonly line = new Float32Array(MOST_DELAY);
  private at = 0;
  private by = 0;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<number>) => {
      this.by = Math.max(0, Math.min(MOST_DELAY - 1, Math.round(data)));
    };
  }

  process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const out = outputs[0][0];
    const x = inputs[0]?.[0];
    for (let i = 0; i < out.length; i++) {
      this.line[this.at] = x ? x[i] : 0;
      out[i] = this.line[(this.at - this.by + MOST_DELAY) % MOST_DELAY];
      this.at = (this.at + 1) % MOST_DELAY;
    }
    return true;
  }
}

registerProcessor("capture", Capture);
registerProcessor("delay", Delay);
