import { sliceOf } from "@wet-thread/core/edit/cutting/parts";
import { EditError } from "@wet-thread/core/edit/errors";
import type { PastedClip } from "@wet-thread/core/edit/laying/copies";
import { copiedBundles } from "@wet-thread/core/edit/laying/copies";
import { type SpanContent, spanContent } from "@wet-thread/core/edit/laying/span-content";
import { leadsOf, withLinkedTracks } from "@wet-thread/core/edit/links/links";
import type { Edit } from "@wet-thread/core/edit/registry";
import { applyEdits, type Outcome } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { Bundle, Clip } from "@wet-thread/core/model/schema";
import { settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { edited, modeRules } from "@/state/view/modes";
import { setView, view } from "@/state/view/view";
import { counted } from "@/state/words/counted";
import { toast } from "@/state/words/toast";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { snapInForce, snapped } from "@/timeline/model/snapping";
import { selectedClips, selectLaid } from "./actions";
import { showAftermath } from "./aftermath";
import { deleteSelected } from "./clip-actions";

/** What was copied: clips counted from where the copy begins, so that pasting keeps every distance; a range with its whole length. */
let held: { readonly clips: readonly PastedClip[]; readonly wholes: readonly Bundle[]; readonly length?: number; readonly from: number } | null =
  null;
let heldSection: SpanContent | null = null;

export const hasCopy = (): boolean => held !== null;
export const hasSection = (): boolean => heldSection !== null;

function hold(doc: Document, clips: readonly Clip[], from: number, length?: number): void {
  held = {
    clips: clips.map((c) => ({ ...c, start: c.start - from, blend: c.blend && { ...c.blend, splice: c.blend.splice - from } })),
    wholes: [...copiedBundles({ doc }, clips).values()].map((b) => ({ ...b, start: b.start - from })),
    length,
    from,
  };
  toast(`Copied ${counted(clips.length, "clip")}`, { id: "clipboard", duration: 1200 });
}

/** Clips with those that linked tracks bring along. */
function withPartners(doc: Document, clips: readonly Clip[]): Clip[] {
  if (!settings().linksOn) return [...clips];
  const along = leadsOf(
    doc,
    clips.map((c) => c.id),
  );
  return [...clips, ...[...along.keys()].map((id) => doc.clips.get(id) as Clip)];
}

export function copy(): boolean {
  const { range } = view();
  const { doc } = session();
  const clips = range
    ? (settings().linksOn ? withLinkedTracks(doc, range.trackIds) : range.trackIds).flatMap((id) =>
        (doc.lanes.get(id)?.within(range.start, range.end) ?? []).map((c) => sliceOf(c, range.start, range.end)).filter((c) => c !== null),
      )
    : withPartners(doc, selectedClips());
  if (clips.length === 0) {
    toast(range ? "There is nothing in the range." : "Select clips, or make a range, to copy.", { id: "clipboard" });
    return false;
  }
  if (range) hold(doc, clips, range.start, range.end - range.start);
  else hold(doc, clips, Math.min(...clips.map((c) => c.start)));
  return true;
}

/** Copies, then takes away as Delete would. */
export function cut(): void {
  if (copy()) deleteSelected(undefined, view().range ? "Cut range" : "Cut");
}

/** Where a paste at the playhead lands: at it, or keeping offset, as far from the line nearest to it as what was copied lay from its own. */
function pastePlace(): number {
  const at = Math.round(view().playhead);
  if (!held || settings().placing !== "offset" || !settings().targets.includes("grid") || !snapInForce()) return at;
  return snapped(session().doc, { wanted: at, origin: held.from }).position;
}

export const paste = (): void => pasteAt(pastePlace(), view().trackId ?? undefined);

/** Shows what a paste would do while its key is held: what lands, and who moves. Nothing is done; what is returned ends it. */
export function showPaste(): () => void {
  const { doc } = session();
  const at = pastePlace();
  const edit = pasteEdit(doc, at, view().trackId ?? undefined);
  if (!edit) return () => {};
  const x = (at - view().start) / view().samplesPerPixel;
  try {
    const after = applyEdits(doc, [edited(edit, doc.sampleRate)]).doc;
    const moved = [...doc.clips.values()].filter((c) => after.clips.get(c.id)?.start !== c.start).length;
    const words = moved === 0 ? "nothing else moves" : moved === 1 ? "1 clip moves or is cut" : `${moved} clips move or are cut`;
    setPreview({ doc: after, flag: { x, y: 20, lines: ["would be pasted here", words] } });
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
    setPreview({ flag: { x, y: 20, lines: [error.message] } });
  }
  return clearPreview;
}

/** The edit that lays what was copied at a position, its topmost clip on the track given (else, as where that is gone, on its own or the first). */
export function pasteEdit(doc: Document, at: number, onto?: string): Edit | null {
  const order = doc.piece.trackOrder;
  if (!held || order.length === 0) return null;
  const rowOf = (trackId: string): number => Math.max(0, order.indexOf(trackId));
  const top = Math.min(...held.clips.map((c) => rowOf(c.trackId)));
  const bottom = Math.max(...held.clips.map((c) => rowOf(c.trackId)));
  const down = onto === undefined ? 0 : Math.min(order.indexOf(onto) - top, order.length - 1 - bottom);
  const clips = held.clips.map((c) => ({ ...c, trackId: order[rowOf(c.trackId) + down] }));
  return { type: "paste", at, clips, wholes: held.wholes, length: held.length, ...modeRules() };
}

export function pasteAt(at: number, onto?: string): void {
  const edit = pasteEdit(session().doc, at, onto);
  if (!edit) return void toast(held ? "Add a track first." : "Nothing has been copied yet.", { id: "clipboard" });
  const done = session().edit([edit]);
  showAftermath(done, new Set());
  if (!done) return;
  selectLaid(done);
  tellHidden(done);
}

/** Says where what was laid lies on tracks that are not shown. */
function tellHidden({ doc: after, laid }: Outcome): void {
  const ids = [...new Set(laid.map((id) => after.clips.get(id)?.trackId ?? ""))].filter((id) => after.tracks.get(id)?.hidden);
  if (ids.length === 0) return;
  const names = ids.map((id) => after.tracks.get(id)?.name || "a track").join(", ");
  toast.info(`Pasted onto ${names}, which ${ids.length === 1 ? "is" : "are"} hidden.`, {
    id: "clipboard",
    duration: 8000,
    action: { label: "Show", onClick: () => void session().edit([{ type: "set-track", trackIds: ids, hidden: false }]) },
  });
}

/** Copies the span of the range over all tracks, with its markers, sections, tempo and meter. */
export function copySection(): void {
  const { range, markId } = view();
  const { doc } = session();
  const section = markId ? doc.sections.get(markId) : undefined;
  const span = section ?? range;
  if (!span) return void toast("Make a range, or choose a section, to copy its span of the whole piece.", { id: "clipboard" });
  heldSection = spanContent(doc, span.start, span.end);
  toast(`Copied ${section ? section.name : "the span"} over all tracks`, {
    id: "clipboard",
    description: "Insert it at the playhead; everything later moves along.",
    duration: 2500,
  });
}

export function insertSection(at = Math.round(view().playhead)): void {
  if (!heldSection) return void toast("Copy a section first.", { id: "clipboard" });
  const { length } = heldSection;
  const done = session().edit([{ type: "insert-section", at, content: heldSection }]);
  if (done) setView({ range: { start: at, end: at + length, trackIds: session().doc.piece.trackOrder }, clipIds: new Set() });
}
