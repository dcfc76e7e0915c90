import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { MOST_SLICES, type Slice, slicesOf } from "@wet-thread/core/model/slices";
import { create } from "zustand";
import { transport } from "@/engine/transport";
import { settings } from "@/state/kept/settings";
import { saveFile } from "@/state/media/save-file";
import { ServerError } from "@/state/sync/api";
import { session } from "@/state/sync/session";
import { modeRules } from "@/state/view/modes";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { viewGrid } from "@/timeline/model/grid-columns";
import { clipsMeant } from "../edit/actions";

/** Keys of the computer that strike slices, by where they lie: three rows, from the upper left. */
export const PAD_KEYS = [..."QWERTYUIOP", ..."ASDFGHJKL", ..."ZXCVBNM"].map((letter) => `Key${letter}`);
export const BANK = PAD_KEYS.length;

/** A key that was struck while notes are taken down. */
interface Struck {
  readonly pad: number;
  readonly at: number;
  readonly gain: number;
}

export interface Kit {
  readonly by: "hits" | "clips";
  readonly slices: readonly Slice[];
  /** How many there would be if there were keys for all. */
  readonly count: number;
  /** How many can be struck already. */
  readonly ready: number;
  /** Which 26 of them lie on the computer's keys. */
  readonly bank: number;
  readonly chosen: number;
  /** The key that was struck last, and how often one was. */
  readonly struck: { readonly pad: number; readonly count: number };
  readonly taking: readonly Struck[] | null;
  readonly onGrid: boolean;
  /** Where notes are laid; null for a new track. */
  readonly trackId: string | null;
  readonly midi: "off" | "on" | "none";
}
export const useKit = create<Kit>(() => ({
  by: "hits",
  slices: [],
  count: 0,
  ready: 0,
  bank: 0,
  chosen: 0,
  struck: { pad: -1, count: 0 },
  taking: null,
  onGrid: true,
  trackId: null,
  midi: "off",
}));
const kit = (): Kit => useKit.getState();

/** Lays the selected clips on keys: from hit to hit, or several clips each whole. */
export function openKit(): void {
  const clips = clipsMeant();
  if (clips.length === 0) return void toast("Select clips to lay them, or their hits, on keys.", { id: "select" });
  layOnKeys(clips, clips.length > 1 ? "clips" : "hits");
  setView({ panel: "kit" });
}

/** Lays clips on keys in another way; those that are on keys already, when none is selected. */
export function layBy(by: Kit["by"]): void {
  const { clips } = session().doc;
  const own = [...new Set(kit().slices.map((s) => s.clipId))].flatMap((id) => clips.get(id) ?? []);
  const meant = clipsMeant();
  layOnKeys(meant.length > 0 ? meant : own, by);
}

function layOnKeys(clips: readonly Clip[], by: Kit["by"]): void {
  const { slices, count } = slicesOf(session().doc, clips, by);
  useKit.setState({ by, slices, count, bank: 0, chosen: 0, ready: 0 });
  handOver();
  if (count > slices.length) toast(`There are ${count} slices, and keys for ${MOST_SLICES}: the first of them.`, { id: "kit" });
}

/** The engine makes what lies on keys; what is the same as before it keeps. */
export function handOver(): void {
  transport().setKit(kit().slices, (ready) => useKit.setState({ ready }));
}

export function setSlice(pad: number, change: Partial<Slice>): void {
  useKit.setState({ slices: kit().slices.map((s, i) => (i === pad ? { ...s, ...change } : s)) });
  handOver();
}

/** Strikes a key. While notes are taken down it is noted where the ear was. */
export function strike(pad: number, gain = 0): void {
  const { slices, struck, taking } = kit();
  if (pad < 0 || pad >= slices.length) return;
  transport().strike(pad, gain);
  useKit.setState({
    chosen: pad,
    struck: { pad, count: struck.count + 1 },
    ...(taking && view().playing && { taking: [...taking, { pad, at: Math.max(0, Math.round(transport().position())), gain }] }),
  });
}

/** Begins to take notes down, playing from the playhead; a second time it ends, and lays them. */
export function takeDown(): void {
  if (kit().taking) return layNotes();
  useKit.setState({ taking: [] });
  if (!view().playing) void transport().play();
}

