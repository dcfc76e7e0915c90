import type { Edit } from "@wet-thread/core/edit/registry";
import { hitsBetween, hitsKnown } from "@wet-thread/core/model/clip/hits";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { setSettings, settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { drawnToAttack } from "@/timeline/gestures/hit-gesture";
import { selectedClips } from "./actions";

/** The selected clips of recordings whose hits are known; says what is missing where there are none. */
function chosen(): readonly Clip[] {
  const clips = selectedClips();
  const known = clips.filter((c) => hitsKnown(session().doc.sources, c));
  if (clips.length === 0) toast("Select clips whose hits are meant first.", { id: "select" });
  else if (known.length === 0) toast("The hits of these recordings are not known yet.", { id: "hits" });
  return known;
}

const hitsOfClip = (clip: Clip): number[] => hitsBetween(session().doc.sources, clip, clip.start, clipEnd(clip));

export function showHits(): void {
  setSettings({ showHits: !settings().showHits });
}

/** Hears nothing but the attacks of the selected clips, or of all; or everything again. */
export function attacksOnly(): void {
  const on = !view().attacksOnly;
  setView({ attacksOnly: on });
  toast(on ? "Only attacks are heard: of the selected clips, or of all." : "Everything is heard again.", { id: "attacks", duration: 2000 });
}

/** A hit at the playhead in each selected clip that lies there, drawn to its attack. */
export function addHit(): void {
  const { doc } = session();
  const at = Math.round(view().playhead);
  const clips = chosen();
  const there = clips.filter((c) => at >= c.start && at < clipEnd(c));
  if (there.length === 0) return void (clips.length > 0 && toast("The playhead lies in none of the selected clips.", { id: "hits" }));
  const edits = there.flatMap((c): Edit[] => {
    const place = drawnToAttack(doc, c, at);
    return hitsOfClip(c).includes(place) ? [] : [{ type: "add-hits", clipIds: [c.id], at: [place] }];
  });
  if (edits.length === 0) return void toast("There is a hit there already.", { id: "hits" });
  setSettings({ showHits: true });
  session().edit(edits, edits.length === 1 ? "Add a hit" : `Add ${edits.length} hits`);
}

/** Takes away the hits of the selected clips that lie in the range, or the one nearest to the playhead in each. */
export function removeHit(): void {
  const { playhead, range } = view();
  const edits = chosen().flatMap((clip): Edit[] => {
    const hits = hitsOfClip(clip);
    const gone = range
      ? hits.filter((h) => h >= range.start && h < range.end)
      : hits.sort((a, b) => Math.abs(a - playhead) - Math.abs(b - playhead)).slice(0, 1);
    return gone.length > 0 ? [{ type: "remove-hits", clipIds: [clip.id], at: gone }] : [];
  });
  if (edits.length > 0) session().edit(edits, edits.length === 1 ? undefined : "Remove hits");
  else if (selectedClips().length > 0) toast("There is no hit to take away.", { id: "hits" });
}

/** Takes all hits of the selected clips away. */
export function clearHits(): void {
  const ids = chosen().flatMap((c) => (hitsOfClip(c).length > 0 ? [c.id] : []));
  if (ids.length > 0) session().edit([{ type: "remove-hits", clipIds: ids }]);
  else if (selectedClips().length > 0) toast("There is no hit to take away.", { id: "hits" });
}

/** The hits of the selected clips as they were found. */
export function hitsAsFound(): void {
  const ids = selectedClips().flatMap((c) => (c.hits ? [c.id] : []));
  if (ids.length > 0) session().edit([{ type: "reset-hits", clipIds: ids }]);
  else toast("The hits of what is selected are as they were found.", { id: "hits" });
}

export function setSensitivity(clipIds: readonly string[], sensitivity: number): void {
  session().edit([{ type: "set-sensitivity", clipIds, sensitivity }]);
}
