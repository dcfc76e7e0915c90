import { findTestSound, testSound } from "@wet-thread/core/analysis/round-trip";
import { InputError, type Inputs, inputName } from "./inputs";

/** How long is listened for the test sound, in seconds, and how long before it is sent. */
const LISTEN_SECONDS = 1.2;
const AHEAD_SECONDS = 0.15;

/** Sends a sound out and listens for it at an input that is open: how many samples lie between. Throws InputError where it is not heard. */
export async function measureRoundTrip(inputs: Inputs, input: string, channel: number): Promise<number> {
  const { context } = inputs;
  const { sampleRate } = context;
  const sound = testSound(sampleRate);
  const buffer = new AudioBuffer({ length: sound.length, sampleRate });
  buffer.copyToChannel(sound as Float32Array<ArrayBuffer>, 0);
  const node = new AudioBufferSourceNode(context, { buffer });
  node.connect(context.destination);
  inputs.feed(input, node);
  const wanted = Math.round((AHEAD_SECONDS + LISTEN_SECONDS) * sampleRate);
  const came = new Float32Array(wanted);
  const sent = Math.round(context.currentTime * sampleRate) + Math.round(AHEAD_SECONDS * sampleRate);
  let [first, frames] = [-1, 0];
  await new Promise<void>((done) => {
    const late = setTimeout(done, 3000 * (AHEAD_SECONDS + LISTEN_SECONDS));
    inputs.capturing(inputs.places({ input, channels: [channel], monitor: false }), (frame, samples) => {
      if (first < 0) first = frame;
      came.set(samples.subarray(0, wanted - frames), frames);
      frames = Math.min(wanted, frames + samples.length);
      if (frames < wanted) return;
      clearTimeout(late);
      done();
    });
    node.start(sent / sampleRate);
  });
  await inputs.captured();
  node.disconnect();
  const found = findTestSound(came.subarray(0, frames), sampleRate);
  if (!found)
    throw new InputError(
      `The test sound was not heard at ${inputName(input)}. Lead the output to it, by a cable or through the air, and turn it up.`,
    );
  return first + found.at - sent;
}