/** The grid line that is nearest to a place. */
function onLine(at: number): number {
  const { lines } = viewGrid(session().doc, settings(), view().start, view().samplesPerPixel);
  const [before, after] = [lines.before(at).sample, lines.after(at).sample];
  return at - before <= after - at ? before : after;
}

/** Lays what was struck as clips, in one step. */
export function layNotes(): void {
  const { taking, slices, onGrid, trackId } = kit();
  useKit.setState({ taking: null });
  if (!taking || taking.length === 0) return;
  const { doc } = session();
  const to = trackId !== null && doc.tracks.has(trackId) ? trackId : null;
  const id = to ?? `kit${Date.now().toString(36)}`;
  const notes = taking.map(({ pad, at, gain }) => ({ at: onGrid ? onLine(at) : at, slice: slices[pad], gain }));
  const done = session().edit(
    [
      ...(to ? [] : [{ type: "add-track", id, name: "Played" }]),
      { type: "lay-slices", trackId: id, notes, overlap: to ? modeRules().overlap : "cover" },
    ],
    `Take down ${notes.length === 1 ? "a note" : `${notes.length} notes`}`,
  );
  if (!done) return;
  useKit.setState({ trackId: id });
  toast(`${notes.length === 1 ? "A note lies" : `${notes.length} notes lie`} on ${session().doc.tracks.get(id)?.name || "the track"}.`, {
    id: "kit",
    duration: 2500,
  });
}

/** How hard a key was struck, 1 to 127, as a gain in dB: half as hard is 12 dB softer. */
const velocityGain = (velocity: number): number => Math.max(-40, 40 * Math.log10(velocity / 127));
const NOTE_ON = 0x90;
const FIRST = 36;

/** Lets MIDI inputs strike the kit's keys, from key 36 up. Says so where the browser has none. */
export async function listenToMidi(): Promise<void> {
  const request = (navigator as { requestMIDIAccess?: () => Promise<MIDIAccess> }).requestMIDIAccess;
  if (!request) {
    useKit.setState({ midi: "none" });
    return void toast("This browser has no MIDI inputs. The computer's keys work.", { id: "midi" });
  }
  try {
    const access = await request.call(navigator);
    const hear = ({ data }: MIDIMessageEvent): void => {
      if (data && (data[0] & 0xf0) === NOTE_ON && data[2] > 0 && view().panel === "kit") strike(data[1] - FIRST, velocityGain(data[2]));
    };
    const listen = (): void => {
      for (const input of access.inputs.values()) input.onmidimessage = hear;
      useKit.setState({ midi: access.inputs.size > 0 ? "on" : "none" });
    };
    access.onstatechange = listen;
    listen();
    if (access.inputs.size === 0) toast("No MIDI input is there. One that is plugged in is heard.", { id: "midi" });
  } catch {
    toast.error("The browser does not let this page hear MIDI. Allow it beside the address, then try again.", { id: "midi" });
  }
}

/** Saves the kit as a zip of an SFZ instrument and its WAV files. */
export async function saveKit(): Promise<void> {
  const { slices } = kit();
  const own = session();
  const names = own.doc.clips;
  const name = names.get(slices[0]?.clipId ?? "")?.name;
  try {
    await own.settled();
    const { versionId } = own.store.getState();
    const answer = await fetch(`/api/versions/${versionId}/kit`, {
      method: "POST",
      body: JSON.stringify({ slices, ...(name && { name: `${name} kit`.slice(0, 200) }) }),
    }).catch(() => {
      throw new ServerError(0, "The server does not answer.", {});
    });
    if (!answer.ok)
      throw new ServerError(answer.status, String((await answer.json().catch(() => null))?.message ?? `The server answered ${answer.status}.`), {});
    saveFile(`${name ?? "Slice"} kit.zip`, await answer.blob());
  } catch (error) {
    toast.error(`The kit could not be saved: ${(error as Error).message}`, { id: "kit" });
  }
}

/** Whether a slice's clip still covers it. */
export function covered(slice: Slice): boolean {
  const clip = session().doc.clips.get(slice.clipId);
  return clip !== undefined && slice.start >= clip.start && slice.end <= clipEnd(clip);
}
