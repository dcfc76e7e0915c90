import type { Edit } from "@wet-thread/core/edit/registry";
import type { Track } from "@wet-thread/core/model/schema";
import { toast } from "sonner";
import { session } from "@/state/session";
import { setView, view } from "@/state/view";
import type { Command } from "./command";

/** Does edits on the chosen track, or says that none is chosen. */
function onTrack(make: (track: Track, index: number) => readonly Edit[], name?: string): void {
  const { doc } = session();
  const track = doc.tracks.get(view().trackId ?? "");
  if (!track) return void toast("Choose a track first: click its head, or step to it by key.", { id: "select" });
  const edits = make(track, doc.piece.trackOrder.indexOf(track.id));
  if (edits.length) session().edit(edits, name);
}

const move = (by: 1 | -1) => (): void =>
  onTrack(({ id: trackId }, index) => {
    const to = index + by;
    return to < 0 || to >= session().doc.piece.trackOrder.length ? [] : [{ type: "move-track", trackId, index: to }];
  });

function showHidden(): void {
  const hidden = [...session().doc.tracks.values()].filter((t) => t.hidden).map((t) => t.id);
  if (hidden.length === 0) return void toast("No track is hidden.", { id: "select" });
  session().edit([{ type: "set-track", trackIds: hidden, hidden: false }], "Show hidden tracks");
}

/** A new track below the chosen one, or at the end. */
function addTrack(): void {
  const { doc } = session();
  const index = doc.piece.trackOrder.indexOf(view().trackId ?? "");
  session().edit([{ type: "add-track", ...(index < 0 ? {} : { index: index + 1 }) }]);
}

function renameTrack(): void {
  onTrack(({ id }) => {
    setView({ naming: id });
    return [];
  });
}

/** What is done to whole tracks. */
export const TRACK_COMMANDS: readonly Command[] = [
  { id: "track-add", title: "Add a track", keys: ["Alt+T"], run: addTrack },
  { id: "track-duplicate", title: "Duplicate track", keys: [], run: () => onTrack(({ id: trackId }) => [{ type: "duplicate-track", trackId }]) },
  { id: "track-rename", title: "Rename track", keys: ["Alt+N"], run: renameTrack },
  {
    id: "track-mute",
    title: "Mute track, or unmute it",
    keys: ["Alt+U"],
    run: () => onTrack(({ id, mute }) => [{ type: "set-track", trackIds: [id], mute: !mute }]),
  },
  { id: "track-up", title: "Move track up", keys: [], run: move(-1) },
  { id: "track-down", title: "Move track down", keys: [], run: move(1) },
  { id: "track-hide", title: "Hide track", keys: [], run: () => onTrack(({ id }) => [{ type: "set-track", trackIds: [id], hidden: true }]) },
  { id: "tracks-show", title: "Show hidden tracks", keys: [], run: showHidden },
  { id: "track-remove", title: "Remove track", keys: [], run: () => onTrack(({ id: trackId }) => [{ type: "remove-track", trackId }]) },
];
