import { fadeLoudPart, fadeQuietPart } from "@wet-thread/core/dsp/fades";
import type { Edit } from "@wet-thread/core/edit/registry";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { toast } from "sonner";
import { session } from "@/state/session";
import { edgeFade, settings } from "@/state/settings";
import { selectClips, view } from "@/state/view";
import { selectedClips } from "./actions";

/** What was copied: clips as windows of their own, and where the copy counts from, so that pasting keeps every distance. */
let held: { readonly clips: readonly Clip[]; readonly from: number; readonly range: boolean } | null = null;

/** The part of a clip inside a span, with what is left of its fades. */
function within(clip: Clip, from: number, to: number): Clip {
  const head = Math.max(0, from - clip.start);
  const tail = Math.max(0, clipEnd(clip) - to);
  const length = clip.length - head - tail;
  return {
    ...clip,
    start: clip.start + head,
    offset: clip.offset + head,
    length,
    fadeIn: fadeQuietPart(fadeLoudPart(clip.fadeIn, head), length),
    fadeOut: fadeQuietPart(fadeLoudPart(clip.fadeOut, tail), length),
    blend: null,
  };
}

export function copy(): boolean {
  const { range } = view();
  const { doc } = session();
  if (range) {
    const clips = range.trackIds.flatMap((id) =>
      (doc.lanes.get(id)?.within(range.start, range.end) ?? []).map((c) => within(c, range.start, range.end)),
    );
    if (clips.length === 0) {
      toast("There is nothing in the range.", { id: "clipboard" });
      return false;
    }
    held = { clips, from: range.start, range: true };
  } else {
    const clips = selectedClips();
    if (clips.length === 0) {
      toast("Select clips, or make a range, to copy.", { id: "clipboard" });
      return false;
    }
    held = { clips, from: Math.min(...clips.map((c) => c.start)), range: false };
  }
  toast(`Copied ${held.clips.length === 1 ? "1 clip" : `${held.clips.length} clips`}`, { id: "clipboard", duration: 1200 });
  return true;
}

/** Copies, then takes away: clips whole, a range by splitting at its edges. */
export function cut(): void {
  const { range } = view();
  if (!copy()) return;
  const { doc } = session();
  const fade = edgeFade(doc.sampleRate);
  if (!range) {
    if (session().edit([{ type: "delete", clipIds: [...view().clipIds], edgeFade: fade }], "Cut")) selectClips([]);
    return;
  }
  const inside = range.trackIds.flatMap((id) => doc.lanes.get(id)?.within(range.start, range.end) ?? []);
  const edits: Edit[] = [];
  const gone: string[] = [];
  inside.forEach((clip, i) => {
    const cuts = [range.start, range.end].filter((p) => p > clip.start && p < clipEnd(clip));
    const key = `cut${i}x${Date.now().toString(36)}`;
    if (cuts.length) edits.push({ type: "split", clipIds: [clip.id], at: cuts, key });
    gone.push(clip.start < range.start ? `${key}.1` : clip.id);
  });
  session().edit([...edits, { type: "delete", clipIds: gone, edgeFade: fade }], "Cut range");
}

/** Lays what was copied at the playhead, each clip on the track it came from (or, if that is gone, the first one), at its old distance. */
export function paste(): void {
  if (!held) return void toast("Nothing has been copied yet.", { id: "clipboard" });
  const { doc } = session();
  const by = Math.round(view().playhead) - held.from;
  const known = held.clips.filter((c) => doc.sources.has(c.sourceId));
  const key = Date.now().toString(36);
  const edits = known.map((c, i): Edit => {
    const { blend: _, layer: __, sync: ___, ...window } = c;
    return {
      type: "add-clip",
      ...window,
      id: `paste-${key}-${i}`,
      trackId: doc.tracks.has(c.trackId) ? c.trackId : doc.piece.trackOrder[0],
      start: c.start + by,
      overlap: settings().overlaps,
      edgeFade: edgeFade(doc.sampleRate),
    };
  });
  if (edits.length && session().edit(edits, edits.length === 1 ? `Paste ${known[0].name}` : `Paste ${edits.length} clips`))
    selectClips(edits.map((_, i) => `paste-${key}-${i}`));
}
