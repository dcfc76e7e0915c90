import type { Edit } from "@wet-thread/core/edit/registry";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { ask, ServerError } from "@/state/sync/api";
import { inVersion, type Session, session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { selectedClips } from "./actions";

/** What the server answers: an edit for each gap, and how many samples of room they are woven from. */
interface Room {
  readonly gaps: readonly { readonly from: number; readonly to: number }[];
  readonly held: number;
  readonly edits: readonly Edit[];
}
interface Passage {
  readonly sourceId: string;
  readonly channels?: readonly number[];
  readonly from: number;
  readonly to: number;
}

/** The room that was taken by hand from a version's clips, until the page is left or another opened; none: it is found. */
let taken: { readonly versionId: string; readonly passages: readonly Passage[] } | null = null;
const version = (): string => session().store.getState().versionId;

/** Takes what clips play forwards in the range as the room that gaps are filled with; without a range, lets it be found again. */
export function takeRoom(): void {
  const { range } = view();
  const { doc } = session();
  if (!range) {
    const had = taken?.versionId === version();
    taken = null;
    return void toast(had ? "The room is found in the pauses again." : "Make a range over a pause to take its sound as the room.", { id: "room" });
  }
  const passages = range.trackIds.flatMap((id) =>
    (doc.lanes.get(id)?.within(range.start, range.end) ?? [])
      .filter((c) => !c.recipe)
      .map((c) => {
        const shift = c.offset - c.start;
        return {
          sourceId: c.sourceId,
          from: Math.max(c.start, range.start) + shift,
          to: Math.min(clipEnd(c), range.end) + shift,
          ...(c.channels && { channels: c.channels }),
        };
      }),
  );
  if (passages.length === 0) return void toast("There is no sound in the range.", { id: "room" });
  taken = { versionId: version(), passages };
  const held = passages.reduce((sum, p) => sum + p.to - p.from, 0);
  toast.success(`${formatLength(held, doc.sampleRate)} taken as the room.`, {
    id: "room",
    description: "Gaps are filled with it from now on. Without a range, the same command lets it be found again.",
    duration: 5000,
  });
}

/** The spans whose gaps are meant: the range's on its tracks, else from the first of the selected clips of a track to the last. */
function spansMeant(): { trackId: string; start: number; end: number }[] {
  const { range } = view();
  if (range) return range.trackIds.map((trackId) => ({ trackId, start: range.start, end: range.end }));
  const clips = selectedClips();
  return [...new Set(clips.map((c) => c.trackId))].flatMap((trackId) => {
    const here = clips.filter((c) => c.trackId === trackId);
    return here.length < 2 ? [] : [{ trackId, start: Math.min(...here.map((c) => c.start)), end: Math.max(...here.map(clipEnd)) }];
  });
}

/** Fills the gaps of the range, or between the selected clips, with the room's own sound, as one step. */
export const fillRoom = (): Promise<void> => inVersion(fillIn);

async function fillIn(own: Session): Promise<void> {
  const spans = spansMeant();
  if (spans.length === 0)
    return void toast("Make a range over gaps, or select the clips on both sides of them, to fill them with the room.", { id: "select" });
  const passages = taken?.versionId === version() ? taken.passages : undefined;
  toast.loading("Looking for the room in the pauses …", { id: "room" });
  try {
    // The server looks at the piece as it has it.
    await own.settled();
    const start = own.doc;
    const { versionId } = own.store.getState();
    const rooms: Room[] = [];
    const without: ServerError[] = [];
    for (const span of spans)
      try {
        rooms.push(await ask<Room>(`/api/versions/${versionId}/room`, { json: { ...span, passages } }));
      } catch (error) {
        if (!(error instanceof ServerError) || error.body.error !== "no-gap") throw error;
        without.push(error);
      }
    if (rooms.length === 0) return void toast(without[0].message, { id: "room", duration: 4000 });
    if (own.doc !== start) return void toast.error("The piece was changed meanwhile; nothing was filled. Try again.", { id: "room" });
    const edits = rooms.flatMap((r) => r.edits);
    if (!own.edit(edits, edits.length === 1 ? "Fill gap with room" : `Fill ${edits.length} gaps with room`)) return void toast.dismiss("room");
    const { sampleRate } = own.doc;
    const filled = rooms.flatMap((r) => r.gaps).reduce((sum, g) => sum + g.to - g.from, 0);
    toast.success(edits.length === 1 ? "The gap is filled." : `${edits.length} gaps are filled.`, {
      id: "room",
      duration: 5000,
      description: `${formatLength(filled, sampleRate)} of room, woven from ${formatLength(Math.max(...rooms.map((r) => r.held)), sampleRate)} ${passages ? "that you took" : "of pauses"}.`,
    });
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(error.message, { id: "room", duration: 8000, description: "Nothing was changed." });
  }
}
