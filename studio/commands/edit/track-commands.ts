import type { Edit } from "@wet-thread/core/edit/registry";
import type { Track } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import type { Command } from "../command";

/** The tracks that are chosen, in their order. */
export function chosenTracks(): string[] {
  const { trackId, trackIds } = view();
  const { piece, tracks } = session().doc;
  if (trackIds.size > 0) return piece.trackOrder.filter((id) => trackIds.has(id));
  return trackId && tracks.has(trackId) ? [trackId] : [];
}

/** Does edits on the chosen tracks, or says that none is chosen. */
function onTracks(make: (tracks: readonly Track[]) => readonly Edit[], name?: (what: string) => string): void {
  const { doc } = session();
  const tracks = chosenTracks().map((id) => doc.tracks.get(id) as Track);
  if (tracks.length === 0) return void toast("Choose a track first: click its head, or step to it by key.", { id: "select" });
  const edits = make(tracks);
  if (edits.length) session().edit(edits, name?.(tracks.length === 1 ? tracks[0].name : `${tracks.length} tracks`));
}
const idsOf = (tracks: readonly Track[]): string[] => tracks.map((t) => t.id);

/** The chosen tracks up or down by one, keeping their order; those at the end stay. */
const move = (by: 1 | -1) => (): void =>
  onTracks(
    (tracks) => {
      const { trackOrder } = session().doc.piece;
      const rows = tracks.map((t) => trackOrder.indexOf(t.id));
      if (rows.some((row) => row + by < 0 || row + by >= trackOrder.length)) return [];
      const edits = tracks.map(({ id: trackId }, i): Edit => ({ type: "move-track", trackId, index: rows[i] + by }));
      return by > 0 ? edits.reverse() : edits;
    },
    (what) => `Move ${what} ${by < 0 ? "up" : "down"}`,
  );

/** A name for a link that no track has yet. */
function freshLink(): string {
  const taken = new Set([...session().doc.tracks.values()].map((t) => t.link));
  let n = 1;
  while (taken.has(`link ${n}`)) n++;
  return `link ${n}`;
}

function linkTracks(): void {
  if (chosenTracks().length < 2) return void toast("Choose several tracks to link: Shift or Ctrl with a click on their heads.", { id: "select" });
  onTracks(
    (tracks) => [{ type: "set-track", trackIds: idsOf(tracks), link: tracks.find((t) => t.link)?.link ?? freshLink() }],
    (what) => `Link ${what}`,
  );
}

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
  onTracks(([{ id }]) => {
    setView({ naming: id });
    return [];
  });
}

/** What is done to whole tracks. */
export const TRACK_COMMANDS: readonly Command[] = [
  { id: "track-add", title: "Add a track", keys: ["Alt+T"], run: addTrack },
  {
    id: "track-duplicate",
    title: "Duplicate track",
    keys: [],
    run: () => onTracks((tracks) => tracks.map(({ id: trackId }) => ({ type: "duplicate-track", trackId }))),
  },
  { id: "track-rename", title: "Rename track", keys: ["Alt+N"], run: renameTrack },
  {
    id: "track-mute",
    title: "Mute track, or unmute it",
    keys: ["Alt+U"],
    run: () => onTracks((tracks) => [{ type: "set-track", trackIds: idsOf(tracks), mute: !tracks.every((t) => t.mute) }]),
  },
  {
    id: "track-solo",
    title: "Solo track, or take it off",
    keys: [],
    run: () => onTracks((tracks) => [{ type: "set-track", trackIds: idsOf(tracks), solo: !tracks.every((t) => t.solo) }]),
  },
  { id: "track-link", title: "Link the chosen tracks", keys: ["Alt+L"], run: linkTracks },
  {
    id: "track-unlink",
    title: "Take the link off the chosen tracks",
    keys: [],
    run: () =>
      onTracks(
        (tracks) => [{ type: "set-track", trackIds: idsOf(tracks), link: null }],
        (what) => `Take the link off ${what}`,
      ),
  },
  { id: "track-up", title: "Move track up", keys: [], run: move(-1) },
  { id: "track-down", title: "Move track down", keys: [], run: move(1) },
  {
    id: "track-hide",
    title: "Hide track",
    keys: [],
    run: () => onTracks((tracks) => [{ type: "set-track", trackIds: idsOf(tracks), hidden: true }]),
  },
  { id: "tracks-show", title: "Show hidden tracks", keys: [], run: showHidden },
  {
    id: "track-remove",
    title: "Remove track",
    keys: [],
    run: () => onTracks((tracks) => tracks.map(({ id: trackId }) => ({ type: "remove-track", trackId }))),
  },
];
