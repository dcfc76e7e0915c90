import { partsToKeep } from "@wet-thread/core/edit/cutting/parts-to-keep";
import { newKey } from "@wet-thread/core/edit/registry";
import { type KeptPart, withParts } from "@wet-thread/core/model/clip/kept-part";
import { create } from "zustand";
import { ask, ServerError } from "@/state/sync/api";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { selectedClips } from "../edit/actions";
import { openTab } from "../menus/panel-commands";

/** More at once are surely not meant. */
const MOST_AT_ONCE = 50;

/** The part whose name is being typed in the list. */
export const useNaming = create<{ readonly partId: string | null }>(() => ({ partId: null }));

let turn: Promise<unknown> = Promise.resolve();

/**
 * Changes the parts of a recording: in the page at once, so that a name can be typed, and on the server, one change after the other. What that
 * refuses is said, and the list is as it was.
 */
function change(sourceId: string, to: (parts: readonly KeptPart[]) => readonly KeptPart[], tell: () => Promise<unknown>): Promise<boolean> {
  const show = (parts: (now: readonly KeptPart[]) => readonly KeptPart[]): void =>
    session().store.setState(({ sources }) => {
      const row = sources.get(sourceId);
      return row ? { sources: new Map(sources).set(sourceId, { ...row, parts: parts(row.parts) }) } : {};
    });
  const own = session();
  const before = own.store.getState().sources.get(sourceId)?.parts ?? [];
  show(to);
  const done = turn.then(async () => {
    try {
      await tell();
      return true;
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      // A server that is away can't tell what it has: the list is as it was.
      show(() => before);
      toast.error(error.message, { id: "parts", description: "The parts are as they were." });
      return false;
    } finally {
      await own.refreshSources();
    }
  });
  turn = done.catch(() => {});
  return done;
}

const keep = (sourceId: string, parts: readonly KeptPart[]): Promise<boolean> =>
  change(
    sourceId,
    (now) => withParts(now, parts),
    () => ask(`/api/sources/${sourceId}/parts`, { json: { parts } }),
  );
const drop = (sourceId: string, partId: string): Promise<boolean> =>
  change(
    sourceId,
    (now) => now.filter((p) => p.id !== partId),
    () => ask(`/api/sources/${sourceId}/parts/${partId}`, { method: "DELETE" }),
  );

/** Keeps what is in the range, or the selected clips, beside their recordings under names of their own. */
export async function keepSelected(): Promise<void> {
  const { range } = view();
  const { doc } = session();
  const clips = range ? range.trackIds.flatMap((id) => doc.lanes.get(id)?.within(range.start, range.end) ?? []) : selectedClips();
  if (clips.length === 0)
    return void toast(range ? "There is nothing in the range." : "Select a clip, or make a range over a part of one, to keep it.", { id: "parts" });
  if (clips.length > MOST_AT_ONCE) return void toast(`These are ${clips.length} clips; up to ${MOST_AT_ONCE} are kept at once.`, { id: "parts" });
  const taken = new Map([...session().store.getState().sources.values()].map((s) => [s.id, new Set(s.parts.map((p) => p.name))]));
  const ids = clips.map((c) => c.id);
  const kept = partsToKeep(doc, ids, range, taken, newKey);
  openTab("sources");
  if (kept.length === 1) useNaming.setState({ partId: kept[0].part.id });
  const done = [...new Set(kept.map((k) => k.sourceId))].map((id) =>
    keep(
      id,
      kept.flatMap((k) => (k.sourceId === id ? [k.part] : [])),
    ),
  );
  if (!(await Promise.all(done)).every(Boolean)) return;
  toast(kept.length === 1 ? "The part is kept in Sources." : `${kept.length} parts are kept in Sources.`, {
    id: "parts",
    action: {
      label: "Undo",
      onClick: () =>
        void (async () => {
          for (const { sourceId, part } of kept) if (!(await drop(sourceId, part.id))) return;
        })(),
    },
  });
}

/** Gives a part the name that was typed for it, if any. */
export function renamePart(sourceId: string, part: KeptPart, name: string | null): void {
  useNaming.setState({ partId: null });
  if (name) void keep(sourceId, [{ ...part, name }]);
}

/** Keeps a part no longer; clips that were laid of it stay. */
export async function removePart(sourceId: string, part: KeptPart): Promise<void> {
  if (!(await drop(sourceId, part.id))) return;
  toast(`${part.name} is no longer kept. Clips of it stay.`, {
    id: "parts",
    action: { label: "Undo", onClick: () => void keep(sourceId, [part]) },
  });
}
