import { clipEnd } from "@wet-thread/core/model/schema";
import { transport } from "@/engine/transport";
import { settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { findSeam } from "@/timeline/model/seam-classes";
import { selectedClips } from "../edit/actions";
import { seamMeant } from "../edit/seam-meant";

/** Plays what leads up to a place, and stops there; the playhead is where it was afterwards. */
export function playTo(at: number): void {
  const lead = Math.round((settings().playToMs * session().doc.sampleRate) / 1000);
  if (at <= 0) return void toast("Nothing comes before this place.", { id: "play" });
  void transport().audition(Math.max(0, at - lead), at, false, view().playhead);
}

/** Plays what leads up to the chosen seam and what follows, as long as is set. */
export function listenToSeam(): void {
  const { doc } = session();
  const seam = seamMeant();
  if (!seam) return void toast("Choose a seam to listen to it.", { id: "select" });
  const lead = Math.round((settings().seamLeadMs * doc.sampleRate) / 1000);
  void transport().audition(Math.max(0, seam.position - lead), seam.position + lead, false, view().playhead);
}

/** Plays from where the selection begins: the range, the clips or the chosen seam; from the playhead when nothing is selected. */
export function playFromSelection(): void {
  const { range, seamId } = view();
  const clips = selectedClips();
  const start = range?.start ?? (clips.length ? clips.reduce((least, c) => Math.min(least, c.start), Number.POSITIVE_INFINITY) : undefined);
  void transport().play(start ?? findSeam(session().doc, seamId)?.position ?? view().playhead);
}

/** Plays the range once, or without one the selected clips. */
export function playSelection(): void {
  const { range, playhead } = view();
  const clips = selectedClips();
  if (range) void transport().play(range.start, range.end);
  else if (clips.length) void transport().play(Math.min(...clips.map((c) => c.start)), Math.max(...clips.map(clipEnd)));
  else void transport().play(playhead);
}

/** The tracks that soloing by key means: the chosen one, or those of the range or the selected clips. */
function tracksToSolo(): ReadonlySet<string> {
  const { range, trackId } = view();
  if (range) return new Set(range.trackIds);
  const clips = selectedClips();
  if (clips.length) return new Set(clips.map((c) => c.trackId));
  return new Set(trackId && session().doc.tracks.has(trackId) ? [trackId] : []);
}

/** Lets only the tracks meant be heard, without an edit, until what is returned is called. */
export function soloHeld(): () => void {
  const only = tracksToSolo();
  if (only.size === 0) {
    toast("Choose a track to hear it alone.", { id: "select" });
    return () => {};
  }
  const { doc } = session();
  const tracks = new Map([...doc.tracks].map(([id, t]) => [id, { ...t, solo: only.has(id), mute: only.has(id) ? false : t.mute }]));
  transport().hear({ ...doc, tracks });
  return () => transport().hear(null);
}

/** Solo of the tracks meant, on or off, as an edit. */
export function toggleSolo(): void {
  const ids = [...tracksToSolo()];
  if (ids.length === 0) return void toast("Choose a track to hear it alone.", { id: "select" });
  const solo = !ids.every((id) => session().doc.tracks.get(id)?.solo);
  session().edit([{ type: "set-track", trackIds: ids, solo }]);
}
