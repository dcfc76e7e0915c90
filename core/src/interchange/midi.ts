import { type MidiEvent, parseMidi, writeMidi } from "midi-file";
import { asBytes, fromBytes } from "../media/text";
import type { Document } from "../model/document";
import { timebaseOf } from "../model/document";
import { METER_DENOMINATORS, type MeterEvent } from "../time/meter";
import { MAX_BPM, MIN_BPM, type TempoEvent, TICKS_PER_QUARTER } from "../time/tempo";
import { InterchangeError } from "./error";

/*
 * Standard MIDI files of tempo, meter and markers. A tempo there is a whole number of microseconds a quarter note, and knows no ramp: ramps are
 * written as steps, each ending where the ramp is. What is exact stands beside in sequencer-specific events of our own, by which our files read
 * back the same; they count only while what stands beside them is as it was written.
 */

/** What is read from such a file. */
export interface TimeMaps {
  readonly tempo: readonly TempoEvent[];
  readonly meter: readonly MeterEvent[];
  readonly firstBar: number;
  /** Markers by tick. */
  readonly markers: readonly { readonly tick: number; readonly name: string }[];
  /** What the file holds besides, in words. */
  readonly left: readonly string[];
}

const MICROSECONDS = 60_000_000;
/** The manufacturer's number for what has none, and our mark. */
const OURS = [0x7d, 0x77, 0x74];
/** Bytes of a file before its first track. */
const HEAD = 14;
/** Ticks of one step of a ramp. */
const STEP = 240;
/** A file of more events than this is no tempo map. */
const MOST_EVENTS = 200_000;

type Own =
  | { readonly bpm: number; readonly ramp?: true; readonly us: number }
  | { readonly step: true; readonly us: number }
  | { readonly firstBar: number };

interface Placed {
  readonly tick: number;
  readonly event: Omit<MidiEvent, "deltaTime">;
}

const own = (tick: number, what: Own): Placed => ({
  tick,
  event: {
    meta: true,
    type: "sequencerSpecific",
    data: [...OURS, ...[...asBytes(JSON.stringify(what))].map((c) => c.charCodeAt(0))],
  } as unknown as MidiEvent,
});
const tempo = (tick: number, us: number): Placed => ({
  tick,
  event: { meta: true, type: "setTempo", microsecondsPerBeat: us } as unknown as MidiEvent,
});

/** The tempo, meter and markers of a document as a Standard MIDI file, and what of them it can't say exactly. */
export function midiOf(doc: Document): { bytes: Uint8Array<ArrayBuffer>; left: string[] } {
  const { piece } = doc;
  const base = timebaseOf(doc);
  const placed: Placed[] = [{ tick: 0, event: { meta: true, type: "trackName", text: asBytes("Tempo, meter and markers") } as unknown as MidiEvent }];
  const left: string[] = [];
  if (piece.firstBar !== 1) placed.push(own(0, { firstBar: piece.firstBar }));
  const seconds = (tick: number): number => base.tempo.samplesAt(tick) / doc.sampleRate;
  let rounded = 0;
  let ramps = 0;
  // Where the file is by what was written so far: a rounding is made good by the next step.
  piece.tempo.forEach((event, i) => {
    const next = piece.tempo[i + 1];
    if (!event.ramp || !next || next.bpm === event.bpm) {
      const us = Math.round(MICROSECONDS / event.bpm);
      if (us * event.bpm !== MICROSECONDS) rounded++;
      placed.push(own(event.tick, { bpm: event.bpm, ...(event.ramp && { ramp: true as const }), us }), tempo(event.tick, us));
      return;
    }
    ramps++;
    let written = seconds(event.tick);
    for (let at = event.tick; at < next.tick; at += STEP) {
      const to = Math.min(next.tick, at + STEP);
      const us = Math.max(1, Math.round(((seconds(to) - written) * 1e6 * TICKS_PER_QUARTER) / (to - at)));
      placed.push(own(at, at === event.tick ? { bpm: event.bpm, ramp: true, us } : { step: true, us }), tempo(at, us));
      written += (us * (to - at)) / TICKS_PER_QUARTER / 1e6;
    }
  });
  for (const { tick, numerator, denominator } of piece.meter)
    placed.push({
      tick,
      event: { meta: true, type: "timeSignature", numerator, denominator, metronome: 24, thirtyseconds: 8 } as unknown as MidiEvent,
    });
  let off = 0;
  for (const { position, name } of [...doc.markers.values()].sort((a, b) => a.position - b.position)) {
    const tick = base.tempo.sampleToTick(position);
    if (base.tempo.tickToSample(tick) !== position) off++;
    placed.push({ tick, event: { meta: true, type: "marker", text: asBytes(name) } as unknown as MidiEvent });
  }
  if (rounded > 0)
    left.push(`${rounded === 1 ? "1 tempo is" : `${rounded} tempos are`} rounded to the microsecond; the exact value stands beside, for Wet Thread.`);
  if (ramps > 0) left.push(`${ramps === 1 ? "1 glide is" : `${ramps} glides are`} written in steps of a sixteenth.`);
  if (off > 0) left.push(`${off === 1 ? "1 marker goes" : `${off} markers go`} to the nearest tick.`);
  if (doc.sections.size > 0) left.push("Sections are not in it.");
  if (doc.clips.size > 0) left.push("Tracks, clips and sound are not in it.");
  let last = 0;
  const events = placed
    .map((p, i) => ({ ...p, i }))
    .sort((a, b) => a.tick - b.tick || a.i - b.i)
    .map(({ tick, event }) => {
      const deltaTime = tick - last;
      last = tick;
      return { ...event, deltaTime } as MidiEvent;
    });
  const end = { deltaTime: 0, meta: true, type: "endOfTrack" } as MidiEvent;
  const bytes = writeMidi({ header: { format: 0, numTracks: 1, ticksPerBeat: TICKS_PER_QUARTER }, tracks: [[...events, end]] });
  return { bytes: Uint8Array.from(bytes), left };
}

