/** What an audio worklet finds around it. */
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
/** Frames that the sound device has taken since the context was made. */
declare const currentFrame: number;
declare function registerProcessor(name: string, processor: new (options: never) => AudioWorkletProcessor): void;
