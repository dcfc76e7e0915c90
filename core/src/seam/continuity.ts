import { fadesRunOn } from "../dsp/fades";
import { playsSame } from "../model/played";
import { type Clip, clipEnd } from "../model/schema";

/** Envelopes lie on the recording, so that the same ones run on through a join. */
const sameEnvelopes = (left: Clip, right: Clip): boolean =>
  left.envelopes === right.envelopes || JSON.stringify(left.envelopes) === JSON.stringify(right.envelopes);

/** Whether no gain changes at the join: no fade there, or curves that run on through it. */
const gainRunsOn = (left: Clip, right: Clip): boolean =>
  left.gain === right.gain &&
  left.pan === right.pan &&
  sameEnvelopes(left, right) &&
  fadesRunOn(left.fadeIn, left.length, right.fadeIn) &&
  fadesRunOn(right.fadeOut, right.length, left.fadeOut);

const sameChannels = (left: Clip, right: Clip): boolean => left.channels === right.channels || String(left.channels) === String(right.channels);

/** Whether the left clip's recording runs on into the right one sample for sample, gain and all. */
export function unbroken(left: Clip, right: Clip): boolean {
  return (
    left.trackId === right.trackId &&
    playsSame(left, right) &&
    left.mute === right.mute &&
    clipEnd(left) === right.start &&
    left.offset + left.length === right.offset &&
    !right.blend &&
    sameChannels(left, right) &&
    gainRunsOn(left, right)
  );
}