/** What our own event says; undefined for one of somebody else, or one that can't be read. */
function ownOf(data: readonly number[] | Uint8Array): Own | undefined {
  const bytes = [...data];
  if (OURS.some((b, i) => bytes[i] !== b)) return undefined;
  try {
    return JSON.parse(fromBytes(String.fromCharCode(...bytes.slice(OURS.length)))) as Own;
  } catch {
    return undefined;
  }
}

/** Reads tempo, meter and markers from a Standard MIDI file; what else is in it is counted. Throws InterchangeError in words. */
export function readMidi(bytes: Uint8Array): TimeMaps {
  let file: ReturnType<typeof parseMidi>;
  if (bytes.length < HEAD) throw new InterchangeError("This MIDI file can't be read: it is cut short.");
  try {
    file = parseMidi(bytes);
  } catch (error) {
    throw new InterchangeError(`This MIDI file can't be read: ${typeof error === "string" ? error : "it is cut short or broken"}.`);
  }
  const perBeat = file.header.ticksPerBeat;
  if (!perBeat) throw new InterchangeError("This MIDI file counts in frames of a timecode, not in beats: there is no tempo in it.");
  const all: { tick: number; order: number; event: MidiEvent }[] = [];
  for (const track of file.tracks) {
    let at = 0;
    for (const event of track) {
      at += event.deltaTime;
      all.push({ tick: Math.round((at * TICKS_PER_QUARTER) / perBeat), order: all.length, event });
      if (all.length > MOST_EVENTS) throw new InterchangeError(`This MIDI file has more than ${MOST_EVENTS} events: it is no tempo map.`);
    }
  }
  all.sort((a, b) => a.tick - b.tick || a.order - b.order);
  const tempos = new Map<number, TempoEvent>();
  const meters = new Map<number, MeterEvent>();
  const markers: { tick: number; name: string }[] = [];
  let [firstBar, notes, others, bent] = [1, 0, 0, 0];
  let said: { tick: number; own: Own } | null = null;
  for (const { tick, event } of all) {
    const data = event as unknown as {
      type: string;
      data?: number[];
      text?: string;
      microsecondsPerBeat?: number;
      numerator?: number;
      denominator?: number;
    };
    switch (data.type) {
      case "sequencerSpecific": {
        const found = ownOf(data.data ?? []);
        if (found && "firstBar" in found) firstBar = Math.max(-9999, Math.min(9999, Math.round(Number(found.firstBar)) || 0));
        said = found ? { tick, own: found } : null;
        break;
      }
      case "setTempo": {
        const us = data.microsecondsPerBeat ?? 500_000;
        const one = said?.tick === tick && "us" in said.own && said.own.us === us ? said.own : null;
        said = null;
        if (one && "step" in one) break;
        const bpm = one ? one.bpm : Math.round((MICROSECONDS / us) * 1e6) / 1e6;
        const held = Math.max(MIN_BPM, Math.min(MAX_BPM, bpm));
        if (held !== bpm) bent++;
        tempos.set(tick, { tick, bpm: held, ...(one?.ramp && { ramp: true }) });
        break;
      }
      case "timeSignature": {
        const [numerator, denominator] = [data.numerator ?? 4, data.denominator ?? 4];
        if (numerator >= 1 && numerator <= 64 && (METER_DENOMINATORS as readonly number[]).includes(denominator))
          meters.set(tick, { tick, numerator, denominator });
        else others++;
        break;
      }
      case "marker":
      case "cuePoint":
        markers.push({ tick, name: fromBytes(data.text ?? "") });
        break;
      case "noteOn":
        notes++;
        break;
      case "noteOff":
      case "endOfTrack":
      case "trackName":
        break;
      default:
        others++;
    }
  }
  const from0 = <T extends { tick: number }>(list: readonly T[], first: T): T[] =>
    list[0]?.tick === 0 ? [...list] : [{ ...first, tick: 0 }, ...list];
  const left = [
    ...(notes > 0 ? [`${notes === 1 ? "1 note" : `${notes} notes`}`] : []),
    ...(others > 0 ? [`${others === 1 ? "1 event" : `${others} events`} of other kinds`] : []),
    ...(bent > 0 ? [`${bent === 1 ? "1 tempo" : `${bent} tempos`} beyond ${MIN_BPM} to ${MAX_BPM}, held at that bound`] : []),
  ];
  return {
    tempo: from0([...tempos.values()], { tick: 0, bpm: 120 }),
    meter: from0([...meters.values()], { tick: 0, numerator: 4, denominator: 4 }),
    firstBar,
    markers,
    left,
  };
}
